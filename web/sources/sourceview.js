// A source, large: its waveform, the stretch that is marked in it, and where it
// is being listened to.

import { drag } from "../lib/drag.js";
import { fit, paint } from "../lib/canvas.js";
import { colour, hue } from "../lib/colours.js";
import { span as say } from "../lib/timecode.js";

/** Events: "mark" when the marked stretch changed, "place" (detail: sample), "hint". */
export class SourceView extends EventTarget {
  /**
   * @param {import("../app/doc.js").Doc} doc
   * @param {import("../timeline/waves.js").Waves} waves
   * @param {HTMLCanvasElement} canvas
   */
  constructor(doc, waves, canvas) {
    super();
    /** @type {(Quiet & {source: number})[]} */
    this.quiet = [];
    this.doc = doc;
    this.waves = waves;
    this.canvas = canvas;
    /** @type {Source | null} */
    this.source = null;
    this.from = 0;
    this.perPixel = 1;
    this.in = 0;
    this.out = 0;
    this.playhead = -1;
    /** Stretches that are kept, to be drawn. @type {{name: string, from: number, to: number}[]} */
    this.pieces = [];
    /** What its file has marked. @type {{at: number, length: number, text: string}[]} */
    this.marks = [];
    /** @type {import("../picture/frames.js").Frames | null} */
    this.frames = null;
    this.dirty = true;
    canvas.addEventListener("pointerdown", (e) => this.down(e));
    canvas.addEventListener("pointermove", () =>
      this.hint("Drag along the wave to mark a stretch · drag its ends to set them · the wheel moves along, with ctrl it zooms"),
    );
    canvas.addEventListener("pointerleave", () => this.hint(""));
    canvas.addEventListener("wheel", (e) => this.wheel(e), { passive: false });
    new ResizeObserver(() => this.source && this.look(this.from, this.perPixel)).observe(/** @type {HTMLElement} */ (canvas.parentElement));
    paint(this);
  }

  /** @param {string} text */
  hint(text) {
    this.dispatchEvent(new CustomEvent("hint", { detail: text }));
  }

  redraw() {
    this.dirty = true;
  }

  get box() {
    const el = /** @type {HTMLElement} */ (this.canvas.parentElement);
    return { w: Math.max(el.clientWidth, 50), h: Math.max(el.clientHeight, 50) };
  }

  /** @param {Source | null} source @param {{from: number, to: number}} [stretch] */
  show(source, stretch) {
    this.source = source;
    if (!source) return;
    this.in = stretch?.from ?? 0;
    this.out = stretch?.to ?? source.length;
    this.playhead = -1;
    this.look(0, source.length / (this.box.w - 28));
    if (stretch) this.look(stretch.from - (stretch.to - stretch.from) * 0.5, ((stretch.to - stretch.from) * 2) / (this.box.w - 28));
    this.dispatchEvent(new Event("mark"));
  }

  /** @param {number} from @param {number} perPixel */
  look(from, perPixel) {
    const s = this.source;
    if (!s) return;
    const w = this.box.w - 28;
    this.perPixel = Math.min(Math.max(perPixel, 1 / 16), s.length / w);
    this.from = Math.min(Math.max(from, 0), s.length - w * this.perPixel);
    this.redraw();
  }

  /** @param {number} factor */
  zoom(factor) {
    const w = this.box.w - 28,
      mid = this.playhead >= 0 ? this.playhead : this.from + (w * this.perPixel) / 2;
    const x = (mid - this.from) / this.perPixel;
    this.look(this.from, this.perPixel * factor);
    this.look(mid - x * this.perPixel, this.perPixel);
  }

  /** @param {number} a @param {number} b */
  mark(a, b) {
    const n = this.source?.length ?? 0;
    this.in = Math.min(Math.max(Math.min(a, b), 0), n - 1);
    this.out = Math.min(Math.max(Math.max(a, b), this.in + 1), n);
    this.redraw();
    this.dispatchEvent(new Event("mark"));
  }

  /** @param {number} sample */
  x(sample) {
    return 14 + (sample - this.from) / this.perPixel;
  }

  /** Stretches in which the room alone is heard, as they were found. @param {CanvasRenderingContext2D} g @param {Source} s @param {number} h */
  drawQuiet(g, s, h) {
    for (const q of this.quiet) {
      if (q.source !== s.id) continue;
      const a = Math.max(this.x(q.from), 14),
        b = Math.min(this.x(q.to), this.box.w - 14);
      if (b <= a) continue;
      g.fillStyle = colour.moss;
      g.globalAlpha = 0.22;
      g.fillRect(a, 4, b - a, h - 30);
      g.globalAlpha = 1;
      g.fillRect(a, 4, b - a, 3);
    }
  }

