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
    for (const row of rows) {
      const top = row.top - scroll;
      if (top > h || top + row.height < 0) continue;
      g.fillStyle = colour.lane;
      g.fillRect(0, top, w, row.height);
      this.drawLane(g, row.track, top, row.height, w);
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

  /** @param {CanvasRenderingContext2D} g @param {Track} t @param {number} top @param {number} height @param {number} w */
  drawLane(g, t, top, height, w) {
    if (t.role === "picture") return drawShots(this, g, t, top, height, w);
    const clips = this.lie.lanes.get(t.id) ?? [];
    const first = this.from,
      last = this.from + w * this.perPixel;
    for (const c of clips) {
      if (c.start + c.length < first || c.start > last) continue;
      drawClip(this, g, t, c, top, height, w);
    }
    for (const b of this.lie.blends.values()) {
      const left = this.lie.clips.get(b.left);
      const right = this.lie.clips.get(b.right);
      // Over two tracks the stitches are on both.
      if (this.shown.curves && left && (left.track === t.id || right?.track === t.id))
        drawStitches(this, g, left.start + left.length, b, top, height);
    }
    if (t.locked) this.drawLock(g, top, height, w);
    if (this.perPixel > 40000 || this.trial) return;
    for (const s of this.doc.seams) {
      if (s.kind === "struck") continue; // it has its own cloth
      if ((s.track !== t.id && s.to !== t.id) || s.at < first || s.at > last) continue;
      drawKnot(this, g, s, top, height);
    }
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
