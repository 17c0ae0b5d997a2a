// The pages that explain numbers and words.

import { toggleTheme } from "./colours.js";

document.getElementById("theme")?.addEventListener("click", () => toggleTheme());
