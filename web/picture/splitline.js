// The grips of a split edit: the picture cut above, the cut of its sound below,
// and the step between them, with the material that there is on both sides.

import { drag } from "../lib/drag.js";
import { Problem } from "../app/api.js";
import { fit, paint } from "../lib/canvas.js";
import { colour, hue } from "../lib/colours.js";
import { Rehearsal } from "../app/rehearsal.js";
import { frameLength, frameOf, frames as framesOf, sampleOf } from "../lib/timecode.js";
import { waveOf } from "../timeline/waves.js";

const straight = "straight: picture and sound cut together";
const bar = 20,
  step = 18;

/** Events: "edit", "hint". */
export class SplitLine extends EventTarget {
  /** @param {import("../app/app.js").App} tools @param {HTMLCanvasElement} canvas */
  constructor(tools, canvas) {
    super();
    this.tools = tools;
    this.canvas = canvas;
    /** @type {Leads | null} */
    this.leads = null;
    /** What an edit that is tried makes of it, in words. */
    this.tried = "";
    this.dirty = true;
    this.from = 0;
    this.perPixel = 100;
    canvas.addEventListener("pointerdown", (e) => this.down(e));
    canvas.addEventListener("pointermove", (e) => this.hover(e));
    new ResizeObserver(() => this.redraw()).observe(/** @type {Element} */ (canvas.parentElement));
    paint(this);
  }

  redraw() {
    this.dirty = true;
  }

  get seam() {
    return this.tools.session.seam;
  }

  /** @param {number} at */
  x(at) {
    return (at - this.from) / this.perPixel;
  }

  /** Where the cuts are, as they are or as a trial would leave them. */
  cuts() {
    const s = this.seam,
      lie = this.tools.timeline.lie;
    if (!s?.cut) return null;
    const left = lie.clips.get(s.left),
      right = lie.clips.get(s.right),
      shot = lie.clips.get(s.cut.right);
    return { left, right, picture: shot?.start ?? s.cut.at, sound: right?.start ?? (left ? left.start + left.length : s.at) };
  }

  draw() {
    this.dirty = false;
    const box = /** @type {HTMLElement} */ (this.canvas.parentElement),
      w = box.clientWidth,
      h = box.clientHeight;
    if (!w || !h) return;
    const g = fit(this.canvas, w, h),
      c = this.cuts(),
      p = this.tools.doc.props,
      s = this.seam;
    if (!c || !s?.cut) {
      g.font = "13px 'Atkinson Next', sans-serif";
      g.fillStyle = colour.ash;
      g.fillText("No picture cut here.", 14, h / 2);
      return;
    }
    // The view stays while something is dragged.
    if (!this.tools.timeline.trial) {
      const reach = Math.max(p.sampleRate * 1.2, Math.abs(c.sound - c.picture) + p.sampleRate * 0.6);
      this.from = s.cut.at - reach;
      this.perPixel = (2 * reach) / w;
    }
    const sound = bar + step,
      half = (h - sound) / 2,
      xp = this.x(c.picture),
      xs = this.x(c.sound);
    this.drawPicture(g, s.cut, xp, w);
    // Sound below: outgoing above, incoming below, what is not heard faintly.
    this.drawSound(g, c.left, { top: sound, half, w, cut: c.sound, incoming: false });
    this.drawSound(g, c.right, { top: sound + half, half, w, cut: c.sound, incoming: true });
    this.drawWarnings(g, c.picture, sound, h);
    this.drawStep(g, xp, xs, w, h, this.tools.timeline.trial ? this.tried : s.cut.words ? `sound ${s.cut.words}` : straight);
    this.grip(g, xp, bar - 9);
    this.grip(g, xs, sound + (h - sound) / 2 - 9);
  }

