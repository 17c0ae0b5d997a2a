// The theme's colours, resolved for canvases.

const names = [
  "linen",
  "lane",
  "paper",
  "raised",
  "hem",
  "ink",
  "ash",
  "woad",
  "woad-cloth",
  "moss",
  "moss-cloth",
  "clay",
  "clay-cloth",
  "plum",
  "plum-cloth",
  "slate",
  "slate-cloth",
  "rose",
  "rose-cloth",
  "straw",
  "straw-cloth",
  "weld",
  "weld-cloth",
  "madder",
  "verdigris",
  "teal",
  "on-strong",
  "foot",
  "foot-ink",
];

/** @type {Record<string, string>} */
export const colour = {};

function read() {
  const probe = document.createElement("span");
  document.body.append(probe);
  for (const name of names) {
    probe.style.color = `var(--color-${name})`;
    colour[name] = getComputedStyle(probe).color;
  }
  probe.remove();
}

/** The colour of each role. @type {Record<string, string>} */
const hues = { dialogue: "woad", roomTone: "moss", spots: "clay", music: "plum", picture: "slate" };

/** The name of a track's colour: its own, or that of its role. @param {Track} t */
export const dye = (t) => t.colour || hues[t.role] || "woad";
/** @param {Track} t */
export const hue = (t) => colour[dye(t)];
/** @param {Track} t */
export const cloth = (t) => colour[`${dye(t)}-cloth`];

/** Reads the colours now and whenever the theme changes. @param {() => void} changed */
export function watchColours(changed) {
  read();
  const again = () => {
    read();
    changed();
  };
  matchMedia("(prefers-color-scheme: dark)").addEventListener("change", again);
  addEventListener("themechange", again);
}

/** Turns day into night and back, and remembers it. */
export function toggleTheme() {
  const chosen = document.documentElement.dataset.theme;
  const night = chosen ? chosen === "night" : matchMedia("(prefers-color-scheme: dark)").matches;
  const next = night ? "day" : "night";
  document.documentElement.dataset.theme = next;
  localStorage.setItem("theme", next);
  dispatchEvent(new Event("themechange"));
}
