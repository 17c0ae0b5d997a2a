// The timeline as it is drawn: tracks, clips, seams, markers, the span and the
// playhead; and what would become of them while something is dragged.

import { drawSteps, drawShots } from "./shotface.js";
import { drawGhosts, drawSpan, drawBox, drawWords } from "./overlays.js";
import { drawRuler, drawScroll } from "./ruler.js";
import { drawClip } from "./clipface.js";
import { drawStitches, drawKnot } from "./seammarks.js";
import { get } from "../app/api.js";
import { fit, paint } from "../lib/canvas.js";
import { colour } from "../lib/colours.js";
import { drawThreads } from "../levels/thread.js";
import { KeptLanes } from "./kept.js";
import { Sheet } from "./sheet.js";

export class Lanes extends Sheet {
  /**
   * @param {import("../app/doc.js").Doc} doc
   * @param {import("../app/session.js").Session} session
   * @param {import("./waves.js").Waves} waves
   * @param {{tracks: HTMLElement, lanes: HTMLCanvasElement, ruler: HTMLCanvasElement, over: HTMLCanvasElement, scroll: HTMLElement}} parts
   */
  constructor(doc, session, waves, parts) {
    super(doc, session, waves, parts);
    /** @type {Map<string, number[]>} */
    this.curves = new Map();
    /** How many of them have come. */
    this.drawnCurves = 0;
    this.kept = new KeptLanes(waves);
    /** Whether a track is heard alone, so that the others are dull. */
    this.soloed = false;
    /** @type {import("../picture/frames.js").Frames | null} */
    this.frames = null;
    paint(this);
  }

  draw() {
    this.dirty = false;
    const { lanes, ruler, tracks } = this.parts;
    const w = this.width,
      h = tracks.clientHeight;
    const g = fit(lanes, w, h);
    const rows = this.layout(),
      scroll = tracks.scrollTop;
    g.font = "12px 'Atkinson Next', sans-serif";
    this.soloed = [...this.doc.tracks.values()].some((o) => o.solo);
    this.kept.sweep(this.doc.tracks);
    const seen = this.inSight(w);
    for (const row of rows) {
      const top = row.top - scroll;
      if (top > h || top + row.height < 0) continue;
      g.fillStyle = colour.lane;
      g.fillRect(0, top, w, row.height);
      this.drawLane(g, row.track, top, row.height, w, seen);
    }
    drawSteps(this, g, rows, scroll);
    drawGhosts(this, g, rows, scroll);
    if (this.span) drawSpan(this, g, this.span, rows, scroll);
    if (this.box) drawBox(g, this.box);
    if (this.slot) {
      g.fillStyle = colour.teal;
      g.fillRect(0, this.slot.y - scroll - 2, w, 3);
    }
    drawRuler(this, fit(ruler, w, 26), w);
    this.drawOver();
    drawScroll(this);
  }

  /**
   * What of blends and seams is in sight, by track: they are looked through once, not once a track.
   * @param {number} w
   */
  inSight(w) {
    const first = this.from,
      last = this.from + w * this.perPixel;
    /** @type {Map<number, {stitches: {cut: number, blend: Blend}[], knots: Seam[]}>} */
    const by = new Map();
    const at = (/** @type {number} */ track) => {
      let o = by.get(track);
      if (!o) by.set(track, (o = { stitches: [], knots: [] }));
      return o;
    };
    if (this.shown.curves)
      for (const b of this.lie.blends.values()) {
        const left = this.lie.clips.get(b.left);
        if (!left) continue;
        const cut = left.start + left.length;
        if (cut + b.after < first || cut - b.before > last) continue;
        at(left.track).stitches.push({ cut, blend: b });
        // Over two tracks the stitches are on both.
        const right = this.lie.clips.get(b.right);
        if (right && right.track !== left.track) at(right.track).stitches.push({ cut, blend: b });
      }
    if (this.perPixel <= 40000 && !this.trial)
      for (const s of this.doc.seams) {
        if (s.at < first || s.at > last || s.kind === "struck") continue; // what is struck has its own cloth
        at(s.track).knots.push(s);
        if (s.to && s.to !== s.track) at(s.to).knots.push(s);
      }
    return by;
  }

