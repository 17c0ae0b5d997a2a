// Gain lines as threads: where their beads lie on the timeline, how they are drawn,
// and what of them is pointed at.

import { decibels, silent } from "../lib/decibels.js";
import { colour, hue } from "../lib/colours.js";
import { tab } from "../timeline/sheet.js";

/**
 * @typedef {{on: number, clip?: Clip, track: Track, points: Point[], shift: number, from: number, to: number}} Thread
 *   a line as it lies in the reel: shift is added to the places of its points
 */

/** The gain of a line at a place of its own time, in dB. @param {Point[]} points by time @param {number} at */
export function levelAt(points, at) {
  if (!points.length) return 0;
  let i = 0;
  for (let high = points.length; i < high;) {
    const mid = (i + high) >> 1;
    if (points[mid].at > at) high = mid;
    else i = mid + 1;
  }
  if (i === 0) return points[0].db;
  if (i === points.length) return points[i - 1].db;
  const a = points[i - 1],
    b = points[i];
  let t = (at - a.at) / (b.at - a.at);
  if (a.eased) t = (1 - Math.cos(Math.PI * t)) / 2;
  if (a.db > silent && b.db > silent) return a.db + (b.db - a.db) * t;
  const [x, y] = [factor(a.db), factor(b.db)],
    g = x + (y - x) * t;
  return g > 0 ? Math.max(20 * Math.log10(g), silent) : silent;
}

const factor = (/** @type {number} */ db) => (db <= silent ? 0 : 10 ** (db / 20));

/** The factor by which a clip is heard at a place of the reel by both lines over it; none where there is no line. @param {import("../timeline/sheet.js").Sheet} sheet @param {Clip} c */
export function ridden(sheet, c) {
  const own = sheet.lie.lines.get(c.id),
    track = sheet.lie.lines.get(c.track),
    duck = sheet.lie.lines.get(-c.track);
  if (!own && !track && !duck) return undefined;
  const key = [own, track, duck].map((l) => (l ?? []).map((p) => `${p.at} ${p.db} ${p.eased ? 1 : 0}`).join()).join("|");
  return {
    key: `${key} ${c.start - c.offset}`,
    at: (/** @type {number} */ sample) =>
      (own ? factor(levelAt(own, sample)) : 1) *
      (track ? factor(levelAt(track, sample - c.offset + c.start)) : 1) *
      (duck ? factor(levelAt(duck, sample - c.offset + c.start)) : 1),
  };
}

/** Levels are spread about 0 dB and drawn together beyond ±12. @param {number} db */
const bent = (db) => (Math.abs(db) <= 12 ? db : Math.sign(db) * (12 + (Math.min(Math.abs(db), 60) - 12) / 4));

/** How high a level lies: the thread of a clip in the lower part of its cloth, that of a track in the upper one. @param {Thread} line @param {number} db @param {number} top @param {number} height */
export function yOf(line, db, top, height) {
  const h = height - tab - 10,
    zero = top + tab + h * (line.clip ? 0.68 : 0.3) + 2;
  return zero - (bent(db) * h * (line.clip || db > 0 ? 0.36 : 0.78)) / 24;
}

/** The threads of a row: those of its clips, and its own. @param {import("../timeline/sheet.js").Sheet} sheet @param {Track} track @returns {Thread[]} */
export function threadsOf(sheet, track) {
  if (track.role === "picture" || !sheet.shown.rides) return [];
  const first = sheet.from,
    last = sheet.from + sheet.width * sheet.perPixel,
    { lie } = sheet;
  /** @type {Thread[]} */
  const out = [];
  for (const c of lie.lanes.get(track.id) ?? []) {
    if (c.start + c.length < first || c.start > last) continue;
    const points = lie.lines.get(c.id);
    if (!points && !(sheet.chosen.has(c.id) && c.length / sheet.perPixel > 40)) continue;
    out.push({ on: c.id, clip: c, track, points: points ?? [], shift: c.start - c.offset, from: c.start, to: c.start + c.length });
  }
  const own = lie.lines.get(track.id);
  if (own || (sheet.session.track?.id === track.id && !lie.lines.has(-track.id)))
    out.push({ on: track.id, track, points: own ?? [], shift: 0, from: 0, to: sheet.end });
  const duck = lie.lines.get(-track.id);
  if (duck) out.push({ on: -track.id, track, points: duck, shift: 0, from: 0, to: sheet.end });
  return out;
}

/** The speech that a track goes down under lies as a faint shadow on its cloth. @param {import("../timeline/lanes.js").Lanes} sheet @param {CanvasRenderingContext2D} g @param {Track} track @param {number} top @param {number} height */
function drawSpeech(sheet, g, track, top, height) {
  if (!sheet.shown.rides || !sheet.lie.lines.has(-track.id)) return;
  g.fillStyle = colour.ink;
  g.globalAlpha = 0.09;
  for (const s of sheet.speech) {
    const a = Math.max(sheet.x(s.from), 0),
      z = Math.min(sheet.x(s.to), sheet.width);
    if (z > a) g.fillRect(a, top + tab, Math.max(z - a, 1), height - tab);
  }
  g.globalAlpha = 1;
}

/** @param {import("../timeline/lanes.js").Lanes} sheet @param {CanvasRenderingContext2D} g @param {Track} track @param {number} top @param {number} height */
export function drawThreads(sheet, g, track, top, height) {
  drawSpeech(sheet, g, track, top, height);
  for (const line of threadsOf(sheet, track)) drawThread(sheet, g, line, top, height);
}

