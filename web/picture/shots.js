// Which shot is seen at a place, which of its frames, and how it is drawn: a
// frame of its picture, or a numbered card where none is known.

import { colour } from "../lib/colours.js";
import { format, frameOf, sampleOf } from "../lib/timecode.js";

/** The frame that begins nearest to a sample. @param {number} at @param {Props} p */
export function nearest(at, p) {
  const n = frameOf(at, p);
  return at - sampleOf(n, p) > sampleOf(n + 1, p) - at ? n + 1 : n;
}

/** How many frames a shot has. @param {Clip} shot @param {Props} p */
export const lengthOf = (shot, p) => nearest(shot.start + shot.length, p) - nearest(shot.start, p);

/**
 * The frame of the reel's count that a shot shows of its source at a sample.
 * @param {Clip} shot @param {number} at @param {Props} p
 */
export const inSource = (shot, at, p) =>
  nearest(shot.start, p) + nearest(shot.offset - shot.start, p) + frameOf(at, p) - nearest(shot.start, p);

/** That frame by the source's own count. @param {Source} src @param {number} n @param {Props} p */
export function ownFrame(src, n, p) {
  const pic = src.picture;
  if (!pic?.frames || pic.held) return Math.max((pic?.held ?? 0) - 1, 0);
  if (pic.over && n >= 0) n = Math.floor((n * (pic.own ?? 0) + (pic.shift ?? 0)) / pic.over + 1e-9);
  const own = Math.floor((n * p.frameRate.den * pic.rate.num) / (p.frameRate.num * pic.rate.den) + 1e-9);
  return Math.min(Math.max(own, 0), pic.frames - 1);
}

/** The shot at a sample: of the uppermost track of pictures that has one and is not switched off. @param {import("../app/doc.js").Doc} doc @param {Laid} lie @param {number} at */
export function shotAt(doc, lie, at) {
  for (const t of doc.pictureTracks()) {
    if (t.mute) continue;
    const shot = (lie.lanes.get(t.id) ?? []).find((c) => at >= c.start && at < c.start + c.length);
    if (shot) return shot;
  }
  return null;
}

/** The number of a shot on its track, from 1. @param {Laid} lie @param {Clip} shot */
export const numberOf = (lie, shot) => (lie.lanes.get(shot.track) ?? []).findIndex((c) => c.id === shot.id) + 1;

/** Source timecode of a frame of a shot, where the source tells it. @param {Source | undefined} src @param {number} n @param {Props} p */
export const sourceCode = (src, n, p) => (src && src.startTC >= 0 ? format(nearest(src.startTC, p) + n, p.frameRate) : `frame ${n}`);

/**
 * Draws a frame of a shot into a box, as large as it fits.
 * @param {CanvasRenderingContext2D} g
 * @param {import("./frames.js").Frames} frames
 * @param {{doc: import("../app/doc.js").Doc, lie: Laid, shot: Clip, at: number, x: number, y: number, w: number, h: number}} o
 * @returns {boolean} whether it is all here
 */
export function drawShot(g, frames, { doc, lie, shot, at, x, y, w, h }) {
  const src = doc.sources.get(shot.source),
    p = doc.props,
    n = inSource(shot, at, p);
  g.fillStyle = colour.foot;
  g.fillRect(x, y, w, h);
  if (!src || !src.recording || !src.picture) {
    drawCard(g, { name: shot.name, number: numberOf(lie, shot), code: sourceCode(src, n, p), x, y, w, h });
    return true;
  }
  const own = ownFrame(src, n, p),
    bitmap = frames.get(src.recording, own);
  if (!bitmap) return false;
  const scale = Math.min(w / bitmap.width, h / bitmap.height),
    bw = bitmap.width * scale,
    bh = bitmap.height * scale;
  g.drawImage(bitmap, x + (w - bw) / 2, y + (h - bh) / 2, bw, bh);
  return true;
}

/** A card stands for a picture that is not known. @param {CanvasRenderingContext2D} g @param {{name: string, number: number, code: string, x: number, y: number, w: number, h: number}} o */
export function drawCard(g, { name, number, code, x, y, w, h }) {
  g.save();
  g.beginPath();
  g.rect(x, y, w, h);
  g.clip();
  g.fillStyle = colour["slate-cloth"];
  g.fillRect(x, y, w, h);
  g.strokeStyle = colour.slate;
  g.globalAlpha = 0.35;
  g.lineWidth = 1;
  g.beginPath();
  for (let k = -h; k < w; k += 12) {
    g.moveTo(x + k, y + h);
    g.lineTo(x + k + h, y);
  }
  g.stroke();
  g.globalAlpha = 1;
  const big = Math.min(h * 0.42, w * 0.3);
  g.textAlign = "center";
  g.fillStyle = colour.slate;
  g.font = `600 ${big}px Fraunces, serif`;
  g.fillText(String(number), x + w / 2, y + h / 2 + (h > 70 ? big * 0.15 : big * 0.35));
  if (h > 70) {
    g.fillStyle = colour.ink;
    g.font = "13px 'Atkinson Next', sans-serif";
    g.fillText(name, x + w / 2, y + h / 2 + big * 0.15 + 20, w - 12);
    g.fillStyle = colour.ash;
    g.font = "12px 'Atkinson Mono', monospace";
    g.fillText(code, x + w / 2, y + h / 2 + big * 0.15 + 37, w - 12);
  }
  g.restore();
}
