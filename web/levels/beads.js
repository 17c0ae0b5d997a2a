// Drags of gain lines: a bead in time and level, a stretch of thread up and down, a
// box around beads.

import { Rehearsal } from "../app/rehearsal.js";
import { showTried } from "../timeline/drags.js";
import { beadsIn } from "./thread.js";

/** @typedef {import("../timeline/timeline.js").Timeline} Timeline */
/** @typedef {import("./thread.js").Thread} Thread */

/** dB a pixel. */
const perPixel = 0.2;

/**
 * Moves points with the pointer: shift keeps to time or to level, ctrl is fine and does not snap.
 * @param {Timeline} t @param {PointerEvent} e @param {number[]} ids @param {{at: number, free: boolean}} o where the point lies that is held, and whether it can go along
 * @param {() => void} click what happens when nothing was dragged
 */
function dragPoints(t, e, ids, o, click) {
  const begin = t.point(e);
  let here = begin,
    by = 0,
    byDB = 0;
  const rehearsal = new Rehearsal(t.doc, (r) => showTried(t, r, here), true);
  t.drag(
    e,
    t.parts.lanes,
    (m) => {
      here = t.point(m);
      const fine = m.ctrlKey || m.metaKey,
        dx = here.x - begin.x,
        dy = begin.y - here.y,
        across = !m.shiftKey || Math.abs(dx) > Math.abs(dy),
        along = !m.shiftKey || !across;
      by = !o.free || !across ? 0 : Math.round(dx * t.perPixel * (fine ? 0.1 : 1));
      if (by && !fine) by = Math.round(t.snapAt(o.at + by, m)) - o.at;
      if (by && Math.abs(dx) < 4 && !m.shiftKey) by = 0; // a hand that goes up does not go aside
      // To a tenth of a dB; finely a tenth of the way, to a hundredth.
      byDB = along ? Math.round(dy * perPixel * 10) / (fine ? 100 : 10) : 0;
      t.parts.lanes.style.cursor = "grabbing";
      rehearsal.try("movePoints", { points: ids, by, byDB });
    },
    (moved, kept) => {
      rehearsal.end();
      t.words = null;
      t.rehearse(null);
      if (!moved && kept) click();
      else if (kept && (by || byDB))
        t.dispatchEvent(new CustomEvent("edit", { detail: { kind: "movePoints", what: { points: ids, by, byDB }, nearest: true } }));
    },
  );
}

/** Takes hold of a bead; those that are chosen with it go along. @param {Timeline} t @param {PointerEvent} e @param {Thread} line @param {Point} p */
export function dragBead(t, e, line, p) {
  const chosen = t.session.points;
  if (!chosen.has(p.id)) t.dispatchEvent(new CustomEvent("choose-points", { detail: e.shiftKey ? [...chosen, p.id] : [p.id] }));
  const ids = [...t.session.points];
  dragPoints(t, e, ids, { at: p.at + line.shift, free: true }, () => {
    if (chosen.has(p.id))
      t.dispatchEvent(new CustomEvent("choose-points", { detail: e.shiftKey ? ids.filter((id) => id !== p.id) : [p.id] }));
  });
}

/** Takes hold of a thread between its beads: a click adds one there, a drag raises or lowers the stretch. Of one without beads a drag boxes. @param {Timeline} t @param {PointerEvent} e @param {Thread} line */
export function dragThread(t, e, line) {
  const at = Math.round(t.placeOf(e) - line.shift),
    i = line.points.findIndex((p) => p.at > at),
    ends = i < 0 ? line.points.slice(-1) : line.points.slice(Math.max(i - 1, 0), i + 1);
  const add = () => {
    const on = line.clip ? { clip: line.on } : { track: Math.abs(line.on), ...(line.on < 0 ? { duck: true } : {}) };
    t.dispatchEvent(new CustomEvent("add-point", { detail: { ...on, at } }));
  };
  if (!ends.length) return boxBeads(t, e, add);
  dragPoints(
    t,
    e,
    ends.map((p) => p.id),
    { at: 0, free: false },
    add,
  );
}

/** Chooses the beads that a box holds. @param {Timeline} t @param {PointerEvent} e @param {() => void} [click] what happens when nothing was dragged */
export function boxBeads(t, e, click) {
  const start = t.point(e),
    was = [...t.session.points];
  t.drag(
    e,
    t.parts.lanes,
    (m) => {
      const pt = t.point(m);
      t.box = { x0: start.x, y0: start.y, x1: pt.x, y1: pt.y };
      const found = beadsIn(t, t.box);
      t.session.points = new Set([...(m.shiftKey ? was : []), ...found]);
      t.hint(`${found.length} ${found.length === 1 ? "point" : "points"} in the box`);
    },
    (moved, kept) => {
      t.box = null;
      if (!moved && kept && click) click();
      else t.dispatchEvent(new CustomEvent("choose-points", { detail: kept && moved ? [...t.session.points] : was }));
    },
  );
}
