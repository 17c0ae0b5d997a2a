// The strip above the tracks: the level of the room through the reel as it
// sounds, its jumps, and the holes in it.

import { fit, paint } from "../lib/canvas.js";
import { colour } from "../lib/colours.js";
import { shortAt, span } from "../lib/timecode.js";

/** Levels that the strip shows, in dBFS. */
const top = -30,
  low = -84;

export class Strip {
  /**
   * @param {import("./timeline.js").Timeline} timeline
   * @param {HTMLCanvasElement} canvas
   */
  constructor(timeline, canvas) {
    this.timeline = timeline;
    this.canvas = canvas;
    /** @type {number[]} */
    this.levels = [];
    this.hop = 1;
    /** @type {number[][]} */
    this.holes = [];
    /** @type {{course: number[], revision: number, target: Target, places: {from: number, to: number, words: string}[]} | null} */
    this.loud = null;
    /** Whether it is the loudness that is shown, not the room. */
    this.showsLoudness = false;
    this.dirty = true;
    timeline.addEventListener("view", () => this.redraw());
    timeline.addEventListener("layout", () => this.redraw());
    canvas.addEventListener("pointermove", (e) => this.hover(e));
    canvas.addEventListener("pointerleave", () => timeline.hint(""));
    canvas.addEventListener("pointerdown", (e) => timeline.dispatchEvent(new CustomEvent("playhead", { detail: Math.max(this.at(e), 0) })));
    paint(this);
  }

  redraw() {
    this.dirty = true;
  }

  /** @param {Continuity} c */
  take(c) {
    this.levels = c.levels;
    this.hop = c.hop;
    this.holes = c.holes;
    this.redraw();
  }

  /** @param {boolean} on */
  showLoudness(on) {
    this.showsLoudness = on;
    this.redraw();
  }

  /** Loudness through the reel. @param {Loudness} l */
  takeLoudness(l) {
    this.loud = { course: l.course, revision: l.revision, target: l.target, places: l.places ?? [] };
    this.redraw();
  }

  /** @param {PointerEvent} e */
  at(e) {
    return this.timeline.sample(e.clientX - this.canvas.getBoundingClientRect().left);
  }

  /** The hole at a place. @param {number} at */
  holeAt(at) {
    const near = 4 * this.timeline.perPixel;
    return this.holes.find((h) => at >= h[0] - near && at <= h[1] + near);
  }

  /** @param {PointerEvent} e */
  hover(e) {
    const at = this.at(e),
      p = this.timeline.doc.props,
      hole = this.holeAt(at),
      loud = this.loud?.course[Math.round((at / p.sampleRate - 1.5) * 2)],
      v = this.levels[Math.round(at / this.hop)];
    if (this.showsLoudness) {
      const place = this.loud?.places.find((o) => at >= o.from && at <= o.to);
      this.timeline.hint(
        [
          loud === undefined
            ? "The loudness through the reel"
            : `Loudness at ${shortAt(at, p)}: ${loud <= -69 ? "silence" : `${loud.toFixed(1).replace("-", "−")} LUFS`}`,
          place?.words,
        ]
          .filter(Boolean)
          .join(" · "),
      );
      return;
    }
    this.timeline.hint(
      hole
        ? `Hole: digital silence for ${span(hole[1] - hole[0], p)} from ${shortAt(hole[0], p)} on`
        : v === undefined
          ? "The room through the reel"
          : v <= -143
            ? "The room: silence"
            : `The room at ${shortAt(at, p)}: ${v.toFixed(1).replace("-", "−")} dBFS, of dialogue and room tone as they sound`,
    );
  }

