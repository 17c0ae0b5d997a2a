// Other views of the close-up: both waves on one line, and the spectra of both
// sides.

import { colour, hue } from "../lib/colours.js";
import { waveOf } from "../timeline/waves.js";

/**
 * Both waves on one line around the cut, so that their slopes can be matched
 * by eye: what sounds is drawn strongly, the handle beyond faintly.
 * @param {import("./sheet.js").CloseSheet} sheet
 * @param {CanvasRenderingContext2D} g
 * @param {Clip | undefined} left
 * @param {Clip | undefined} right
 */
export function drawOverlay(sheet, g, left, right) {
  const rows = sheet.rows,
    top = rows.out.top,
    h = rows.in.top + rows.in.h - top,
    w = sheet.box.w;
  const at = sheet.info?.at ?? sheet.seam?.at ?? 0,
    blend = sheet.info?.blend;
  g.fillStyle = colour.raised;
  g.fillRect(14, top, w - 28, h);
  g.strokeStyle = colour.hem;
  g.lineWidth = 1;
  g.beginPath();
  g.moveTo(14, top + h / 2);
  g.lineTo(w - 14, top + h / 2);
  g.stroke();
  const perPixel = sheet.around / ((w - 28) / 2);
  const wave = (/** @type {Clip} */ c, /** @type {boolean} */ incoming, /** @type {string} */ tint) => {
    const src = sheet.doc.sources.get(c.source);
    if (!src) return;
    const edge = incoming ? c.start : c.start + c.length,
      start = c.start;
    const sounds = incoming ? [edge - (blend?.before ?? 0), c.start + c.length] : [c.start, edge + (blend?.after ?? 0)];
    const spare = incoming ? [c.start - c.offset, sounds[0]] : [sounds[1], c.start - c.offset + src.length];
    for (const [[a, b], alpha] of /** @type {[number[], number][]} */ ([
      [spare, 0.3],
      [sounds, 0.9],
    ])) {
      const x0 = Math.round(Math.max(sheet.x(a), 14)),
        x1 = Math.round(Math.min(sheet.x(b), w - 14));
      if (x1 <= x0) continue;
      g.globalAlpha = alpha;
      const first = at + ((x0 - 14 - (w - 28) / 2) / ((w - 28) / 2)) * sheet.around;
      sheet.waves.draw(g, waveOf(src, src.left, sheet.doc), {
        from: c.offset + (first - start),
        perPixel,
        x: x0,
        width: x1 - x0,
        mid: top + h / 2,
        half: h / 2 - 4,
        gain: 10 ** (c.gainDB / 20) * sheet.scale,
        colour: tint,
      });
      g.globalAlpha = 1;
    }
  };
  const track = left && sheet.doc.tracks.get(left.track);
  if (left) wave(left, false, track ? hue(track) : colour.woad);
  if (right) wave(right, true, colour.weld);
}

/** The lowest and highest level of the spectrum view, in dBFS. */
const low = -100,
  high = -10;

/**
 * The third-octave levels of both sides: of the room alone as lines, and of
 * the second next to the cut faintly.
 * @param {import("./sheet.js").CloseSheet} sheet
 * @param {CanvasRenderingContext2D} g
 * @param {Spectra | null} spectra
 */
export function drawSpectrum(sheet, g, spectra) {
  const rows = sheet.rows,
    top = rows.out.top,
    bottom = rows.level.top - 8,
    left = 52,
    right = sheet.box.w - 18;
  g.fillStyle = colour.raised;
  g.fillRect(14, top, sheet.box.w - 28, bottom - top);
  g.font = "12px 'Atkinson Next', sans-serif";
  g.fillStyle = colour.ash;
  if (!spectra) {
    g.fillText("Measuring the spectra…", left, top + 22);
    return;
  }
  const n = spectra.centres.length,
    x = (/** @type {number} */ k) => left + ((k + 0.5) / n) * (right - left);
  const y = (/** @type {number} */ db) => top + 8 + (bottom - 24 - top) * Math.min(Math.max((high - db) / (high - low), 0), 1);
  drawGrid(g, spectra, x, y, left, right, bottom);
  const line = (
    /** @type {number[] | undefined} */ v,
    /** @type {string} */ tint,
    /** @type {number} */ alpha,
    /** @type {number[]} */ dash,
  ) => {
    if (!v) return;
    g.globalAlpha = alpha;
    g.strokeStyle = tint;
    g.lineWidth = 2.25;
    g.setLineDash(dash);
    g.beginPath();
    v.forEach((db, k) => g.lineTo(x(k), y(db)));
    g.stroke();
    g.setLineDash([]);
    g.globalAlpha = 1;
  };
  const clip = sheet.doc.clips.get(sheet.seam?.left ?? 0),
    track = clip && sheet.doc.tracks.get(clip.track),
    out = track ? hue(track) : colour.woad;
  line(spectra.out?.all, out, 0.4, [3, 4]);
  line(spectra.in?.all, colour.weld, 0.4, [3, 4]);
  line(spectra.out?.room, out, 1, []);
  line(spectra.in?.room, colour.weld, 1, []);
  drawWords(g, spectra, out, left, top);
}

/** Decibels and frequencies. @param {CanvasRenderingContext2D} g @param {Spectra} spectra @param {(k: number) => number} x @param {(db: number) => number} y @param {number} left @param {number} right @param {number} bottom */
function drawGrid(g, spectra, x, y, left, right, bottom) {
  g.lineWidth = 1;
  g.strokeStyle = colour.hem;
  g.textAlign = "right";
  g.font = "11.5px 'Atkinson Mono', monospace";
  for (let db = -20; db >= -100; db -= 20) {
    g.beginPath();
    g.moveTo(left, y(db));
    g.lineTo(right, y(db));
    g.stroke();
    g.fillText(`−${-db}`, left - 6, y(db) + 4);
  }
  g.textAlign = "center";
  spectra.centres.forEach((hz, k) => {
    if (k % 5 === 0)
      g.fillText(
        hz < 1000 ? String(Math.round(hz / 5) * 5) : `${(hz / 1000).toFixed(hz < 9000 ? 1 : 0).replace(".0", "")}k`,
        x(k),
        bottom - 3,
      );
  });
  g.textAlign = "left";
}

/** What the lines are. @param {CanvasRenderingContext2D} g @param {Spectra} spectra @param {string} out @param {number} left @param {number} top */
function drawWords(g, spectra, out, left, top) {
  g.font = "12px 'Atkinson Next', sans-serif";
  const words = [
    ["room going out", out],
    ["room coming in", colour.weld],
  ];
  let at = left + 10;
  for (const [text, tint] of words) {
    g.fillStyle = tint;
    g.fillRect(at, top + 14, 14, 3);
    g.fillStyle = colour.ink;
    g.fillText(text, at + 19, top + 20);
    at += g.measureText(text).width + 34;
  }
  g.fillStyle = colour.ash;
  g.fillText(
    `dashed: the second next to the cut${spectra.distance === undefined ? "" : ` · the rooms differ in colour by ${spectra.distance.toFixed(1)} dB`}`,
    at + 4,
    top + 20,
  );
}
