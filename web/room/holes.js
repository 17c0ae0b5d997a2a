// The room through the whole reel: the strip above the tracks, and the holes.

import { get } from "../app/api.js";
import { shortAt, span } from "../lib/timecode.js";

/** Milliseconds without an edit after which the room is listened to. */
const rest = 600;
/** @type {ReturnType<typeof setTimeout> | undefined} */
let resting;

/**
 * @param {import("../app/bench.js").Tools} tools
 * @returns {object & ThisType<any>}
 */
export const holes = (tools) => ({
  holeCount: 0,
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
      const c = /** @type {Continuity} */ (await get(`/reels/${tools.doc.id}/continuity`));
      tools.strip.take(c);
      this.holeCount = c.holes.length;
    } catch {
      // the line tells when the server is away
    }
    const again = this.listening === "again";
    this.listening = false;
    if (again) this.wantContinuity();
  },
  holesText() {
    return this.holeCount ? `${this.holeCount} ${this.holeCount === 1 ? "hole" : "holes"}` : "no holes";
  },
  /** To the next or previous hole, and round again. @param {number} by */
  stepHole(by) {
    const list = tools.strip.holes, at = Math.round(tools.timeline.playhead);
    if (!list.length) {
      this.tell("No hole: no digital silence in the programme.");
      return;
    }
    const next = by > 0 ? list.find((h) => h[0] > at) ?? list[0] : list.findLast((h) => h[0] < at) ?? list[list.length - 1];
    const rate = tools.doc.props.sampleRate;
    this.seek(next[0]);
    tools.timeline.show(next[0] - rate, next[1] + rate);
    // The seam at which it begins is chosen, so that it can be mended where one is.
    const s = tools.doc.seams.filter((o) => Math.abs(o.at - next[0]) < rate / 50).sort((a, b) => Math.abs(a.at - next[0]) - Math.abs(b.at - next[0]))[0];
    if (s) this.chooseSeam(s, undefined, true);
    this.hint = `Digital silence for ${span(next[1] - next[0], tools.doc.props)} from ${shortAt(next[0], tools.doc.props)} on; ${this.keyOf("cover")} covers it`;
  },
});
