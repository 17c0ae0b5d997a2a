// How a clip of sound is drawn: its tab, its wave, its fades, what is struck of it and
// what it lacks.

import { cloth, colour, hue } from "../lib/colours.js";
import { ribbon, tab } from "./sheet.js";

import { ridden } from "../levels/thread.js";
import { drawGainTag } from "../levels/gaintag.js";
import { factorOf, percent } from "./fit.js";
import { strikeCloth } from "./struck.js";
import { span as say } from "../lib/timecode.js";
import { waveOf } from "./waves.js";

/** @param {import("./lanes.js").Lanes} sheet @param {CanvasRenderingContext2D} g @param {Track} t @param {Clip} c @param {number} top @param {number} height @param {number} w */
export function drawClip(sheet, g, t, c, top, height, w) {
  const x0 = sheet.x(c.start),
    x1 = sheet.x(c.start + c.length);
  const a = Math.max(Math.floor(x0), -2),
    b = Math.min(Math.ceil(x1), w + 2);
  const chosen = sheet.chosen.has(c.id),
    dull = t.mute || (sheet.soloed && !t.solo);
  g.globalAlpha = dull ? 0.45 : 1;
  g.fillStyle = cloth(t);
  g.fillRect(x0, top, Math.max(x1 - x0 - 0.5, 1), height);
  g.fillStyle = chosen ? colour.ink : hue(t);
  g.beginPath();
  g.roundRect(x0, top, Math.max(x1 - x0 - 0.5, 1), tab, [3, 3, 0, 0]);
  g.fill();
  const src = sheet.doc.sources.get(c.source);
  if (src && sheet.tried.has(c.id)) drawSpare(sheet, g, src, c, t, top, height, w);
  if (sheet.doc.lacks(src)) drawMissing(g, Math.max(x0, 0), Math.min(x1, w), top + tab, height - tab);
  else if (src && b - a >= 2 && sheet.shown.waves) drawWave(sheet, g, src, c, t, a, b, top + tab, height - tab);
  // The ribbon: the content slips where it is dragged.
  if (height > 44 && x1 - x0 > 14 && !t.locked) {
    g.fillStyle = hue(t);
    g.globalAlpha *= 0.22;
    g.fillRect(x0, top + height - ribbon, Math.max(x1 - x0 - 0.5, 1), ribbon);
    g.globalAlpha /= 0.22;
  }
  for (const k of sheet.lie.struck.get(c.id) ?? []) drawStrike(sheet, g, c, k, top, height);
  if (sheet.shown.curves) {
    drawFade(sheet, g, c, "head", top, height);
    drawFade(sheet, g, c, "tail", top, height);
  }
  if (x1 - x0 > 26) drawName(sheet, g, src, c, { x0, x1, a, b, top, w, chosen });
  drawGainTag(sheet, g, t, c, top, height);
  const off = sheet.trial ? undefined : sheet.doc.off.get(c.id);
  if (off && x1 - x0 > 40) drawOff(g, off.words, Math.min(x1, w) - 4, top + tab + 3);
  if (chosen || sheet.tried.has(c.id)) {
    g.strokeStyle = sheet.tried.has(c.id) ? colour.teal : colour.ink;
    g.lineWidth = 2;
    g.strokeRect(x0 + 1, top + 1, Math.max(x1 - x0 - 2.5, 1), height - 2);
  }
  g.globalAlpha = 1;
}