  draw() {
    this.dirty = false;
    const t = this.timeline,
      w = t.width,
      h = 24,
      g = fit(this.canvas, w, h);
    g.fillStyle = colour.paper;
    g.fillRect(0, 0, w, h);
    if (this.showsLoudness) return this.drawLoudness(g, w, h);
    const y = (/** @type {number} */ v) => 2 + (h - 4) * Math.min(Math.max((top - v) / (top - low), 0), 1);
    const first = Math.max(Math.floor(t.from / this.hop) - 1, 0),
      last = Math.min(Math.ceil((t.from + w * t.perPixel) / this.hop) + 1, this.levels.length);
    // The room is cloth up to its level; where it is silent there is none.
    g.fillStyle = colour["moss-cloth"];
    g.strokeStyle = colour.moss;
    g.lineWidth = 1.5;
    let begin = -1;
    const piece = (/** @type {number} */ to) => {
      if (begin < 0) return;
      g.beginPath();
      for (let k = begin; k < to; k++) g.lineTo(t.x(k * this.hop), y(this.levels[k]));
      g.lineTo(t.x(Math.min(to, this.levels.length) * this.hop), y(this.levels[to - 1]));
      g.stroke();
      g.lineTo(t.x(to * this.hop), h);
      g.lineTo(t.x(begin * this.hop), h);
      g.fill();
      begin = -1;
    };
    for (let k = first; k < last; k++) {
      if (this.levels[k] <= -143) piece(k);
      else if (begin < 0) begin = k;
    }
    piece(last);
    this.drawJumps(g, w);
    this.drawHoles(g, w, h);
  }

  /** The loudness of 3 s about each place, on a band about the target; places outside it are marked at the foot. @param {CanvasRenderingContext2D} g @param {number} w @param {number} h */
  drawLoudness(g, w, h) {
    const t = this.timeline,
      l = this.loud;
    if (!l) return;
    // What was measured of the reel before its last change is faint until it is measured anew.
    const stale = l.revision !== t.doc.revision ? 0.4 : 1;
    const rate = t.doc.props.sampleRate,
      y = (/** @type {number} */ v) => h / 2 - ((v - l.target.lufs) * h) / 30;
    g.fillStyle = colour.woad;
    g.globalAlpha = 0.18;
    g.fillRect(0, y(l.target.lufs + 1), w, y(l.target.lufs - 1) - y(l.target.lufs + 1));
    g.globalAlpha = stale;
    g.strokeStyle = colour.woad;
    g.lineWidth = 1.25;
    g.beginPath();
    l.course.forEach((v, k) => {
      const x = t.x((1.5 + k / 2) * rate);
      if (x < -50 || x > w + 50) return;
      if (v <= -69) g.moveTo(x, h);
      else g.lineTo(x, Math.min(Math.max(y(v), 1), h - 1));
    });
    g.stroke();
    g.fillStyle = colour.madder;
    for (const p of l.places) g.fillRect(t.x(p.from), h - 3, Math.max(t.x(p.to) - t.x(p.from), 2), 3);
    g.globalAlpha = 1;
  }

  /** Where the room jumps the ledger says so: the mark of its verdict. @param {CanvasRenderingContext2D} g @param {number} w */
  drawJumps(g, w) {
    const t = this.timeline;
    for (const s of t.doc.seams) {
      if (s.accepted || (s.verdict !== "check" && s.verdict !== "mend") || !["room", "struck", "hole"].includes(s.what ?? "")) continue;
      const x = t.x(s.at);
      if (x < -6 || x > w + 6) continue;
      g.fillStyle = s.verdict === "mend" ? colour.madder : colour.weld;
      g.beginPath();
      if (s.verdict === "mend") {
        g.moveTo(x, 6);
        g.lineTo(x + 4.5, 14);
        g.lineTo(x - 4.5, 14);
      } else {
        g.moveTo(x, 5);
        g.lineTo(x + 4.5, 10);
        g.lineTo(x, 15);
        g.lineTo(x - 4.5, 10);
      }
      g.fill();
    }
  }

  /** @param {CanvasRenderingContext2D} g @param {number} w @param {number} h */
  drawHoles(g, w, h) {
    const t = this.timeline;
    g.strokeStyle = colour.madder;
    g.lineWidth = 1.5;
    g.setLineDash([3, 2]);
    for (const [a, b] of this.holes) {
      const x0 = t.x(a),
        x1 = t.x(b);
      if (x1 < 0 || x0 > w) continue;
      g.strokeRect(x0, 2.5, Math.max(x1 - x0, 3), h - 5);
    }
    g.setLineDash([]);
  }
}
