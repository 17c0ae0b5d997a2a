// Moves that several commands make, by frames and milliseconds.

import { frameLength, frameOf, sampleOf } from "../../lib/timecode.js";

/** @typedef {import("../app.js").App} App */

/** Moves the playhead by frames. @param {App} app @param {number} n */
export function step(app, n) {
  const p = app.doc.props;
  app.listen.seek(sampleOf(Math.max(frameOf(Math.round(app.timeline.playhead), p) + n, 0), p));
}

/** Moves what the trim keys act on by frames. @param {App} app @param {number} n */
export const nudge = (app, n) => void app.act.nudge(Math.round(n * frameLength(app.doc.props)));

/** The same by milliseconds. @param {App} app @param {number} n */
export const nudgeMs = (app, n) => void app.act.nudge(Math.round((n * app.doc.props.sampleRate) / 1000));
