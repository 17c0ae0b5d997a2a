// The tag on a clip that tells its gain and is dragged to change it.

import { Rehearsal } from "../app/rehearsal.js";
import { decibels } from "../lib/decibels.js";
import { cloth, colour, hue } from "../lib/colours.js";
import { showTried } from "../timeline/drags.js";
import { ribbon } from "../timeline/sheet.js";

/** @typedef {import("../timeline/timeline.js").Timeline} Timeline */

const wide = 44,
  high = 15,
  /** dB a pixel. */
  perPixel = 0.1;

/** Where the tag of a clip lies; null where there is no room for one. @param {import("../timeline/sheet.js").Sheet} sheet @param {Clip} c @param {number} top @param {number} height */
function place(sheet, c, top, height) {
  const x0 = Math.max(sheet.x(c.start), 0),
    x1 = Math.min(sheet.x(c.start + c.length), sheet.width);
  if (height < 46 || x1 - x0 < wide + 24 || sheet.doc.shows(c)) return null;
  return { x: x0 + 10, y: top + height - ribbon - high - 2 };
}

/** Clips that are chosen wear a tag, and those that have a gain. @param {import("../timeline/sheet.js").Sheet} sheet @param {Clip} c */
const worn = (sheet, c) => sheet.chosen.has(c.id) || Math.abs(c.gainDB) >= 0.05;

/** @param {import("../timeline/lanes.js").Lanes} sheet @param {CanvasRenderingContext2D} g @param {Track} t @param {Clip} c @param {number} top @param {number} height */
export function drawGainTag(sheet, g, t, c, top, height) {
  const at = worn(sheet, c) && place(sheet, c, top, height);
  if (!at) return;
  g.save();
  g.font = "600 11px 'Atkinson Mono', monospace";
  g.fillStyle = cloth(t);
  g.strokeStyle = hue(t);
  g.lineWidth = 1;
  g.beginPath();
  g.roundRect(at.x + 0.5, at.y + 0.5, wide - 1, high - 1, 3);
  g.fill();
  g.stroke();
  g.fillStyle = colour.ink;
  g.textAlign = "center";
  g.fillText(decibels(c.gainDB), at.x + wide / 2, at.y + 11);
  g.restore();
}

/** Whether a point of a clip lies on its tag. @param {import("../timeline/sheet.js").Sheet} sheet @param {Clip} c @param {number} top @param {number} height @param {number} x @param {number} y */
export function onGainTag(sheet, c, top, height, x, y) {
  const at = worn(sheet, c) && place(sheet, c, top, height);
  return Boolean(at && x >= at.x && x <= at.x + wide && y >= at.y - 1 && y <= at.y + high + 1);
}

/** Raises and lowers a clip, or all that are chosen with it; with ctrl in hundredths. @param {Timeline} t @param {PointerEvent} e @param {Clip} clip */
export function dragGain(t, e, clip) {
  const ids = t.chosen.has(clip.id) ? [...t.chosen].filter((id) => !t.doc.shows(/** @type {Clip} */ (t.doc.clips.get(id)))) : [clip.id];
  let from = t.point(e).y,
    here = t.point(e),
    by = 0;
  const rehearsal = new Rehearsal(t.doc, (r) => showTried(t, r, here), true);
  let fine = false;
  t.drag(
    e,
    t.parts.lanes,
    (m) => {
      here = t.point(m);
      const now = m.ctrlKey || m.metaKey;
      if (now !== fine) [fine, from] = [now, here.y + by / (now ? perPixel / 10 : perPixel)]; // it goes on from where it is
      const raw = (from - here.y) * (fine ? perPixel / 10 : perPixel);
      by = Math.round(raw * (fine ? 100 : 10)) / (fine ? 100 : 10);
      t.parts.lanes.style.cursor = "ns-resize";
      rehearsal.try("gain", { clips: ids, byDB: by });
    },
    (moved, kept) => {
      rehearsal.end();
      t.words = null;
      t.rehearse(null);
      if (!moved && kept) t.choose(clip, e.shiftKey);
      else if (kept && by)
        t.dispatchEvent(new CustomEvent("edit", { detail: { kind: "gain", what: { clips: ids, byDB: by }, nearest: true } }));
    },
  );
}
