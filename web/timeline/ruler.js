// The ruler above the tracks with its markers, and the bar that scrolls them.

import { colour } from "../lib/colours.js";

import { at as timecode, frameLength, frameOf, sampleOf } from "../lib/timecode.js";

/** Height of a clip's ribbon, its lower strip. */

/** @param {import("./lanes.js").Lanes} sheet @param {CanvasRenderingContext2D} g @param {number} w */
export function drawRuler(sheet, g, w) {
  const p = sheet.doc.props,
    fps = Math.round(p.frameRate.num / p.frameRate.den);
  const steps = [
    1,
    2,
    5,
    10,
    fps,
    2 * fps,
    5 * fps,
    10 * fps,
    20 * fps,
    30 * fps,
    60 * fps,
    120 * fps,
    300 * fps,
    600 * fps,
    1800 * fps,
    3600 * fps,
  ].filter((s, i, all) => i === 0 || s > all[i - 1]);
  const perFrame = frameLength(p) / sheet.perPixel;
  const step = steps.find((s) => s * perFrame >= 92) ?? 7200 * fps;
  g.font = "12px 'Atkinson Mono', monospace";
  g.fillStyle = colour.ash;
  const first = Math.floor(frameOf(sheet.sample(0), p) / step) * step;
  for (let n = first; ; n += step) {
    const x = sheet.x(sampleOf(n, p));
    if (x > w) break;
    g.fillRect(Math.round(x), 18, 1, 8);
    for (let k = 1; k < 4; k++) g.fillRect(Math.round(x + (k * step * perFrame) / 4), 22, 1, 4);
    if (n >= 0) g.fillText(sheet.perPixel < 4000 ? timecode(sampleOf(n, p), p).slice(3) : timecode(sampleOf(n, p), p), x + 4, 12);
  }
  drawMarkers(sheet, g, w);
}

/** Flags of the markers, with their words where there is room. @param {import("./lanes.js").Lanes} sheet @param {CanvasRenderingContext2D} g @param {number} w */
export function drawMarkers(sheet, g, w) {
  const marks = [...sheet.lie.markers.values()].sort((a, b) => a.at - b.at);
  g.font = "11.5px 'Atkinson Next', sans-serif";
  marks.forEach((m, i) => {
    const x = Math.round(sheet.x(m.at)),
      next = marks[i + 1] ? sheet.x(marks[i + 1].at) : w;
    if (x < -200 || x > w) return;
    g.fillStyle = colour.plum;
    g.beginPath();
    g.moveTo(x, 26);
    g.lineTo(x, 14);
    g.lineTo(x + 8, 17.5);
    g.lineTo(x + 1.5, 21);
    g.lineTo(x + 1.5, 26);
    g.fill();
    const room = Math.min(next - x - 14, 150);
    if (room < 18) return;
    g.save();
    g.beginPath();
    g.rect(x + 10, 13, room, 13);
    g.clip();
    const tw = Math.min(g.measureText(m.text).width, room);
    g.fillStyle = colour.linen;
    g.fillRect(x + 10, 13, tw + 2, 13);
    g.fillStyle = colour.plum;
    g.fillText(m.text, x + 11, 23.5);
    g.restore();
  });
}

/** @param {import("./lanes.js").Lanes} sheet */
export function drawScroll(sheet) {
  const thumb = /** @type {HTMLElement} */ (sheet.parts.scroll.firstElementChild),
    w = sheet.parts.scroll.clientWidth;
  const size = Math.min(1, (sheet.width * sheet.perPixel) / sheet.end);
  thumb.style.width = `${Math.max(size * w, 14)}px`;
  thumb.style.transform = `translateX(${Math.min(Math.max(sheet.from / sheet.end, 0), 1 - size) * w}px)`;
}