  /** Frames of a picture along its time. @param {CanvasRenderingContext2D} g @param {Source} s @param {number} h */
  drawFrames(g, s, h) {
    const pic = s.picture,
      w = this.box.w;
    if (!pic || !s.recording || !this.frames) return;
    const high = Math.min(h - 44, 110),
      wide = (high * (pic.width || 16)) / (pic.height || 9),
      tiles = Math.floor((w - 28) / wide);
    for (let k = 0; k < tiles; k++) {
      const at = this.from + (14 + k * wide - 14) * this.perPixel,
        n = pic.frames ? Math.floor((at / s.length) * pic.frames) : 0;
      if (at < 0 || at >= s.length) continue;
      const bitmap = this.frames.get(s.recording, n);
      if (bitmap) g.drawImage(bitmap, 14 + k * wide, 4 + (h - 30 - high) / 2, wide - 2, high);
    }
  }

  draw() {
    this.dirty = false;
    const { w, h } = this.box,
      g = fit(this.canvas, w, h),
      s = this.source;
    if (!s) return;
    const channels = s.right >= 0 ? [s.left, s.right] : [s.left],
      each = (h - 30) / channels.length;
    g.fillStyle = colour.lane;
    g.fillRect(14, 4, w - 28, h - 30);
    const a = Math.max(this.x(this.in), 14),
      b = Math.min(this.x(this.out), w - 14);
    g.fillStyle = colour["woad-cloth"];
    if (b > a) g.fillRect(a, 4, b - a, h - 30);
    if (s.picture) this.drawFrames(g, s, h);
    else
      channels.forEach((channel, k) =>
        this.waves.draw(
          g,
          { recording: s.recording, channel, length: s.length },
          {
            from: this.from,
            perPixel: this.perPixel,
            x: 14,
            width: w - 28,
            mid: 4 + each * (k + 0.5),
            half: each / 2 - 3,
            gain: 1.6,
            colour: colour.woad,
          },
        ),
      );
    this.drawQuiet(g, s, h);
    this.drawUsed(g, s, w, h);
    this.drawPieces(g, w);
    this.drawMarks(g, w, h);
    this.drawGrips(g, w, h);
    this.drawAxis(g, w, h);
  }

  /** Stretches that are kept, with their names. @param {CanvasRenderingContext2D} g @param {number} w */
  drawPieces(g, w) {
    g.font = "12px 'Atkinson Next', sans-serif";
    for (const p of this.pieces) {
      const a = Math.max(this.x(p.from), 14),
        b = Math.min(this.x(p.to), w - 14);
      if (b <= a) continue;
      g.fillStyle = colour.teal;
      g.fillRect(a, 0, Math.max(b - a - 1, 1), 3);
      if (b - a < 24) continue;
      g.save();
      g.beginPath();
      g.rect(a, 3, b - a - 2, 16);
      g.clip();
      g.fillText(p.name, a + 2, 15);
      g.restore();
    }
  }

  /** What its file has marked: a dashed line and its word at the foot. @param {CanvasRenderingContext2D} g @param {number} w @param {number} h */
  drawMarks(g, w, h) {
    g.save();
    g.font = "12px 'Atkinson Next', sans-serif";
    g.strokeStyle = g.fillStyle = colour.plum;
    g.setLineDash([2, 3]);
    this.marks.forEach((m, i) => {
      const x = this.x(m.at),
        end = Math.min(this.x(this.marks[i + 1]?.at ?? Infinity), w - 14);
      if (x < 14 || x > w - 14) return;
      g.beginPath();
      g.moveTo(x, 4);
      g.lineTo(x, h - 26);
      g.stroke();
      if (m.length) g.fillRect(x, h - 29, Math.min(this.x(m.at + m.length), w - 14) - x, 3);
      if (end - x < 24) return;
      g.save();
      g.beginPath();
      g.rect(x, h - 46, end - x - 3, 18);
      g.clip();
      g.fillText(m.text, x + 4, h - 32);
      g.restore();
    });
    g.restore();
  }

  /** The ends of what is marked, and where it is heard. @param {CanvasRenderingContext2D} g @param {number} w @param {number} h */
  drawGrips(g, w, h) {
    g.strokeStyle = colour.ink;
    g.fillStyle = colour.raised;
    g.lineWidth = 1.5;
    for (const e of [this.in, this.out]) {
      const x = this.x(e);
      if (x < 8 || x > w - 8) continue;
      g.beginPath();
      g.moveTo(x, 4);
      g.lineTo(x, h - 26);
      g.stroke();
      g.beginPath();
      g.roundRect(x - 5, (h - 30) / 2 - 5, 10, 18, 4);
      g.fill();
      g.stroke();
    }
    if (this.playhead >= 0) {
      const x = this.x(this.playhead);
      g.strokeStyle = colour.teal;
      g.beginPath();
      g.moveTo(x, 0);
      g.lineTo(x, h - 26);
      g.stroke();
    }
  }

