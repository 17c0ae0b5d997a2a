// Under the waves of the close-up: the level through the seam, and the time axis.

import { colour } from "../lib/colours.js";

import { waveOf } from "../timeline/waves.js";

/**
 * Draws quiet rooms as large as loud words: one scale for both sides, so that
 * they can be compared.
 * @param {import("./sheet.js").CloseSheet} sheet @param {Clip | undefined} left
 * @param {Clip | undefined} right
 * @param {number} at
 * @param {boolean} [inside] the place lies inside the clip on the left
 */
export function setScale(sheet, left, right, at, inside) {
  let top = 0;
  for (const [c, start] of /** @type {[Clip | undefined, number][]} */ ([
    [left, inside ? (left?.start ?? 0) : at - (left?.length ?? 0)],
    [right, at],
  ])) {
    const src = c && sheet.doc.sources.get(c.source);
    if (!c || !src) continue;
    const a = Math.max(at - sheet.around - start, 0) + c.offset,
      b = Math.min(at + sheet.around - start, c.length) + c.offset;
    top = Math.max(top, sheet.waves.peak(waveOf(src, src.left, sheet.doc), a, b) * 10 ** (c.gainDB / 20));
  }
  const scale = top > 0 ? Math.min(2 ** (Math.floor(Math.log2(0.95 / top) * 2) / 2), 4096) : 2;
  if (scale === sheet.scale) return;
  sheet.scale = scale;
  sheet.dispatchEvent(new Event("scale"));
}

/** The corridor: as far off the straight way between the ends as is allowed. @param {import("./sheet.js").CloseSheet} sheet @param {CanvasRenderingContext2D} g @param {NonNullable<CloseUp["level"]>} level @param {(db: number) => number} y */
function corridor(sheet, g, level, y) {
  const ideal = level.line,
    within = level.within ?? 0;
  if (!ideal || !within) return;
  g.fillStyle = colour.verdigris;
  g.globalAlpha = 0.28;
  g.beginPath();
  ideal.forEach((db, k) => g.lineTo(sheet.x(level.from + k * level.hop), y(db + within)));
  for (let k = ideal.length - 1; k >= 0; k--) g.lineTo(sheet.x(level.from + k * level.hop), y(ideal[k] - within));
  g.fill();
  g.globalAlpha = 1;
}

/** What the lines are, above them, where none runs. @param {CanvasRenderingContext2D} g @param {{top: number, h: number}} row @param {number} w @param {boolean} mended @param {boolean} struck */
function legend(g, row, w, mended, struck) {
  const y = row.top - 4;
  g.font = "11.5px 'Atkinson Next', sans-serif";
  g.fillStyle = colour.ash;
  g.fillText("level through the seam, this track", 14, y);
  if (!mended) return;
  let x = w - 14;
  for (const [text, tint, dash] of /** @type {[string, string, number[]][]} */ ([
    [struck ? "as recorded" : "hard cut", colour.madder, [4, 3]],
    [struck ? "as it sounds" : "with blend", colour.verdigris, []],
  ])) {
    x -= g.measureText(text).width;
    g.fillStyle = g.strokeStyle = tint;
    g.fillText(text, x, y);
    g.lineWidth = 2;
    g.setLineDash(dash);
    g.beginPath();
    g.moveTo(x - 22, y - 4);
    g.lineTo(x - 5, y - 4);
    g.stroke();
    g.setLineDash([]);
    x -= 34;
  }
}

/** @param {import("./sheet.js").CloseSheet} sheet @param {CanvasRenderingContext2D} g @param {{top: number, h: number}} row */
export function drawLevel(sheet, g, row) {
  const w = sheet.box.w,
    level = sheet.info?.level;
  g.fillStyle = colour.paper;
  g.strokeStyle = colour.hem;
  g.lineWidth = 1;
  g.fillRect(14, row.top, w - 28, row.h);
  g.strokeRect(14.5, row.top + 0.5, w - 29, row.h - 1);
  if (!level) return;
  // As large as what there is to see: 1.5 dB shall be seen beside 20.
  const all = [...level.blend, ...level.hard].filter((v) => v > -110),
    most = Math.max(...all, -60),
    least = Math.min(...all, most);
  const top = Math.min(most + 4, 0),
    floor = Math.max(Math.min(least - 4, top - 24), top - 72);
  const y = (/** @type {number} */ db) => row.top + 3 + (row.h - 6) * Math.min(Math.max((top - db) / (top - floor), 0), 1);
  g.save();
  g.beginPath();
  g.rect(14, row.top, w - 28, row.h);
  g.clip();
  const line = (/** @type {number[]} */ v) => {
    g.beginPath();
    v.forEach((db, k) => g.lineTo(sheet.x(level.from + k * level.hop), y(db)));
    g.stroke();
  };
  g.lineWidth = 1.5;
  const mended = Boolean(sheet.info?.blend ?? sheet.info?.strike),
    struck = Boolean(sheet.info?.strike);
  corridor(sheet, g, level, y);
  if (mended) {
    g.setLineDash([4, 3]);
    g.strokeStyle = colour.madder;
    line(level.hard);
    g.setLineDash([]);
  }
  g.lineWidth = 2;
  g.strokeStyle = colour.verdigris;
  line(level.blend);
  g.restore();
  legend(g, row, w, mended, struck);
  g.font = "12px 'Atkinson Next', sans-serif";
}

/** @param {import("./sheet.js").CloseSheet} sheet @param {CanvasRenderingContext2D} g @param {number} at @param {number} y @param {number} h */
export function drawAxis(sheet, g, at, y, h) {
  const rate = sheet.doc.props.sampleRate,
    seconds = sheet.around / rate;
  const step =
    [0.00002, 0.0001, 0.0002, 0.0005, 0.001, 0.002, 0.005, 0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1, 2, 5].find((s) => seconds / s <= 3.2) ?? 5;
  g.font = "12px 'Atkinson Mono', monospace";
  g.fillStyle = colour.ash;
  g.textAlign = "center";
  for (let k = -Math.floor(seconds / step); k * step <= seconds; k++) {
    const x = sheet.x(at + k * step * rate);
    g.fillRect(x, h - 18, 1, 4);
    if (k === 0) continue;
    const v = Math.abs(k * step),
      text = v < 0.001 ? `${(v * 1e6).toFixed(0)} µs` : v < 0.1 ? `${(v * 1000).toFixed(0)} ms` : `${v.toFixed(1)} s`;
    if (x > 34 && x < sheet.box.w - 34) g.fillText(`${k < 0 ? "−" : "+"}${text}`, x, y);
  }
  g.textAlign = "left";
}