/** The name on a clip's tab, and where it comes from where there is room. @param {import("./lanes.js").Lanes} sheet @param {CanvasRenderingContext2D} g @param {Source | undefined} src @param {Clip} c @param {{x0: number, x1: number, a: number, b: number, top: number, w: number, chosen: boolean}} o */
function drawName(sheet, g, src, c, { x0, x1, a, b, top, w, chosen }) {
  g.save();
  g.beginPath();
  g.rect(a, top, b - a - 3, tab);
  g.clip();
  g.fillStyle = chosen ? colour.linen : colour["on-strong"];
  const name = src?.fit ? `${c.name} ${percent(factorOf(src))}` : c.name;
  g.fillText(name, Math.max(x0, 0) + 5, top + 12);
  const room = Math.min(x1, w) - Math.max(x0, 0) - 22,
    own = g.measureText(name).width;
  if (src && room > own + 60) {
    // Where it comes from, and its in and out there.
    const p = sheet.doc.props,
      times = `${say(c.offset, p)} – ${say(c.offset + c.length, p)}`,
      full = `${src.name} ${times}`;
    const fits = [full, times].find((l) => own + g.measureText(l).width < room);
    g.globalAlpha *= 0.78;
    if (fits) g.fillText(fits, Math.max(x0, 0) + 17 + own, top + 12);
    g.globalAlpha /= 0.78;
  }
  g.restore();
}

/** Sound that is known by name alone: an empty strip. @param {CanvasRenderingContext2D} g @param {number} x0 @param {number} x1 @param {number} top @param {number} height */
export function drawMissing(g, x0, x1, top, height) {
  g.save();
  g.strokeStyle = g.fillStyle = colour.madder;
  g.lineWidth = 1.25;
  g.setLineDash([5, 4]);
  g.strokeRect(x0 + 2, top + 3, Math.max(x1 - x0 - 5, 1), height - 6);
  if (x1 - x0 > 70) g.fillText("missing media", x0 + 8, top + height / 2 + 4);
  g.restore();
}

/** How far a clip stands off its picture, at its right. @param {CanvasRenderingContext2D} g @param {string} text @param {number} right @param {number} top */
export function drawOff(g, text, right, top) {
  g.save();
  g.font = "600 11.5px 'Atkinson Next', sans-serif";
  const w = g.measureText(text).width + 10;
  g.fillStyle = colour.madder;
  g.beginPath();
  g.roundRect(right - w, top, w, 15, 3);
  g.fill();
  g.fillStyle = colour["on-strong"];
  g.fillText(text, right - w + 5, top + 11.5);
  g.restore();
}

/** @param {import("./lanes.js").Lanes} sheet @param {CanvasRenderingContext2D} g @param {Source} src @param {Clip} c @param {Track} t @param {number} a @param {number} b @param {number} top @param {number} height */
export function drawWave(sheet, g, src, c, t, a, b, top, height) {
  const channels = src.right >= 0 && height > 50 ? [src.left, src.right] : [src.left];
  const each = height / channels.length,
    gain = 10 ** (c.gainDB / 20),
    ride = ridden(sheet, c);
  const x0 = Math.max(a, 0),
    x1 = Math.min(b, Math.floor(sheet.x(c.start + c.length)));
  channels.forEach((channel, k) => {
    sheet.waves.draw(g, waveOf(src, channel, sheet.doc), {
      from: c.offset + (sheet.from + x0 * sheet.perPixel - c.start),
      perPixel: sheet.perPixel,
      x: x0,
      width: x1 - x0,
      mid: top + each * (k + 0.5),
      half: each / 2 - 1,
      gain: gain * 2.2,
      colour: hue(t),
      ride,
    });
  });
}

/**
 * While a clip is tried, its material beyond both ends is drawn faintly, so
 * that one sees what an end comes upon.
 * @param {import("./lanes.js").Lanes} sheet @param {CanvasRenderingContext2D} g @param {Source} src @param {Clip} c @param {Track} t @param {number} top @param {number} height @param {number} w
 */
