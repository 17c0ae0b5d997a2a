// The pages that explain numbers and words.

import { toggleTheme } from "../lib/colours.js";

document.getElementById("theme")?.addEventListener("click", () => toggleTheme());
