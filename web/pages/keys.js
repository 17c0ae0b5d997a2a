// The page on which keys are found, changed, reset, and kept in named sets.

import "../app/notices.js";
import { get, say, send } from "../app/api.js";
import { toggleTheme, watchColours } from "../lib/colours.js";
import { panel } from "../lib/panel.js";
import { commands } from "../app/commands/registry.js";
import { combination, keyName } from "../app/keys.js";

/** What marks a file of keys as one. */
const format = "blend-seam-keys";

/** Keys that only modify others. */
const modifiers = ["Shift", "Control", "Alt", "Meta", "AltGraph", "CapsLock", "Dead", "Process"];

/** Combinations that are the browser's own, and are left to it. */
const browsers = new Set([
  "ctrl+t",
  "ctrl+n",
  "ctrl+w",
  "ctrl+r",
  "ctrl+l",
  "ctrl+f",
  "ctrl+p",
  "ctrl+s",
  "ctrl+d",
  "ctrl+h",
  "ctrl+j",
  "ctrl+shift+t",
  "ctrl+shift+n",
  "ctrl+shift+w",
  "ctrl+shift+i",
  "F5",
  "F11",
  "F12",
  "Tab",
  "shift+Tab",
  "alt+ArrowLeft",
  "alt+ArrowRight",
]);