  /** Picture above: what goes out and what comes in. @param {CanvasRenderingContext2D} g @param {{left: number, right: number}} cut @param {number} xp @param {number} w */
  drawPicture(g, cut, xp, w) {
    g.fillStyle = colour.slate;
    g.fillRect(0, 0, xp - 1, bar);
    g.fillStyle = colour["slate-cloth"];
    g.fillRect(xp + 1, 0, w, bar);
    g.strokeStyle = colour.slate;
    g.lineWidth = 1;
    g.strokeRect(xp + 1.5, 0.5, w - xp, bar - 1);
    const shots = [this.tools.doc.clips.get(cut.left)?.name ?? "", this.tools.doc.clips.get(cut.right)?.name ?? ""];
    g.font = "12px 'Atkinson Next', sans-serif";
    g.fillStyle = colour["on-strong"];
    g.textAlign = "right";
    g.fillText(shots[0], xp - 12, 14);
    g.textAlign = "left";
    g.fillStyle = colour.ink;
    g.fillText(shots[1], xp + 12, 14);
  }

  /** One side of the sound. @param {CanvasRenderingContext2D} g @param {Clip | undefined} clip @param {{top: number, half: number, w: number, cut: number, incoming: boolean}} at */
  drawSound(g, clip, { top, half, w, cut, incoming }) {
    const { doc, waves } = this.tools;
    const src = clip && doc.sources.get(clip.source),
      track = clip && doc.tracks.get(clip.track);
    if (!clip || !src || !track) return;
    const tint = incoming ? colour.weld : hue(track),
      cloth = incoming ? colour["weld-cloth"] : colour["woad-cloth"];
    const heard = incoming ? [cut, clip.start + clip.length] : [clip.start, cut],
      there = [clip.start - clip.offset, clip.start - clip.offset + src.length];
    const a = Math.max(this.x(heard[0]), 0),
      b = Math.min(this.x(heard[1]), w);
    g.fillStyle = cloth;
    g.fillRect(a, top, Math.max(b - a, 0), half - 2);
    for (const [x0, x1, alpha] of [
      [Math.max(this.x(there[0]), 0), Math.min(this.x(there[1]), w), 0.35],
      [a, b, 1],
    ]) {
      if (x1 <= x0) continue;
      g.globalAlpha = alpha;
      waves.draw(g, waveOf(src, src.left, doc), {
        from: clip.offset + (this.from + x0 * this.perPixel - clip.start),
        perPixel: this.perPixel,
        x: Math.round(x0),
        width: Math.round(x1 - x0),
        mid: top + half / 2,
        half: half / 2 - 2,
        gain: 10 ** (clip.gainDB / 20) * 4,
        colour: tint,
      });
      g.globalAlpha = 1;
    }
    // The end of the material.
    const end = incoming ? this.x(there[0]) : this.x(there[1]);
    if (end > 0 && end < w) {
      g.fillStyle = colour.madder;
      g.fillRect(end - 1, top, 2, half - 2);
    }
  }

  /** The step from the one cut to the other. @param {CanvasRenderingContext2D} g @param {number} xp @param {number} xs @param {number} w @param {number} h @param {string} text */
  drawStep(g, xp, xs, w, h, text) {
    g.strokeStyle = g.fillStyle = colour.teal;
    g.lineWidth = 2.5;
    g.beginPath();
    g.moveTo(xp, 0);
    g.lineTo(xp, bar + step / 2);
    g.lineTo(xs, bar + step / 2);
    g.lineTo(xs, h);
    g.stroke();
    g.font = "600 12.5px 'Atkinson Next', sans-serif";
    const tw = g.measureText(text).width,
      tx = Math.min(Math.max(xp, xs) + 10, w - tw - 6);
    g.fillText(text, tx, bar + step / 2 + 4);
  }

