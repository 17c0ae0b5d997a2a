// What everyone has to know about how the server stands, over the page. The server writes what it knows when the page
// is made; what happens after that is told here.

const list = () => document.getElementById("notices");

/**
 * Shows a notice of a kind, or takes it away.
 * @param {string} kind
 * @param {string} text empty for none
 */
export function notice(kind, text) {
  const all = list();
  if (!all) return;
  let p = /** @type {HTMLElement | null} */ (all.querySelector(`[data-kind="${kind}"]`));
  if (!text) {
    p?.remove();
    return;
  }
  if (!p) {
    p = document.createElement("p");
    p.dataset.kind = kind;
    all.append(p);
  }
  if (p.textContent !== text) p.textContent = text;
}

/** Shows what the server tells of itself. @param {{kind: string, text: string}[]} told */
export function notices(told) {
  for (const p of [...(list()?.children ?? [])]) {
    const kind = /** @type {HTMLElement} */ (p).dataset.kind ?? "";
    if (kind !== "server" && !told.some((n) => n.kind === kind)) p.remove();
  }
  for (const n of told) notice(n.kind, n.text);
}
