// How pictures are drawn on the timeline, and the steps of split edits under them.

import { colour } from "../lib/colours.js";
import { step, tab } from "./sheet.js";
import { factorOf, percent } from "./fit.js";
import { drawCard, inSource, lengthOf, nearest, numberOf, ownFrame, sourceCode } from "../picture/shots.js";

import { frameLength, frames as framesOf, sampleOf } from "../lib/timecode.js";

/** Height of a clip's ribbon, its lower strip. */

/** How a shot runs, where it does not run as recorded. @param {Source | undefined} src */
function runOf(src) {
  if (src?.picture?.held) return " still";
  return src?.picture?.own ? ` ${percent(factorOf(src))}` : "";
}

/** The shots of a track, with frames along them. @param {import("./lanes.js").Lanes} sheet @param {CanvasRenderingContext2D} g @param {Track} t @param {number} top @param {number} height @param {number} w */
export function drawShots(sheet, g, t, top, height, w) {
  const first = sheet.from,
    last = sheet.from + w * sheet.perPixel,
    lane = sheet.lie.lanes.get(t.id) ?? [];
  for (const c of lane) {
    if (c.start + c.length >= first && c.start <= last) drawShotStrip(sheet, g, t, c, top, height, w);
  }
  for (const b of sheet.lie.blends.values()) {
    const left = sheet.lie.clips.get(b.left);
    if (left?.track !== t.id) continue;
    // A dissolve: two wedges that pass each other.
    const at = left.start + left.length,
      x0 = sheet.x(at - b.before),
      x1 = sheet.x(at + b.after);
    g.strokeStyle = colour["foot-ink"];
    g.lineWidth = 1.5;
    g.beginPath();
    g.moveTo(x0, top + height - 1);
    g.lineTo(x1, top + tab);
    g.moveTo(x0, top + tab);
    g.lineTo(x1, top + height - 1);
    g.stroke();
  }
  if (t.locked) sheet.drawLock(g, top, height, w);
  for (let i = 1; i < lane.length && sheet.perPixel < 40000; i++) {
    if (lane[i - 1].start + lane[i - 1].length !== lane[i].start) continue;
    const x = sheet.x(lane[i].start);
    if (x < -8 || x > w + 8) continue;
    const mine = sheet.seam?.cut?.right === lane[i].id;
    g.fillStyle = mine ? colour.teal : colour.raised;
    g.strokeStyle = mine ? colour.raised : colour.slate;
    g.lineWidth = 1.5;
    g.beginPath();
    g.rect(x - 3, top + tab + (height - tab) / 2 - 6, 6, 12);
    g.fill();
    g.stroke();
  }
}

/** @param {import("./lanes.js").Lanes} sheet @param {CanvasRenderingContext2D} g @param {Track} t @param {Clip} c @param {number} top @param {number} height @param {number} w */
export function drawShotStrip(sheet, g, t, c, top, height, w) {
  const p = sheet.doc.props,
    src = sheet.doc.sources.get(c.source),
    x0 = sheet.x(c.start),
    x1 = sheet.x(c.start + c.length);
  const chosen = sheet.chosen.has(c.id),
    h = height - tab;
  g.save();
  g.globalAlpha = t.mute ? 0.45 : 1;
  g.beginPath();
  g.rect(x0, top, Math.max(x1 - x0 - 1, 1), height);
  g.clip();
  g.fillStyle = colour.foot;
  g.fillRect(x0, top, x1 - x0, height);
  if (src && (sheet.doc.lacks(src) || !src.picture)) {
    const a = Math.max(x0, 0),
      b = Math.min(x1, w);
    drawCard(g, { name: c.name, number: numberOf(sheet.lie, c), code: "", x: a, y: top + tab, w: b - a, h });
  } else if (src?.picture && sheet.frames) {
    const aspect = (src.picture.width || 16) / (src.picture.height || 9),
      wide = h * aspect;
    const first = nearest(c.start, p),
      n = lengthOf(c, p),
      perFrame = frameLength(p) / sheet.perPixel;
    // One frame a tile, each a whole number of tiles' frames from the last, so that few are asked for.
    const every = Math.max(2 ** Math.floor(Math.log2(Math.max(wide / perFrame, 1))), 1),
      tiles = every * perFrame;
    const from = Math.max(Math.floor((0 - x0) / tiles), 0),
      to = Math.min(Math.ceil((w - x0) / tiles), Math.ceil(n / every));
    for (let k = from; k < to; k++) {
      const x = sheet.x(sampleOf(first + k * every, p)),
        own = ownFrame(src, inSource(c, sampleOf(first + k * every, p), p), p);
      const bitmap = sheet.frames.thumb(src.recording, own, src.picture.frames && !src.picture.held ? every : 1);
      // Where the next one comes sooner, its right is left out.
      const part = Math.min((tiles + 1) / wide, 1);
      if (bitmap) g.drawImage(bitmap, 0, 0, bitmap.width * part, bitmap.height, x, top + tab, wide * part, h);
    }
  }
  g.fillStyle = chosen ? colour.ink : colour.slate;
  g.fillRect(x0, top, x1 - x0, tab);
  if (x1 - x0 > 22) {
    g.fillStyle = chosen ? colour.linen : colour["on-strong"];
    const name = `${numberOf(sheet.lie, c)}  ${c.name}${runOf(src)}`,
      at = Math.max(x0, 0) + 5,
      own = g.measureText(name).width;
    g.fillText(name, at, top + 12);
    const code = src ? sourceCode(src, inSource(c, c.start, p), p) : "",
      room = Math.min(x1, w) - at - own - 20;
    g.globalAlpha *= 0.78;
    if (code && g.measureText(code).width < room) g.fillText(code, at + own + 12, top + 12);
  }
  g.restore();
  g.fillStyle = colour.linen;
  g.fillRect(x1 - 1, top, 1.5, height);
  if (chosen || sheet.tried.has(c.id)) {
    g.strokeStyle = sheet.tried.has(c.id) ? colour.teal : colour.ink;
    g.lineWidth = 2;
    g.strokeRect(x0 + 1, top + 1, Math.max(x1 - x0 - 3, 1), height - 2);
  }
}