  /** Where other words or knocks begin to be heard. @param {CanvasRenderingContext2D} g @param {number} cut @param {number} top @param {number} h */
  drawWarnings(g, cut, top, h) {
    const p = this.tools.doc.props;
    for (const o of this.leads?.warnings ?? []) {
      if (o.kind === "handle") continue;
      const x = this.x(cut - o.beyond * frameLength(p));
      g.strokeStyle = colour.weld;
      g.lineWidth = 1.5;
      g.setLineDash([4, 3]);
      g.beginPath();
      g.moveTo(x, top);
      g.lineTo(x, h);
      g.stroke();
      g.setLineDash([]);
      g.fillStyle = colour.weld;
      g.beginPath();
      g.moveTo(x, top + 1);
      g.lineTo(x + 5, top + 6);
      g.lineTo(x, top + 11);
      g.lineTo(x - 5, top + 6);
      g.fill();
    }
  }

  /** @param {CanvasRenderingContext2D} g @param {number} x @param {number} y */
  grip(g, x, y) {
    g.fillStyle = colour.raised;
    g.strokeStyle = colour.teal;
    g.lineWidth = 2;
    g.beginPath();
    g.roundRect(x - 6, y, 12, 18, 4);
    g.fill();
    g.stroke();
  }

  /** What is taken hold of at a point. @param {PointerEvent} e @returns {"picture" | "sound" | ""} */
  hit(e) {
    const c = this.cuts(),
      box = this.canvas.getBoundingClientRect(),
      x = e.clientX - box.left,
      y = e.clientY - box.top;
    if (!c) return "";
    if (y < bar + step / 2) return Math.abs(x - this.x(c.picture)) < 9 ? "picture" : "";
    return Math.abs(x - this.x(c.sound)) < 9 ? "sound" : "";
  }

  /** @param {PointerEvent} e */
  hover(e) {
    if (e.buttons) return;
    const what = this.hit(e);
    this.canvas.style.cursor = what ? "col-resize" : "default";
    this.hint(
      what === "picture"
        ? "Drag to roll the picture cut; its sound stays"
        : what === "sound"
          ? "Drag the sound's cut: it leads or lags, the picture stays"
          : "",
    );
  }

  /** @param {string} text */
  hint(text) {
    this.dispatchEvent(new CustomEvent("hint", { detail: text }));
  }

  /** @param {PointerEvent} e */
  down(e) {
    const what = this.hit(e),
      c = this.cuts(),
      s = this.seam,
      t = this.tools.timeline,
      p = this.tools.doc.props;
    if (e.button !== 0 || !what || !c || !s?.cut) return;
    const cut = s.cut,
      start = e.clientX;
    /** @type {[string, Record<string, unknown>] | null} */
    let want = null;
    const rehearsal = new Rehearsal(
      this.tools.doc,
      (r) => {
        if (r instanceof Problem) this.hint(r.message);
        else {
          t.rehearse(r.change);
          this.tried = (r.outcome.says ?? []).find((line) => line.startsWith("sound ")) ?? "";
          if (this.tried === "sound straight") this.tried = straight;
          this.hint([r.stops ?? "", ...(r.outcome.says ?? [])].filter(Boolean).join(" · "));
        }
        this.redraw();
      },
      true,
    );
    drag(e, {
      on: this.canvas,
      still: 3,
      move: (m) => {
        const raw = (m.clientX - start) * this.perPixel;
        if (what === "sound") {
          // In whole frames, unless ctrl holds snapping off.
          const lead = framesOf(c.picture - c.sound - raw, p);
          want = [
            "lead",
            { cuts: [{ left: s.left, right: s.right }], frames: m.ctrlKey || m.metaKey ? Math.round(lead * 10) / 10 : Math.round(lead) },
          ];
        } else {
          const to = sampleOf(frameOf(Math.round(c.picture + raw + frameLength(p) / 2), p), p);
          want = ["roll", { left: cut.left, right: cut.right, by: to - c.picture }];
        }
        rehearsal.try(want[0], want[1]);
      },
      end: (kept) => {
        rehearsal.end();
        t.rehearse(null);
        this.redraw();
        if (kept && want) this.dispatchEvent(new CustomEvent("edit", { detail: { kind: want[0], what: want[1], nearest: true } }));
      },
    });
  }
}