function keyspage() {
  return panel({
    /** @type {KeySet[]} */ sets: [],
    set: "",
    /** @type {Record<string, string[]>} what differs from the keys that ship */ keys: {},
    newName: "",
    search: "",
    listening: "",
    message: "",
    /** @type {{action: string, run: () => void} | null} */ pending: null,

    async init() {
      watchColours(() => {});
      addEventListener("keydown", (e) => this.hear(e), true);
      // The list is told from the address, so that the bench can point at a command; what one typed already stays.
      this.search =
        /** @type {HTMLInputElement} */ (document.getElementById("search")).value || (new URLSearchParams(location.search).get("q") ?? "");
      await this.read();
    },
    async read() {
      try {
        this.sets = (await get("/keys")).sets;
        const chosen = this.sets.find((/** @type {KeySet} */ s) => s.chosen);
        this.set = chosen?.name ?? "";
        this.keys = chosen?.keys ?? {};
      } catch (err) {
        this.tell(say(err));
      }
    },
    /** @param {string} text @param {{action: string, run: () => void} | null} [pending] */
    tell(text, pending = null) {
      this.message = text;
      this.pending = pending;
    },
    dismiss() {
      this.tell("");
    },
    takeOver() {
      const run = this.pending?.run;
      this.tell("");
      run?.();
    },
    theme() {
      toggleTheme();
    },

    /** The combinations of a command as they are now. @param {string} id @returns {string[]} */
    of(id) {
      return this.keys[id] ?? commands.find((c) => c.id === id)?.keys ?? [];
    },
    get groups() {
      const words = this.search.toLowerCase().split(/\s+/).filter(Boolean);
      const rows = commands
        .map((c) => ({
          id: c.id,
          group: c.group,
          name: c.name,
          changed: Boolean(this.keys[c.id]),
          keys: this.of(c.id).map((/** @type {string} */ k) => ({ combo: k, name: keyName(k) })),
        }))
        .filter((c) =>
          words.every((/** @type {string} */ w) =>
            `${c.name} ${c.group} ${c.keys.map((/** @type {{name: string}} */ k) => k.name).join(" ")}`.toLowerCase().includes(w),
          ),
        );
      return [...new Set(rows.map((r) => r.group))].map((group) => ({ group, commands: rows.filter((r) => r.group === group) }));
    },
    get changedCount() {
      return Object.keys(this.keys).length;
    },
    countText() {
      const n = this.changedCount;
      return n ? `${n} ${n === 1 ? "command differs" : "commands differ"} from the default` : "All keys are the default";
    },

    /** Waits for the combination that takes the place of one, or is added. @param {string} id @param {string} combo */
    listen(id, combo) {
      const what = `${id} ${combo}`;
      this.listening = this.listening === what ? "" : what;
      this.tell("");
    },
    /** @param {KeyboardEvent} e */
    hear(e) {
      if (!this.listening || modifiers.includes(e.key)) return;
      e.preventDefault();
      e.stopPropagation();
      const at = this.listening.indexOf(" "),
        id = this.listening.slice(0, at),
        old = this.listening.slice(at + 1),
        combo = combination(e);
      if (e.key === "Escape" && id !== "back") {
        this.listening = "";
        return;
      }
      this.listening = "";
      if (browsers.has(combo)) {
        this.tell(`${keyName(combo)} is reserved by the browser. Choose another combination.`);
        return;
      }
      const other = commands.find((c) => c.id !== id && this.of(c.id).includes(combo)),
        mine = commands.find((c) => c.id === id);
      const set = () => {
        /** @type {Record<string, string[]>} */
        const next = { ...this.keys };
        if (other) next[other.id] = this.of(other.id).filter((/** @type {string} */ k) => k !== combo);
        const keys = this.of(id).filter((/** @type {string} */ k) => k !== combo);
        next[id] = old ? keys.map((/** @type {string} */ k) => (k === old ? combo : k)) : [...keys, combo];
        if (!next[id].includes(combo)) next[id].push(combo);
        void this.save(next);
      };
      if (other)
        this.tell(`${keyName(combo)} is used by “${other.name}”. Use it for “${mine?.name}” instead?`, { action: "Reassign", run: set });
      else set();
    },
    /** @param {string} id @param {string} combo */
    drop(id, combo) {
      void this.save({ ...this.keys, [id]: this.of(id).filter((/** @type {string} */ k) => k !== combo) });
    },
    /** @param {string} id */
    reset(id) {
      const shipped = commands.find((c) => c.id === id)?.keys ?? [],
        next = { ...this.keys };
      delete next[id];
      const other = commands.find((c) => c.id !== id && this.of(c.id).some((/** @type {string} */ k) => shipped.includes(k)));
      if (!other) {
        void this.save(next);
        return;
      }
      const both = this.of(other.id).filter((/** @type {string} */ k) => shipped.includes(k));
      this.tell(`${both.map(keyName).join(", ")} is used by “${other.name}”.`, {
        action: "Reassign",
        run: () => void this.save({ ...next, [other.id]: this.of(other.id).filter((/** @type {string} */ k) => !shipped.includes(k)) }),
      });
    },
    resetAll() {
      void this.save({});
    },

    /** Saves the keys in the set in force; where none is, in one that is made. @param {Record<string, string[]>} keys */
    async save(keys) {
      // What is as it ships need not be kept.
      for (const c of commands) if (keys[c.id] && keys[c.id].join(" ") === c.keys.join(" ")) delete keys[c.id];
      const name = this.set || "My keys";
      try {
        await send("PUT", `/keys/${encodeURIComponent(name)}`, { keys, chosen: true });
        localStorage.setItem("keys-changed", String(Date.now()));
        await this.read();
      } catch (err) {
        this.tell(say(err));
      }
    },
    /** @param {string} name */
    async choose(name) {
      try {
        await send("POST", "/keys/choose", { name });
        localStorage.setItem("keys-changed", String(Date.now()));
        await this.read();
      } catch (err) {
        this.tell(say(err));
      }
    },
    async make() {
      const name = this.newName.trim();
      if (!name) {
        this.tell("Give the new set a name first.");
        return;
      }
      if (this.sets.some((/** @type {KeySet} */ s) => s.name === name)) {
        this.tell(`A set named “${name}” exists already.`);
        return;
      }
      this.set = name;
      this.newName = "";
      await this.save({ ...this.keys });
    },
    async remove() {
      const name = this.set,
        keys = this.keys;
      try {
        await send("DELETE", `/keys/${encodeURIComponent(name)}`);
        await this.read();
        this.tell(`The set “${name}” was removed. The default keys are active.`, {
          action: "Undo",
          run: () => ((this.set = name), void this.save(keys)),
        });
      } catch (err) {
        this.tell(say(err));
      }
    },
    exportSet() {
      const name = this.set || "The keys that ship",
        text = JSON.stringify({ format, version: 1, name, keys: Object.fromEntries(commands.map((c) => [c.id, this.of(c.id)])) }, null, 1);
      const a = document.createElement("a");
      a.href = URL.createObjectURL(new Blob([text], { type: "application/json" }));
      a.download = `${name.replace(/[^\p{L}\p{N} _-]/gu, "")}.keys.json`;
      a.click();
      setTimeout(() => URL.revokeObjectURL(a.href), 10_000);
    },
    /** @param {HTMLInputElement} input */
    async importSet(input) {
      const file = input.files?.[0];
      input.value = "";
      if (!file) return;
      try {
        const set = parseSet(await file.text());
        let name = set.name;
        for (let n = 2; this.sets.some((/** @type {KeySet} */ s) => s.name === name); n++) name = `${set.name} ${n}`;
        this.set = name;
        await this.save(set.keys);
        if (!this.message)
          this.tell(`Imported as “${name}”.${set.unknown ? ` ${set.unknown} of its commands are unknown here and were skipped.` : ""}`);
      } catch (err) {
        await this.read();
        this.tell(say(err));
      }
    },
  });
}

/** Reads a file of keys. @param {string} text @returns {{name: string, keys: Record<string, string[]>, unknown: number}} */
function parseSet(text) {
  /** @type {any} */
  let file = null;
  try {
    if (text.length < 1e6) file = JSON.parse(text);
  } catch {
    file = null;
  }
  if (file?.format !== format || file.version !== 1 || typeof file.keys !== "object" || file.keys === null)
    throw new Error("This file is not a key set.");
  const known = new Set(commands.map((c) => c.id)),
    all = Object.entries(file.keys);
  const keys = Object.fromEntries(all.filter(([id, k]) => known.has(id) && Array.isArray(k) && k.every((c) => typeof c === "string")));
  return { name: String(file.name || "Imported").slice(0, 60), keys, unknown: all.length - Object.keys(keys).length };
}

document.addEventListener("alpine:init", () => Alpine.data("keyspage", keyspage));
