// The pages that explain numbers and words, and those for paper.

import { toggleTheme } from "../lib/colours.js";

document.getElementById("theme")?.addEventListener("click", () => toggleTheme());
document.getElementById("print")?.addEventListener("click", () => window.print());
