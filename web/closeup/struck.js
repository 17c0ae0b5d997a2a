// The close-up of a struck span: the clip above, hatched where it is struck,
// the tone that covers it below; over both how much is heard of each.

import { setScale, drawLevel, drawAxis } from "./level.js";
import { label } from "./side.js";
import { cloth, colour, hue } from "../lib/colours.js";
import { strikeCloth } from "../timeline/struck.js";
import { span as say } from "../lib/timecode.js";
import { waveOf } from "../timeline/waves.js";

/** The struck span that is shown, and its clip. @param {import("./sheet.js").CloseSheet} sheet */
export function shown(sheet) {
  const s = sheet.seam,
    lie = sheet.lie ?? sheet.doc;
  const strike = sheet.info?.strike ?? (s ? lie.strikes.get(s.right) : undefined),
    clip = s ? lie.clips.get(s.left) : undefined;
  return strike && clip ? { strike, clip, at: clip.start - clip.offset } : null;
}

/** Grips of its edges and fades. @param {import("./sheet.js").CloseSheet} sheet @returns {[string, number][]} */
export function struckGrips(sheet) {
  const it = shown(sheet);
  if (!it) return [];
  const { strike: k, at } = it,
    from = sheet.x(k.from + at),
    to = sheet.x(k.to + at);
  return [
    ["from", from],
    ["to", to],
    ["fall", Math.min(sheet.x(k.from - k.fall.length + at), from - 12)],
    ["rise", Math.max(sheet.x(k.to + k.rise.length + at), to + 12)],
  ];
}

/** From where to where a stretch is in sight. @param {import("./sheet.js").CloseSheet} sheet @param {number} a @param {number} z */
const box = (sheet, a, z) => [Math.max(sheet.x(a), 14), Math.min(sheet.x(z), sheet.box.w - 14)];

/**
 * The wave of a stretch of a source that lies so many samples later in the reel.
 * @param {import("./sheet.js").CloseSheet} sheet
 * @param {CanvasRenderingContext2D} g
 * @param {number} at
 * @param {{of: Source, from: number, to: number, row: {top: number, h: number}, tint: string, gain: number}} part
 */
function drawPart(sheet, g, at, { of, from, to, row, tint, gain }) {
  const [x0, x1] = box(sheet, from, to).map(Math.round),
    half = (sheet.box.w - 28) / 2;
  if (x1 <= x0) return;
  sheet.waves.draw(g, waveOf(of, of.left, sheet.doc), {
    from: (sheet.info?.at ?? 0) + ((x0 - 14 - half) / half) * sheet.around - at,
    perPixel: sheet.around / half,
    x: x0,
    width: x1 - x0,
    mid: row.top + row.h / 2,
    half: row.h / 2 - 2,
    gain: gain * sheet.scale,
    colour: tint,
  });
}

/** @param {import("./sheet.js").CloseSheet} sheet @param {CanvasRenderingContext2D} g */
export function drawStruck(sheet, g) {
  const it = shown(sheet);
  if (!it) return;
  const { strike: k, clip: c, at } = it,
    doc = sheet.doc,
    rows = sheet.rows,
    w = sheet.box.w,
    p = doc.props;
  const track = doc.tracks.get(c.track),
    src = doc.sources.get(c.source);
  const tone = k.cover ? doc.sources.get(k.cover.source) : undefined;
  const outer = [k.from - k.fall.length + at, k.to + k.rise.length + at],
    inner = [k.from + at, k.to + at];
  setScale(sheet, c, undefined, sheet.info?.at ?? 0, true);
  // The clip, as recorded, and what is struck of it.
  const [x0, x1] = box(sheet, c.start, c.start + c.length);
  g.fillStyle = track ? cloth(track) : colour.lane;
  g.fillRect(x0, rows.out.top, Math.max(x1 - x0, 0), rows.out.h);
  if (src)
    drawPart(sheet, g, at, {
      of: src,
      from: c.start,
      to: c.start + c.length,
      row: rows.out,
      tint: track ? hue(track) : colour.woad,
      gain: 10 ** (c.gainDB / 20),
    });
  g.save();
  g.beginPath();
  g.rect(14, 0, w - 28, rows.level.top);
  g.clip();
  strikeCloth(g, {
    outer: outer.map((v) => sheet.x(v)),
    inner: inner.map((v) => sheet.x(v)),
    y: rows.out.top,
    h: rows.out.h,
    covered: Boolean(tone),
    atEase: doc.atEase.has(k.id),
    lowered: k.lowerDB > 0,
    mine: true,
  });
  g.restore();
  drawCover(sheet, g, it, outer, tone);
  drawGains(sheet, g, k, outer, inner, Boolean(tone));
  label(
    g,
    `${c.name} as recorded, ${say(k.to - k.from, p)} ${k.lowerDB > 0 ? `lowered by ${k.lowerDB} dB` : "struck"}`,
    14,
    rows.out.top - 5,
  );
  label(g, tone ? `under it · ${tone.name}` : "nothing under it", 14, rows.in.top + rows.in.h + 13);
  drawLevel(sheet, g, rows.level);
  drawAxis(sheet, g, sheet.info?.at ?? 0, rows.axis, sheet.box.h);
  drawGrips(sheet, g);
}

