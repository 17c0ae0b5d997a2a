// The menu under the other mouse button: what can be done where the pointer is.

import { menuAt } from "./commands/registry.js";
import { el, panel } from "../lib/panel.js";

/** @param {import("./app.js").App} app */
export const menus = (app) =>
  panel({
    /** @type {{x: number, y: number, items: {id: string, text: string, key: string}[]} | null} */
    open: null,

    /** Opens the menu at a point of the timeline; the playhead goes there, so that every command means this place. @param {{clip?: Clip, track?: Track, at: number, x: number, y: number}} place */
    openMenu({ clip, track, at, x, y }) {
      if (clip && !app.session.chosen.has(clip.id)) app.clips.chooseClip(clip);
      if (!clip) app.clips.chooseClips([]);
      if (track) {
        if (!app.session.working.has(track.id)) app.session.working = new Set([track.id]);
        app.act.takeWorking();
      }
      app.listen.seek(at);
      const items = menuAt(app, { clip, track }).map(({ id, text }) => ({ id, text, key: app.keys.keyOf(id) }));
      this.open = { x: Math.min(x, innerWidth - 290), y: Math.min(y, innerHeight - items.length * 28 - 40), items };
      Alpine.nextTick(() => setTimeout(() => el("menu")?.querySelector("button")?.focus()));
    },
    closeMenu() {
      if (!this.open) return;
      this.open = null;
      app.timeline.parts.tracks.focus({ preventScroll: true });
    },
    /** @param {string} id */
    pick(id) {
      this.closeMenu();
      app.keys.run(id);
    },
    /** Up and down go along the menu. @param {number} by */
    alongMenu(by) {
      const items = [...el("menu").querySelectorAll("button")],
        i = items.indexOf(document.activeElement);
      items[(i + by + items.length) % items.length].focus();
    },
  });
