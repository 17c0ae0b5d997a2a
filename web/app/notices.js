// What everyone has to know about how the server stands, over the page. The server writes what it knows when the page
// is made; what happens after that is told here.

const list = () => document.getElementById("notices");

/** What was read and put aside stays so on every page, until it says something else. @param {string} kind */
const asideOf = (kind) => `notice-${kind}`;

/** Gives a notice its button. @param {HTMLElement} p */
function dress(p) {
  const kind = p.dataset.kind ?? "",
    text = p.textContent ?? "";
  if (sessionStorage.getItem(asideOf(kind)) === text) {
    p.remove();
    return;
  }
  const button = document.createElement("button");
  button.setAttribute("aria-label", "Dismiss");
  button.addEventListener("click", () => {
    if (kind !== "server") sessionStorage.setItem(asideOf(kind), text); // what comes and goes is told each time
    p.remove();
  });
  p.append(button);
}

for (const p of [...(list()?.children ?? [])]) dress(/** @type {HTMLElement} */ (p));

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
  if (p?.textContent === text) return;
  p?.remove();
  p = document.createElement("p");
  p.dataset.kind = kind;
  p.textContent = text;
  all.append(p);
  dress(p);
}

/** Shows what the server tells of itself. @param {{kind: string, text: string}[]} told */
export function notices(told) {
  for (const p of [...(list()?.children ?? [])]) {
    const kind = /** @type {HTMLElement} */ (p).dataset.kind ?? "";
    if (kind !== "server" && !told.some((n) => n.kind === kind)) p.remove();
  }
  for (const n of told) notice(n.kind, n.text);
}