/** What covers it. @param {import("./sheet.js").CloseSheet} sheet @param {CanvasRenderingContext2D} g @param {{strike: Strike, clip: Clip, at: number}} it @param {number[]} outer @param {Source | undefined} tone */
function drawCover(sheet, g, { strike: k, clip: c, at }, outer, tone) {
  const rows = sheet.rows;
  const [a, z] = box(sheet, outer[0], outer[1]);
  if (tone) {
    g.fillStyle = colour["moss-cloth"];
    g.fillRect(a, rows.in.top, z - a, rows.in.h);
    drawPart(sheet, g, at, {
      of: tone,
      from: outer[0],
      to: outer[1],
      row: rows.in,
      tint: colour.moss,
      gain: 10 ** ((c.gainDB + (k.cover?.gainDB ?? 0)) / 20),
    });
  } else {
    g.strokeStyle = colour.madder;
    g.lineWidth = 1.5;
    g.setLineDash([6, 5]);
    g.strokeRect(a, rows.in.top + 1, Math.max(z - a, 2), rows.in.h - 2);
    g.setLineDash([]);
  }
}

/** How much is heard of the clip, and of what covers it. @param {import("./sheet.js").CloseSheet} sheet @param {CanvasRenderingContext2D} g @param {Strike} k @param {number[]} outer @param {number[]} inner @param {boolean} tone */
function drawGains(sheet, g, k, outer, inner, tone) {
  const rows = sheet.rows;
  const v = sheet.info?.curves;
  if (v?.out && v.in) {
    const keep = k.lowerDB > 0 ? 10 ** (-k.lowerDB / 20) : 0,
      raise = (/** @type {number} */ x) => keep + (1 - keep) * x;
    const out = v.out.map(raise),
      back = v.in.map(raise),
      under = (/** @type {number} */ x) => Math.sqrt(Math.max(1 - x * x, 0));
    line(sheet, g, rows.out, [...along(out, outer[0], inner[0]), ...along(back, inner[1], outer[1])]);
    if (tone) line(sheet, g, rows.in, [...along(out.map(under), outer[0], inner[0]), ...along(back.map(under), inner[1], outer[1])]);
  }
}

/** The grips of its edges and fades. @param {import("./sheet.js").CloseSheet} sheet @param {CanvasRenderingContext2D} g */
function drawGrips(sheet, g) {
  const rows = sheet.rows;
  for (const [name, x] of struckGrips(sheet)) {
    const edge = name === "from" || name === "to";
    g.strokeStyle = edge ? colour.madder : colour.ink;
    g.lineWidth = edge ? 1.75 : 1.25;
    g.setLineDash(edge ? [] : [2, 3]);
    g.beginPath();
    g.moveTo(x, rows.out.top);
    g.lineTo(x, rows.in.top + rows.in.h);
    g.stroke();
    g.setLineDash([]);
    g.fillStyle = colour.raised;
    g.lineWidth = 1.75;
    g.beginPath();
    if (edge) g.roundRect(x - 6, rows.middle - 9, 12, 18, 4);
    else g.arc(x, rows.middle, 5, 0, 7);
    g.fill();
    g.stroke();
  }
}

/** Points of a curve laid from one place to another. @param {number[]} v @param {number} from @param {number} to */
const along = (v, from, to) => v.map((y, k) => ({ at: from + ((to - from) * k) / (v.length - 1), y }));

/** @param {import("./sheet.js").CloseSheet} sheet @param {CanvasRenderingContext2D} g @param {{top: number, h: number}} row @param {{at: number, y: number}[]} points */
function line(sheet, g, row, points) {
  g.save();
  g.beginPath();
  g.rect(14, row.top, sheet.box.w - 28, row.h);
  g.clip();
  g.strokeStyle = colour.ink;
  g.lineWidth = 2.25;
  g.beginPath();
  for (const p of points) g.lineTo(sheet.x(p.at), row.top + 2 + (row.h - 4) * (1 - p.y));
  g.stroke();
  g.restore();
}