/**
 * Split edits: a stepped line from each picture cut to the cut of its sound, with its length in words.
 * @param {import("./lanes.js").Lanes} sheet @param {CanvasRenderingContext2D} g @param {{track: Track, top: number, height: number}[]} rows @param {number} scroll
 */
export function drawSteps(sheet, g, rows, scroll) {
  const pic = rows.findLast((r) => r.track.role === "picture");
  if (!pic || sheet.perPixel > 20000) return;
  const y = pic.top + pic.height - scroll + step / 2,
    p = sheet.doc.props;
  g.save();
  g.font = "600 12px 'Atkinson Next', sans-serif";
  let free = -Infinity;
  for (const s of stepsNow(sheet)) {
    const a = sheet.x(s.cut),
      b = sheet.x(s.sound),
      row = rows.find((r) => r.track.id === s.track);
    if (!row || Math.max(a, b) < -20 || Math.min(a, b) > sheet.width + 20) continue;
    const top = row.top - scroll;
    g.strokeStyle = g.fillStyle = s.off ? colour.madder : colour.teal;
    g.lineWidth = 2;
    g.setLineDash([]);
    g.beginPath();
    g.moveTo(a, pic.top + pic.height - scroll - 12);
    g.lineTo(a, y);
    g.lineTo(b, y);
    g.lineTo(b, top > y + step ? Math.min(y + 9, top) : top + tab);
    g.stroke();
    if (top > y + step) {
      g.setLineDash([3, 3]);
      g.lineWidth = 1.5;
      g.beginPath();
      g.moveTo(b, y + 9);
      g.lineTo(b, top + tab);
      g.stroke();
      g.setLineDash([]);
    }
    const n = Math.abs(framesOf(s.sound - s.cut, p)),
      text = `${s.sound < s.cut ? "leads" : "lags"} ${n.toFixed(1).replace(/\.0$/, "")} fr`;
    const tw = g.measureText(text).width,
      x = Math.max(a, b) + 5;
    if (x < free || x + tw > sheet.width) continue;
    g.fillText(text, x, y + 4);
    free = x + tw + 6;
  }
  g.restore();
}

/** The split edits as they are, or as a trial would leave them. @returns {{cut: number, sound: number, track: number, off: boolean}[]} @param {import("./lanes.js").Lanes} sheet */
export function stepsNow(sheet) {
  const out = [];
  for (const s of sheet.doc.seams) {
    if (!s.cut) continue;
    let cut = s.cut.at,
      sound = s.at;
    if (sheet.trial) {
      const shot = sheet.trial.clips.get(s.cut.right),
        right = sheet.trial.clips.get(s.right),
        left = sheet.trial.clips.get(s.left);
      if (shot) cut = shot.start;
      sound = right ? right.start : left ? left.start + left.length : sound;
    }
    if (Math.abs(sound - cut) > 1) out.push({ cut, sound, track: s.track, off: sheet.doc.off.has(s.right) || sheet.doc.off.has(s.left) });
  }
  return out.sort((a, b) => Math.max(a.cut, a.sound) - Math.max(b.cut, b.sound));
}
