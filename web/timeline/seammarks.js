// The marks of seams: a knot for each, stitches where a blend joins two clips.

import { colour } from "../lib/colours.js";
import { tab } from "./sheet.js";

/** Height of a clip's ribbon, its lower strip. */

/** A blend is drawn as stitches across the two strips. @param {import("./lanes.js").Lanes} sheet @param {CanvasRenderingContext2D} g @param {number} cut @param {Blend} b @param {number} top @param {number} height */
export function drawStitches(sheet, g, cut, b, top, height) {
  const a = sheet.x(cut - b.before),
    z = sheet.x(cut + b.after);
  if (z < 0 || a > sheet.width) return;
  g.fillStyle = colour.raised;
  g.globalAlpha = 0.55;
  g.fillRect(a, top + tab, Math.max(z - a, 2), height - tab);
  g.globalAlpha = 1;
  g.strokeStyle = colour.ink;
  g.lineWidth = 1.5;
  g.beginPath();
  const n = Math.min(Math.max(Math.round((z - a) / 9), 3), 40),
    step = Math.max((z - a) / n, 3),
    mid = (a + z) / 2 - (step * (n - 1)) / 2;
  for (let k = 0; k < n; k++) {
    const x = mid + k * step;
    g.moveTo(x - 1.8, top + height - 4);
    g.lineTo(x + 1.8, top + height - 11);
  }
  g.stroke();
}

/** @param {import("./lanes.js").Lanes} sheet @param {CanvasRenderingContext2D} g @param {Seam} s @param {number} top @param {number} height */
export function drawKnot(sheet, g, s, top, height) {
  const x = sheet.x(s.at),
    y = top + tab + (height - tab) / 2;
  const mine = sheet.seam && s.left === sheet.seam.left && s.right === sheet.seam.right;
  // An open end is marked smaller than a cut, and lies on its own clip. What a
  // seam asks for is told by shape: round is fine, a ring not known, a diamond to check, a triangle to mend.
  const open = s.kind !== "cut",
    asks = s.accepted ? "fine" : s.verdict,
    half = (open ? 3 : 4.5) + (asks === "mend" ? 1.5 : asks === "check" ? 1 : 0);
  g.strokeStyle =
    asks === "mend"
      ? colour.madder
      : asks === "check"
        ? colour.weld
        : open || !asks || asks === "muted"
          ? colour.ash
          : asks === "unknown"
            ? colour.ink
            : colour.verdigris;
  g.lineWidth = 1.5;
  if (!s.blend && !open) {
    g.beginPath();
    g.moveTo(x, top);
    g.lineTo(x, top + height);
    g.stroke();
  }
  g.fillStyle = s.blend && (!asks || asks === "fine") ? g.strokeStyle : colour.raised;
  g.lineWidth = asks === "fine" || !asks ? 1.5 : 2;
  g.beginPath();
  if (asks === "mend") {
    g.moveTo(x, y - half);
    g.lineTo(x + half, y + half * 0.85);
    g.lineTo(x - half, y + half * 0.85);
    g.closePath();
  } else if (asks === "check") {
    g.moveTo(x, y - half);
    g.lineTo(x + half, y);
    g.lineTo(x, y + half);
    g.lineTo(x - half, y);
    g.closePath();
  } else if (asks) g.arc(x, y, half, 0, 7);
  else g.roundRect(x - half, y - half, 2 * half, 2 * half, 2);
  g.fill();
  g.stroke();
  if (mine) {
    g.strokeStyle = colour.teal;
    g.lineWidth = 2;
    g.beginPath();
    g.roundRect(x - 8, y - 8, 16, 16, 4);
    g.stroke();
  }
}
