// Keys at the bench: what is pressed becomes a command; tooltips, the foot line and
// the list of all keys say which.

import { el, panel } from "../lib/panel.js";
import { commandNamed, commands } from "./commands/registry.js";
import { combination, commandOf, keyName, keysOf } from "./keys.js";

/** @param {import("./app.js").App} app */
export const keys = (app) =>
  panel({
    keySearch: "",
    helping: false, // the list is made when it is asked for
    /** The commands that a search finds, by group. */
    get groups() {
      const words = this.keySearch.toLowerCase().split(/\s+/).filter(Boolean);
      const found = commands
        .map((c) => ({ ...c, shown: keysOf(c.id).map(keyName) }))
        .filter((c) => words.every((/** @type {string} */ w) => `${c.name} ${c.group} ${c.shown.join(" ")}`.toLowerCase().includes(w)));
      return [...new Set(found.map((c) => c.group))].map((group) => ({
        group,
        commands: found.filter((c) => c.group === group).map((c) => ({ id: c.id, name: c.name, keys: c.shown })),
      }));
    },
    /** The keys of a command, for tooltips. @param {string} id */
    keyOf(id) {
      const k = keysOf(id)[0];
      return k ? keyName(k) : "";
    },
    /** A tooltip with the keys in force. @param {string} text @param {string} id */
    tip(text, id) {
      const k = this.keyOf(id);
      return k ? `${text} (${k})` : text;
    },
    /** What the foot line says when nothing is pointed at. */
    footText() {
      const k = (/** @type {string} */ id) => this.keyOf(id);
      return `${k("play")} plays · ${k("nextSeam")} and ${k("prevSeam")} go from seam to seam · ${k("playBlend")} plays the seam · ${k("earlier")} and ${k("later")} trim it · ${k("blend")} blends it · ${k("help")} shows all keys`;
    },
    help() {
      this.keySearch = "";
      this.helping = true;
      el("help").showModal();
    },

    /** @param {KeyboardEvent} e */
    press(e) {
      if (e.defaultPrevented || document.querySelector("dialog[open]") || app.menu.open) return;
      // The key for the menu opens it at the playhead, on the track worked on.
      if (e.key === "ContextMenu" || (e.key === "F10" && e.shiftKey)) {
        const t = app.timeline,
          row = t.layout().find((r) => t.working.has(r.track.id)),
          box = t.parts.lanes.getBoundingClientRect();
        e.preventDefault();
        app.menu.openMenu({
          clip: app.act.clipsHere()[0],
          track: row?.track,
          at: Math.round(t.playhead),
          x: box.left + t.x(t.playhead),
          y: box.top + (row?.top ?? 0),
        });
        return;
      }
      const target = /** @type {HTMLElement} */ (e.target);
      // What was marked as text is the browser's to copy.
      if (/^ctrl\+[cx]$/.test(combination(e)) && String(getSelection() ?? "")) return;
      const writing = target.matches?.("input:not([type=range]):not([type=checkbox]), select, textarea");
      const id = commandOf(e);
      if (writing) {
        if (e.key === "Escape" || e.key === "Enter") target.blur();
        return;
      }
      if (!id) return;
      // A button keeps its own keys, a slider its arrows, the ledger its up and down.
      if (
        target.matches?.("button, a, summary, [role=option]") &&
        (e.key === " " || e.key === "Enter") &&
        !e.shiftKey &&
        target.dataset.keys !== "pass"
      )
        return;
      if (target.matches?.("input[type=range], [role=radio]") && e.key.startsWith("Arrow")) return;
      if (app.listen.going && id !== "gotoTime") {
        e.preventDefault();
        void app.listen.going.then(() => this.run(id));
        return;
      }
      if (this.run(id)) e.preventDefault();
    },

    /** @param {string} id @returns {boolean} whether it is a command */
    run(id) {
      const command = commandNamed(id);
      command?.run(app);
      return Boolean(command);
    },

    /** Escape backs out of what is going on, the nearest first. */
    backOut() {
      if (app.write.now) app.write.drop();
      else if (app.session.playing) app.player.stop();
      else if (app.page.toast) app.page.toast = null;
      else if (app.treat.now) app.treat.drop();
      else if (app.rides.count) app.rides.clear();
      else if (app.session.span) app.listen.clearSpan();
      else if (app.session.stage === "source") app.sources.closeSource();
      else if (app.session.chosen.size || app.session.track) {
        app.session.chosen = new Set();
        app.session.track = null;
        app.clips.takeChosen();
        app.timeline.redraw();
      }
    },
  });
