// How what is struck is drawn: hatched through, on the cloth of room tone where
// tone covers it, on bare linen where nothing does; in the colour of a warning
// unless what lies under it on other tracks makes it fine.

import { colour } from "../lib/colours.js";

/**
 * @param {CanvasRenderingContext2D} g
 * @param {{outer: number[], inner: number[], y: number, h: number, covered: boolean, atEase: boolean, lowered: boolean, mine: boolean}} o
 *   outer and inner: from where to where its fades, and it itself, reach
 */
export function strikeCloth(g, { outer, inner, y, h, covered, atEase, lowered, mine }) {
  const thread = covered ? colour.moss : atEase ? colour.ash : colour.madder,
    [a, b] = inner,
    w = Math.max(b - a, 1);
  g.save();
  g.beginPath();
  // The fades are the slopes at both ends.
  g.moveTo(outer[0], y);
  g.lineTo(a, y + h);
  g.lineTo(a + w, y + h);
  g.lineTo(Math.max(outer[1], a + w), y);
  g.closePath();
  g.clip();
  g.globalAlpha = lowered ? 0.45 : 0.82;
  g.fillStyle = covered ? colour["moss-cloth"] : colour.linen;
  g.fillRect(outer[0], y, outer[1] - outer[0], h);
  g.globalAlpha = 1;
  g.strokeStyle = thread;
  g.globalAlpha = covered ? 0.55 : 0.5;
  g.lineWidth = 1;
  g.beginPath();
  const from = Math.max(outer[0], -h) - h,
    to = Math.min(outer[1], 6000);
  for (let x = Math.floor(from / 7) * 7; x < to; x += 7) {
    g.moveTo(x, y + h);
    g.lineTo(x + h, y);
  }
  g.stroke();
  g.restore();
  g.strokeStyle = mine ? colour.teal : thread;
  g.lineWidth = mine ? 2 : 1.25;
  g.beginPath();
  g.moveTo(outer[0], y);
  g.lineTo(a, y + h);
  g.moveTo(outer[1], y);
  g.lineTo(a + w, y + h);
  g.stroke();
}
