// One side of a seam in the close-up: its wave, what lies beyond its edge, and the
// gain that a blend gives it.

import { cloth, colour } from "../lib/colours.js";
import { span as say } from "../lib/timecode.js";
import { waveOf } from "../timeline/waves.js";

/** @param {import("./sheet.js").CloseSheet} sheet @param {CanvasRenderingContext2D} g @param {{top: number, h: number}} row @param {string} text */
export function empty(sheet, g, row, text) {
  g.strokeStyle = colour.hem;
  g.lineWidth = 1.5;
  g.setLineDash([6, 5]);
  g.strokeRect(14, row.top, sheet.box.w - 28, row.h);
  g.setLineDash([]);
  g.fillStyle = colour.ash;
  g.textAlign = "center";
  g.fillText(text, sheet.box.w / 2, row.top + row.h / 2 + 4);
  g.textAlign = "left";
}

/**
 * One clip: its own stretch, the part that the blend borrows, and faintly
 * the handle beyond.
 * @param {import("./sheet.js").CloseSheet} sheet @param {CanvasRenderingContext2D} g
 * @param {Clip} c
 * @param {number} at
 * @param {{top: number, h: number}} row
 * @param {string} tint
 * @param {number} borrowed samples beyond the cut that the blend plays
 * @param {boolean} incoming
 */
export function drawSide(sheet, g, c, at, row, tint, borrowed, incoming) {
  const src = sheet.doc.sources.get(c.source);
  if (!src) return;
  // While an edit is tried the two need not meet at the cut.
  if (sheet.lie) at = incoming ? c.start : c.start + c.length;
  const start = incoming ? at : at - c.length,
    w = sheet.box.w,
    track = sheet.doc.tracks.get(c.track);
  const own = incoming ? [at, at + c.length] : [at - c.length, at];
  const lent = incoming ? [at - borrowed, at] : [at, at + borrowed];
  const spare = incoming ? [at - c.offset, at - borrowed] : [at + borrowed, at + (src.length - c.offset - c.length)];
  const rect = (/** @type {number[]} */ [a, b], /** @type {number} */ alpha) => {
    const x0 = Math.max(sheet.x(a), 14),
      x1 = Math.min(sheet.x(b), w - 14);
    if (x1 <= x0) return;
    g.globalAlpha = alpha;
    g.fillStyle = incoming ? colour["weld-cloth"] : track ? cloth(track) : colour.lane;
    g.fillRect(x0, row.top, x1 - x0, row.h);
    g.globalAlpha = 1;
  };
  rect(own, 1);
  rect(lent, 0.7);
  rect(spare, 0.35);
  const perPixel = sheet.around / ((w - 28) / 2);
  const wave = (/** @type {number[]} */ [a, b], /** @type {number} */ alpha) => {
    const x0 = Math.round(Math.max(sheet.x(a), 14)),
      x1 = Math.round(Math.min(sheet.x(b), w - 14));
    if (x1 <= x0) return;
    g.globalAlpha = alpha;
    const channels = src.right >= 0 ? [src.left, src.right] : [src.left],
      each = row.h / channels.length;
    const first = (sheet.info?.at ?? at) + ((x0 - 14 - (w - 28) / 2) / ((w - 28) / 2)) * sheet.around;
    channels.forEach((channel, k) =>
      sheet.waves.draw(g, waveOf(src, channel, sheet.doc), {
        from: c.offset + (first - start),
        perPixel,
        x: x0,
        width: x1 - x0,
        mid: row.top + each * (k + 0.5),
        half: each / 2 - 2,
        gain: 10 ** (c.gainDB / 20) * sheet.scale,
        colour: tint,
      }),
    );
    g.globalAlpha = 1;
  };
  wave(own, 1);
  wave(lent, 0.85);
  wave(spare, 0.28);
  drawHandle(sheet, g, {
    row,
    incoming,
    spare,
    borrowed,
    name: g.measureText(`coming in · ${c.name}`).width,
    bed: Boolean(src.bed),
    material: incoming ? c.offset : src.length - c.offset - c.length,
  });
}

/**
 * How much material there is beyond the edge, in the band beside the wave, and where it ends, if that can be seen.
 * @param {import("./sheet.js").CloseSheet} sheet
 * @param {CanvasRenderingContext2D} g
 * @param {{row: {top: number, h: number}, incoming: boolean, spare: number[], borrowed: number, name: number, bed: boolean, material: number}} it
 */
function drawHandle(sheet, g, { row, incoming, spare, borrowed, name, bed, material }) {
  const w = sheet.box.w,
    text = bed ? "generated, any length" : material ? `handle ${say(material, sheet.doc.props)}` : "no handle",
    tw = g.measureText(text).width;
  g.fillStyle = colour.ash;
  if (spare[1] > spare[0] || borrowed === 0) {
    let x = incoming ? Math.min(sheet.x(spare[1]) - tw - 8, w - 28 - tw) : Math.min(Math.max(sheet.x(spare[0]) + 8, 18), w - 28 - tw);
    // Where the name of the clip stands it goes to the other side of the cut.
    if (incoming && x < name + 26) x = Math.max(sheet.x(spare[1]) + 8, name + 26);
    g.fillText(text, x, incoming ? row.top + row.h + 13 : row.top - 5);
  }
  const x = sheet.x(incoming ? spare[0] : spare[1]);
  if (x <= 14 || x >= w - 14) return;
  g.strokeStyle = colour.hem;
  g.lineWidth = 2;
  g.beginPath();
  g.moveTo(x, row.top);
  g.lineTo(x, row.top + row.h);
  g.stroke();
}

/** @param {CanvasRenderingContext2D} g @param {string} text @param {number} x @param {number} y */
export function label(g, text, x, y) {
  g.fillStyle = colour.ink;
  g.fillText(text, x, y);
}

/** @param {import("./sheet.js").CloseSheet} sheet @param {CanvasRenderingContext2D} g @param {number[]} v @param {number} from @param {number} to @param {{top: number, h: number}} row */
export function drawCurve(sheet, g, v, from, to, row) {
  g.strokeStyle = colour.ink;
  g.lineWidth = 2.25;
  g.beginPath();
  for (let k = 0; k < v.length; k++) g.lineTo(sheet.x(from + ((to - from) * k) / (v.length - 1)), row.top + 2 + (row.h - 4) * (1 - v[k]));
  g.stroke();
}
