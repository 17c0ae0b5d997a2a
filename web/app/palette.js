// The command palette: type what you want, see its key, press Enter.

import { el, panel } from "../lib/panel.js";
import { commands } from "./commands/registry.js";
import { keyName, keysOf } from "./keys.js";

/** So many commands are listed that answer to words; where none are typed all are. */
const most = 12;

/** How well a command answers to words: 0 not at all, more where its name begins with them. @param {import("./commands/registry.js").Command} c @param {string[]} words */
function fit(c, words) {
  const name = c.name.toLowerCase(),
    all = `${name} ${c.group.toLowerCase()}`;
  if (!words.every((w) => all.includes(w))) return 0;
  return words.reduce((sum, w) => sum + (name.startsWith(w) ? 4 : name.includes(` ${w}`) ? 2 : 1), 1);
}

/** @param {import("./app.js").App} app */
export const palette = (app) =>
  panel({
    asked: "",
    askedAt: 0,
    /** What was run last, the newest first. @type {string[]} */
    lately: [],

    openPalette() {
      this.asked = "";
      this.askedAt = 0;
      el("palette").showModal();
      el("palette-words").focus();
    },
    /** The commands that answer to what is typed, the best first; what was run last where nothing is. */
    get answers() {
      const words = this.asked.toLowerCase().split(/\s+/).filter(Boolean);
      const order = (/** @type {string} */ id) => (this.lately.includes(id) ? this.lately.indexOf(id) : 99);
      return commands
        .map((c) => ({
          id: c.id,
          name: c.name,
          group: c.group,
          keys: keysOf(c.id).map(keyName).join(" · "),
          fit: words.length ? fit(c, words) : 1,
        }))
        .filter((c) => c.fit && c.id !== "palette")
        .sort((a, b) => b.fit - a.fit || order(a.id) - order(b.id))
        .slice(0, words.length ? most : commands.length);
    },
    /** @param {string} words */
    ask(words) {
      this.asked = words;
      this.askedAt = 0;
    },
    /** @param {number} by */
    alongAnswers(by) {
      const n = this.answers.length;
      if (n) this.askedAt = (this.askedAt + by + n) % n;
    },
    /** Runs an answer, once the palette is out of the way. @param {string} [id] */
    runAnswer(id) {
      const which = id ?? this.answers[this.askedAt]?.id;
      el("palette").close();
      if (!which) return;
      this.lately = [which, ...this.lately.filter((/** @type {string} */ o) => o !== which)].slice(0, most);
      app.timeline.parts.tracks.focus({ preventScroll: true });
      app.keys.run(which);
    },
  });