/** @param {import("../timeline/lanes.js").Lanes} sheet @param {CanvasRenderingContext2D} g @param {Thread} line @param {number} top @param {number} height */
function drawThread(sheet, g, line, top, height) {
  const x0 = Math.max(sheet.x(line.from), -2),
    x1 = Math.min(sheet.x(line.to), sheet.width + 2),
    y = (/** @type {number} */ db) => yOf(line, db, top, height),
    place = (/** @type {number} */ x) => sheet.from + x * sheet.perPixel - line.shift;
  g.save();
  g.beginPath();
  g.rect(x0, top + tab, x1 - x0, height - tab);
  g.clip();
  g.beginPath();
  g.moveTo(x0, y(levelAt(line.points, place(x0))));
  line.points.forEach((p, i) => {
    const x = sheet.x(p.at + line.shift),
      before = line.points[i - 1];
    if (before && x > x0 && sheet.x(before.at + line.shift) < x1 && (before.eased || p.db <= silent || before.db <= silent)) {
      const from = Math.max(sheet.x(before.at + line.shift), x0);
      for (let k = from; k < Math.min(x, x1); k += 3) g.lineTo(k, y(levelAt(line.points, place(k))));
    }
    g.lineTo(x, y(p.db));
  });
  g.lineTo(x1, y(levelAt(line.points, place(x1))));
  // A light edge keeps the thread clear of the wave.
  g.strokeStyle = colour.raised;
  g.globalAlpha = 0.75;
  g.lineWidth = 3.5;
  g.stroke();
  g.globalAlpha = line.points.length ? 1 : 0.6;
  g.strokeStyle = line.clip ? colour.ink : hue(line.track);
  g.lineWidth = 1.25;
  if (!line.points.length) g.setLineDash([2, 3]);
  g.stroke();
  g.setLineDash([]);
  g.globalAlpha = 1;
  const chosen = line.points.filter((p) => sheet.session.points.has(p.id));
  if (chosen.length > 1) drawBar(sheet, g, line, chosen, y);
  for (const p of line.points) {
    const x = sheet.x(p.at + line.shift);
    if (x < x0 - 5 || x > x1 + 5) continue;
    const mine = sheet.session.points.has(p.id);
    g.beginPath();
    g.arc(x, y(p.db), mine ? 4.5 : 3.5, 0, 7);
    g.fillStyle = mine ? colour.teal : p.duck === "made" ? colour.raised : line.clip ? colour.ink : hue(line.track);
    g.fill();
    g.lineWidth = 1.25;
    g.strokeStyle = mine || p.duck !== "made" ? colour.raised : hue(line.track);
    g.stroke();
  }
  g.restore();
}

/** Beads that are chosen together are joined by a short bar above them. @param {import("../timeline/lanes.js").Lanes} sheet @param {CanvasRenderingContext2D} g @param {Thread} line @param {Point[]} chosen @param {(db: number) => number} y */
function drawBar(sheet, g, line, chosen, y) {
  const xs = chosen.map((p) => sheet.x(p.at + line.shift)),
    high = Math.min(...chosen.map((p) => y(p.db))) - 8;
  g.strokeStyle = colour.teal;
  g.lineWidth = 2;
  g.beginPath();
  g.moveTo(Math.min(...xs), high);
  g.lineTo(Math.max(...xs), high);
  g.stroke();
}

/**
 * The bead, or the stretch of thread, at a point of a row.
 * @param {import("../timeline/sheet.js").Sheet} sheet @param {Track} track @param {number} top @param {number} height @param {number} x @param {number} y
 * @returns {{line: Thread, point?: Point} | undefined}
 */
export function threadAt(sheet, track, top, height, x, y) {
  const lines = threadsOf(sheet, track).reverse();
  for (const line of lines)
    for (const p of line.points) {
      const at = p.at + line.shift;
      if (at < line.from || at > line.to) continue;
      if (Math.abs(sheet.x(at) - x) <= 6 && Math.abs(yOf(line, p.db, top, height) - y) <= 6) return { line, point: p };
    }
  for (const line of lines) {
    const at = sheet.from + x * sheet.perPixel;
    if (at < line.from || at > line.to) continue;
    if (Math.abs(yOf(line, levelAt(line.points, at - line.shift), top, height) - y) <= 4) return { line };
  }
  return undefined;
}

/** Beads that lie in a box of the lanes. @param {import("../timeline/sheet.js").Sheet} sheet @param {{x0: number, y0: number, x1: number, y1: number}} b @returns {number[]} */
export function beadsIn(sheet, b) {
  const scroll = sheet.parts.tracks.scrollTop,
    [x0, x1] = [Math.min(b.x0, b.x1), Math.max(b.x0, b.x1)],
    [y0, y1] = [Math.min(b.y0, b.y1), Math.max(b.y0, b.y1)];
  return sheet.layout().flatMap((r) =>
    threadsOf(sheet, r.track).flatMap((line) =>
      line.points
        .filter((p) => {
          const x = sheet.x(p.at + line.shift),
            y = yOf(line, p.db, r.top - scroll, r.height),
            at = p.at + line.shift;
          return x >= x0 && x <= x1 && y >= y0 && y <= y1 && at >= line.from && at <= line.to;
        })
        .map((p) => p.id),
    ),
  );
}

/** What a bead tells. @param {Point} p */
export const beadWords = (p) => `${decibels(p.db)} dB${p.eased ? ", eased after it" : ""}`;