  /** @param {CanvasRenderingContext2D} g @param {Track} t @param {number} top @param {number} height @param {number} w @param {ReturnType<Lanes["inSight"]>} seen */
  drawLane(g, t, top, height, w, seen) {
    if (t.role === "picture") return drawShots(this, g, t, top, height, w);
    const clips = this.lie.lanes.get(t.id) ?? [];
    const first = this.from,
      last = this.from + w * this.perPixel;
    const shown = clips.filter((c) => c.start + c.length >= first && c.start <= last);
    const canvas = this.kept.of(t.id, this.faceOf(t, shown, height, w), w, height, (own) => {
      own.font = g.font;
      own.fillStyle = colour.lane;
      own.fillRect(0, 0, w, height);
      for (const c of shown) drawClip(this, own, t, c, 0, height, w);
    });
    g.drawImage(canvas, 0, top, w, height);
    const mine = seen.get(t.id);
    for (const { cut, blend } of mine?.stitches ?? []) drawStitches(this, g, cut, blend, top, height);
    drawThreads(this, g, t, top, height);
    if (t.locked) this.drawLock(g, top, height, w);
    for (const s of mine?.knots ?? []) drawKnot(this, g, s, top, height);
  }

  /** All that the drawing of a lane's clips depends on. @param {Track} t @param {Clip[]} shown @param {number} height @param {number} w */
  faceOf(t, shown, height, w) {
    const { doc, seam } = this;
    /** @type {unknown[]} */
    const face = [t, t.mute, t.solo, t.locked, t.role, this.soloed, this.from, this.perPixel, height, w, devicePixelRatio];
    face.push(colour.ink, colour.lane, this.shown.waves, this.shown.curves, this.drawnCurves, this.fading, this.trial === null);
    for (const c of shown) {
      face.push(this.lie.lines.get(c.id), this.lie.lines.get(t.id), this.lie.lines.get(-t.id));
      face.push(c, doc.sources.get(c.source), this.chosen.has(c.id), this.tried.has(c.id), doc.off.get(c.id));
      for (const k of this.lie.struck.get(c.id) ?? []) face.push(k, doc.atEase.has(k.id), seam?.kind === "struck" && seam.right === k.id);
    }
    // What is tried shows its spare, and who lies there.
    if (this.tried.size) face.push(this.trial);
    return face;
  }

  /** A locked track lies behind a grid of fine threads. @param {CanvasRenderingContext2D} g @param {number} top @param {number} height @param {number} w */
  drawLock(g, top, height, w) {
    g.save();
    g.beginPath();
    g.rect(0, top, w, height);
    g.clip();
    g.strokeStyle = colour.ash;
    g.globalAlpha = 0.28;
    g.lineWidth = 1;
    g.beginPath();
    const from = -Math.round((this.from / this.perPixel) % 14);
    for (let x = from - height; x < w; x += 14) {
      g.moveTo(x, top + height);
      g.lineTo(x + height, top);
    }
    g.stroke();
    g.restore();
  }

  /** The drawing of a fade's shape, once it is here. @param {Fade} f */
  curve(f) {
    const key = `${f.shape}?bend=${f.bend}`;
    const known = this.curves.get(key);
    if (!known) {
      this.curves.set(key, []);
      void get(`/curves/${key}`).then((v) => {
        this.curves.set(key, v);
        this.drawnCurves++;
        this.redraw();
      });
    }
    return known ?? [];
  }

  /** The playhead lies on a canvas of its own, so that it can move alone. */
  drawOver() {
    const h = this.parts.tracks.clientHeight + this.below,
      g = fit(this.parts.over, this.width, h);
    const x = Math.round(this.x(this.playhead)) + 0.5;
    if (x >= -10 && x <= this.width + 10) drawHead(g, x, h);
    // What a drag says lies over everything.
    if (!this.words) return;
    g.translate(0, this.below);
    drawWords(this, g, this.words);
  }
}

/** The playhead: a line, and its head below the times of the ruler, so that it hides none of them. @param {CanvasRenderingContext2D} g @param {number} x @param {number} h */
function drawHead(g, x, h) {
  g.strokeStyle = g.fillStyle = colour.teal;
  g.lineWidth = 1.5;
  g.beginPath();
  g.moveTo(x, 24);
  g.lineTo(x, h);
  g.stroke();
  g.beginPath();
  g.roundRect(x - 6, 14, 12, 12, [3, 3, 6, 6]);
  g.fill();
}
