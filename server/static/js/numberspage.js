// The page that explains the numbers.

import { toggleTheme } from "./colours.js";

document.getElementById("theme")?.addEventListener("click", () => toggleTheme());
