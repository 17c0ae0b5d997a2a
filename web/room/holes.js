// The room through the whole reel: the strip above the tracks, and the holes.

import { panel } from "../lib/panel.js";
import { get } from "../app/api.js";
import { shortAt, span } from "../lib/timecode.js";

/** Milliseconds without an edit after which the room is listened to. */
const rest = 600;
/** @type {ReturnType<typeof setTimeout> | undefined} */
let resting;

/** @param {import("../app/app.js").App} app */
export const holes = (app) =>
  panel({
    holeCount: 0,
    /** @type {boolean | "again"} */
    listening: false,

    /** Has the room listened to anew, once one has stopped working for a moment: it takes rendering what was touched. */
    wantContinuity() {
      clearTimeout(resting);
      resting = setTimeout(() => void this.readContinuity(), rest);
    },
    /** Reads how the room goes on, unless a newer reading is under way. */
    async readContinuity() {
      if (this.listening) {
        this.listening = "again";
        return;
      }
      this.listening = true;
      try {
        const c = /** @type {Continuity} */ (await get(`/reels/${app.doc.id}/continuity`));
        app.strip.take(c);
        this.holeCount = c.holes.length;
      } catch {
        // the line tells when the server is away
      }
      const again = /** @type {unknown} */ (this.listening) === "again";
      this.listening = false;
      if (again) this.wantContinuity();
    },
    holesText() {
      return this.holeCount ? `${this.holeCount} ${this.holeCount === 1 ? "hole" : "holes"}` : "no holes";
    },
    /** To the next or previous hole, and round again. @param {number} by */
    stepHole(by) {
      const list = app.strip.holes,
        at = Math.round(app.timeline.playhead);
      if (!list.length) {
        app.page.tell("No hole: no digital silence in the programme.");
        return;
      }
      const next = by > 0 ? (list.find((h) => h[0] > at) ?? list[0]) : (list.findLast((h) => h[0] < at) ?? list[list.length - 1]);
      const rate = app.doc.props.sampleRate;
      app.listen.seek(next[0]);
      app.timeline.show(next[0] - rate, next[1] + rate);
      // The seam at which it begins is chosen, so that it can be mended where one is.
      const s = app.doc.seams
        .filter((o) => Math.abs(o.at - next[0]) < rate / 50)
        .sort((a, b) => Math.abs(a.at - next[0]) - Math.abs(b.at - next[0]))[0];
      if (s) app.ledger.chooseSeam(s, undefined, true);
      app.page.hint = `Digital silence for ${span(next[1] - next[0], app.doc.props)} from ${shortAt(next[0], app.doc.props)} on; ${app.keys.keyOf("cover")} covers it`;
    },
  });
