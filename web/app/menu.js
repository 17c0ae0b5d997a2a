// The menu under the other mouse button: what can be done where the pointer is.

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
      const ids = clip
        ? [
            "split",
            "headHere",
            "tailHere",
            ...(app.strike.strikeHere() ? ["cover", "lift"] : []),
            "copy",
            "cut",
            "takeOut",
            "takeOutOther",
            "source",
            "paste",
            "marker",
            "chooseAfter",
          ]
        : ["paste", "closeGap", "cover", ...(app.session.source ? ["fillIn", "fillOut"] : []), "spanClip", "marker", "chooseAfter"];
      if (clip && app.mend.pairOver()) ids.unshift("blend");
      /** @type {Record<string, string>} */
      const words = {
        cover: clip ? "Cover the strike here" : "Fill this gap with room tone",
        lift: "Restore the strike here",
        blend: "Blend the two over their tracks",
        split: "Split here",
        headHere: "Head of the clip to here",
        tailHere: "Tail of the clip to here",
        copy: "Copy",
        cut: "Cut",
        source: "Go to its source",
        takeOut: app.session.later === "stay" ? "Remove, leave the gap" : "Remove and close the gap",
        takeOutOther: app.session.later === "stay" ? "Remove and close the gap" : "Remove, leave the gap",
        paste: "Paste here",
        marker: "Marker here",
        chooseAfter: "Select all clips after this",
        closeGap: "Close this gap",
        fillIn: "Fill this gap from the in point",
        fillOut: "Fill this gap up to the out point",
        spanClip: "Mark this gap as a span",
      };
      this.open = {
        x: Math.min(x, innerWidth - 290),
        y: Math.min(y, innerHeight - ids.length * 28 - 40),
        items: ids.map((id) => ({ id, text: words[id], key: app.keys.keyOf(id) })),
      };
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
