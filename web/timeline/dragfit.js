// An end of a clip is dragged to where its sound, or its picture, is to come: slower or faster. What
// is tied to a shot runs with it, unless alt was held when it was taken.

import { dragBy } from "./drags.js";
import { soundsWith } from "./fit.js";

/** @typedef {import("./timeline.js").Timeline} Timeline */

/** Plays a clip slower or faster, its pitch kept, so that an end comes to another place. @param {Timeline} t @param {PointerEvent} e @param {Clip} clip @param {"head" | "tail"} end */
export function dragFit(t, e, clip, end) {
  const base = end === "head" ? clip.start : clip.start + clip.length,
    but = new Set([clip.id]),
    withSound = !e.altKey && soundsWith(t.doc, clip).length > 0;
  t.choose(clip, false);
  dragBy(t, e, {
    kind: !t.doc.shows(clip) ? "fit" : withSound ? "fitShot" : "paceShot",
    cursor: "ew-resize",
    by: (raw, m) => t.snapAt(base + raw, m, but) - base,
    what: (by, m) => {
      const length = Math.max(clip.length + (end === "tail" ? by : -by), 1),
        later = t.laterOf(m);
      return t.doc.shows(clip) ? { shot: clip.id, length, later } : { clip: clip.id, end, length, later };
    },
    click: () => {},
  });
}