export function drawSpare(sheet, g, src, c, t, top, height, w) {
  const lane = sheet.lie.lanes.get(t.id) ?? [],
    alpha = g.globalAlpha;
  for (const [a, z] of [
    [c.start - c.offset, c.start],
    [c.start + c.length, c.start + src.length - c.offset],
  ]) {
    const x0 = Math.max(Math.floor(sheet.x(a)), 0),
      x1 = Math.min(Math.ceil(sheet.x(z)), w);
    if (x1 <= x0) continue;
    // Where a neighbour lies it keeps its own half: outgoing above, incoming below.
    const beside = lane.some((o) => o.id !== c.id && o.start < z && o.start + o.length > a),
      out = a >= c.start;
    const y = top + tab,
      h = height - tab,
      half = beside ? h / 2 : h,
      y0 = beside && !out ? y + h / 2 : y;
    g.globalAlpha = 0.5;
    g.strokeStyle = hue(t);
    g.setLineDash([3, 3]);
    g.strokeRect(x0 + 0.5, y0 + 0.5, x1 - x0 - 1, half - 1);
    g.setLineDash([]);
    sheet.waves.draw(g, waveOf(src, src.left, sheet.doc), {
      from: c.offset + (sheet.from + x0 * sheet.perPixel - c.start),
      perPixel: sheet.perPixel,
      x: x0,
      width: x1 - x0,
      mid: y0 + half / 2,
      half: half / 2 - 1,
      gain: 10 ** (c.gainDB / 20) * 2.2,
      colour: hue(t),
    });
  }
  g.globalAlpha = alpha;
}

/** What is struck is hatched through; with tone under it the hatch lies on the tone's cloth. @param {import("./lanes.js").Lanes} sheet @param {CanvasRenderingContext2D} g @param {Clip} c @param {Strike} k @param {number} top @param {number} height */
export function drawStrike(sheet, g, c, k, top, height) {
  const at = c.start - c.offset,
    x = (/** @type {number} */ s) => sheet.x(Math.min(Math.max(s + at, c.start), c.start + c.length));
  const outer = [x(k.from - k.fall.length), x(k.to + k.rise.length)],
    inner = [x(k.from), x(k.to)];
  if (outer[1] <= 0 || outer[0] >= sheet.width || outer[1] - outer[0] < 0.01) return;
  const mine = sheet.seam?.kind === "struck" && sheet.seam.right === k.id;
  strikeCloth(g, {
    outer,
    inner,
    y: top + tab,
    h: height - tab,
    covered: Boolean(k.cover?.source),
    atEase: sheet.doc.atEase.has(k.id),
    lowered: k.lowerDB > 0,
    mine,
  });
}

/** @param {import("./lanes.js").Lanes} sheet @param {CanvasRenderingContext2D} g @param {Clip} c @param {"head" | "tail"} end @param {number} top @param {number} height */
export function drawFade(sheet, g, c, end, top, height) {
  const f = sheet.fading?.clip === c.id && sheet.fading.end === end ? sheet.fading.fade : end === "head" ? c.fadeIn : c.fadeOut;
  if (!f.length) return;
  const v = sheet.curve(f),
    from = end === "head" ? c.start : c.start + c.length;
  const edge = sheet.x(from),
    inner = sheet.x(end === "head" ? from + f.length : from - f.length);
  const y = (/** @type {number} */ k) => top + tab + (height - tab) * (1 - v[k]);
  if (!v.length) return;
  g.beginPath();
  g.moveTo(edge, top + tab);
  for (let k = 0; k < v.length; k++) g.lineTo(edge + ((inner - edge) * k) / (v.length - 1), y(k));
  g.lineTo(inner, top + tab);
  g.closePath();
  g.fillStyle = colour.lane;
  g.globalAlpha *= 0.75;
  g.fill();
  g.globalAlpha /= 0.75;
  g.beginPath();
  for (let k = 0; k < v.length; k++) g.lineTo(edge + ((inner - edge) * k) / (v.length - 1), y(k));
  g.strokeStyle = colour.ink;
  g.lineWidth = 1.25;
  g.stroke();
  g.fillStyle = colour.raised;
  g.beginPath();
  g.arc(inner, top + tab + 4, 3.5, 0, 7);
  g.fill();
  g.stroke();
}

/** @param {import("./lanes.js").Lanes} sheet @param {CanvasRenderingContext2D} g @param {string} text @param {number} x @param {number} y */
export function label(sheet, g, text, x, y) {
  if (!text) return;
  const w = g.measureText(text).width;
  x = Math.min(x, sheet.width - w - 12);
  g.fillStyle = colour.ink;
  g.beginPath();
  g.roundRect(x, y - 13, w + 10, 18, 4);
  g.fill();
  g.fillStyle = colour.linen;
  g.fillText(text, x + 5, y);
}