  /** Times of the recording. @param {CanvasRenderingContext2D} g @param {number} w @param {number} h */
  drawAxis(g, w, h) {
    const rate = this.doc.props.sampleRate,
      seconds = ((w - 28) * this.perPixel) / rate;
    const step =
      [0.001, 0.002, 0.005, 0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 30, 60, 120, 300, 600].find((v) => seconds / v < 9) ?? 1800;
    g.font = "12px 'Atkinson Mono', monospace";
    g.fillStyle = colour.ash;
    for (let k = Math.ceil(this.from / rate / step); k * step * rate < this.from + (w - 28) * this.perPixel; k++) {
      const x = this.x(k * step * rate),
        t = k * step;
      g.fillRect(x, h - 26, 1, 5);
      if (x < w - 60)
        g.fillText(
          `${Math.floor(t / 60)}:${(t % 60).toFixed(step < 1 ? (step < 0.01 ? 3 : 2) : 0).padStart(step < 1 ? 5 : 2, "0")}`,
          x + 3,
          h - 10,
        );
    }
  }

  /** @param {PointerEvent} e */
  down(e) {
    const s = this.source;
    if (!s || e.button !== 0) return;
    const box = this.canvas.getBoundingClientRect();
    const sample = (/** @type {PointerEvent} */ m) => Math.round(this.from + (m.clientX - box.left - 14) * this.perPixel);
    const start = sample(e),
      x = e.clientX - box.left;
    // Only a grip itself moves an edge: a new mark may begin right beside the last.
    const middle = (this.box.h - 30) / 2 + 4,
      onGrip = (/** @type {number} */ edge) => Math.abs(x - this.x(edge)) <= 6 && Math.abs(e.clientY - box.top - middle) <= 11;
    const fixed = onGrip(this.in) ? this.out : onGrip(this.out) ? this.in : start;
    const was = [this.in, this.out];
    drag(e, {
      on: this.canvas,
      still: 3,
      move: (m) => {
        this.mark(fixed, sample(m));
        this.hint(`Marked: ${say(this.out - this.in, this.doc.props)} of ${s.name}`);
      },
      end: (kept, moved) => {
        if (!kept) this.mark(was[0], was[1]);
        if (moved || !kept) return;
        this.playhead = Math.min(Math.max(start, 0), s.length);
        this.dispatchEvent(new CustomEvent("place", { detail: this.playhead }));
        this.redraw();
      },
    });
  }

  /** Which stretches clips of the reel play already. @param {CanvasRenderingContext2D} g @param {Source} s @param {number} w @param {number} h */
  drawUsed(g, s, w, h) {
    g.font = "11.5px 'Atkinson Next', sans-serif";
    for (const c of this.doc.clips.values()) {
      if (c.source !== s.id) continue;
      const t = this.doc.tracks.get(c.track),
        x0 = Math.max(this.x(c.offset), 14),
        x1 = Math.min(this.x(c.offset + c.length), w - 14);
      if (x1 <= x0 || !t) continue;
      g.fillStyle = hue(t);
      g.globalAlpha = 0.85;
      g.fillRect(x0, h - 30, Math.max(x1 - x0 - 1, 1), 4);
      g.globalAlpha = 1;
      if (x1 - x0 < 40) continue;
      g.save();
      g.beginPath();
      g.rect(x0, h - 46, x1 - x0 - 4, 16);
      g.clip();
      g.fillText(c.name, x0 + 3, h - 34);
      g.restore();
    }
  }

  /** @param {WheelEvent} e */
  wheel(e) {
    e.preventDefault();
    if (e.ctrlKey || e.metaKey) this.zoom(Math.exp(Math.min(Math.max(e.deltaY, -120), 120) * 0.004));
    else this.look(this.from + (e.deltaX + e.deltaY) * this.perPixel, this.perPixel);
  }
}

/**
 * Draws a source's small waveform into a canvas of a list.
 * @param {HTMLCanvasElement} canvas
 * @param {Source} s
 * @param {import("../timeline/waves.js").Waves} waves
 */
export function drawMini(canvas, s, waves) {
  const w = canvas.parentElement?.clientWidth ?? 200,
    h = 34,
    g = fit(canvas, w, h);
  if (s.picture || !s.recording) return; // frames are drawn by those who have them
  const wave = { recording: s.recording, channel: s.left, length: s.length };
  // Small as it is, it shows where something happens rather than how loud it is.
  const gain = 0.95 / Math.max(waves.peak(wave, 0, s.length), 0.003);
  waves.draw(g, wave, { from: 0, perPixel: s.length / w, x: 0, width: w, mid: h / 2, half: h / 2 - 1, gain, colour: colour.woad });
}
