// Copies the fonts, Alpine and the icons that ship in the binary out of
// node_modules. Run with: npm run vendor
import { copyFileSync, mkdirSync, readFileSync, writeFileSync } from "node:fs";

const modules = "node_modules",
  out = "web";
mkdirSync(`${out}/fonts`, { recursive: true });
mkdirSync(`${out}/vendor`, { recursive: true });
const fonts = {
  "atkinson-hyperlegible-next": ["latin-wght-normal", "latin-ext-wght-normal"],
  "atkinson-hyperlegible-mono": ["latin-wght-normal", "latin-ext-wght-normal"],
  fraunces: ["latin-wght-normal", "latin-ext-wght-normal"],
};
for (const [family, cuts] of Object.entries(fonts))
  for (const cut of cuts)
    copyFileSync(`${modules}/@fontsource-variable/${family}/files/${family}-${cut}.woff2`, `${out}/fonts/${family}-${cut}.woff2`);
copyFileSync(`${modules}/@alpinejs/csp/dist/cdn.min.js`, `${out}/vendor/alpine.min.js`);

const icons = [
  "play",
  "square",
  "repeat",
  "undo-2",
  "redo-2",
  "download",
  "plus",
  "minus",
  "trash-2",
  "copy",
  "pencil",
  "sun-moon",
  "headphones",
  "keyboard",
  "upload",
  "x",
  "arrow-left",
  "arrow-right",
  "rotate-ccw",
  "check",
  "chevron-left",
  "chevron-right",
  "audio-lines",
  "volume-2",
  "scan-search",
  "spline",
  "list",
  "history",
  "triangle-alert",
  "lock",
  "magnet",
  "flag",
  "bookmark",
  "arrow-up",
  "arrow-down",
  "pin",
  "search",
  "scissors",
  "move-horizontal",
  "list-music",
  "list-video",
  "folder-open",
  "panel-left",
  "panel-right",
  "circle-question-mark",
];
const symbols = icons.map((name) => {
  const svg = readFileSync(`${modules}/lucide-static/icons/${name}.svg`, "utf8");
  const body = svg
    .replace(/<!--[^]*?-->/, "")
    .replace(/^[^]*?<svg[^>]*>/, "")
    .replace(/<\/svg>[^]*$/, "")
    .replace(/\s+/g, " ")
    .trim();
  return `<symbol id="${name}" viewBox="0 0 24 24" fill="none" stroke="currentColor" stroke-width="2" stroke-linecap="round" stroke-linejoin="round">${body}</symbol>`;
});
writeFileSync(
  `${out}/icons.svg`,
  `<!-- Icons from lucide (ISC licence) -->\n<svg xmlns="http://www.w3.org/2000/svg">\n${symbols.join("\n")}\n</svg>\n`,
);
