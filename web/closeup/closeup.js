// The close-up's gestures: the ends of a blend or fade are dragged, and what
// they would lead to is asked of the server.

import { Problem } from "../app/api.js";
import { CloseSheet } from "./sheet.js";
import { shown } from "./struck.js";
import { Rehearsal } from "../app/doc.js";
import { frames, span as say } from "../lib/timecode.js";

/** Events: "edit" (detail: kind, what), "limit" (detail: why it stops), "playhead" (detail: sample). */
export class CloseView extends CloseSheet {
  /**
   * @param {import("../app/doc.js").Doc} doc
   * @param {import("../timeline/waves.js").Waves} waves
   * @param {HTMLCanvasElement} canvas
   * @param {HTMLCanvasElement} over
   */
  constructor(doc, waves, canvas, over) {
    super(doc, waves, canvas, over);
    canvas.addEventListener("pointerdown", (e) => this.down(e));
    canvas.addEventListener("pointermove", (e) => this.hover(e));
    canvas.addEventListener("pointerleave", () => this.hint(""));
    canvas.addEventListener(
      "wheel",
      (e) => {
        e.preventDefault();
        this.zoom(Math.exp(Math.min(Math.max(e.deltaY, -120), 120) * 0.004));
      },
      { passive: false },
    );
  }

  /** @param {PointerEvent} e */
  gripAt(e) {
    const box = this.canvas.getBoundingClientRect(),
      x = e.clientX - box.left,
      y = e.clientY - box.top;
    if (y > this.rows.level.top) return null;
    const near = this.grips()
      .map(([name, gx]) => ({ name, gx, d: Math.abs(x - gx) }))
      .filter((k) => k.d < 10)
      .sort((a, b) => a.d - b.d)[0];
    return near ?? null;
  }

  /** @param {PointerEvent} e */
  hover(e) {
    if (this.backOut || !this.seam) return;
    const grip = this.gripAt(e);
    this.canvas.style.cursor = grip ? (grip.name === "cut" ? "col-resize" : "ew-resize") : "default";
    this.hint(
      grip
        ? this.seam.kind === "struck"
          ? grip.name === "from" || grip.name === "to"
            ? "Drag this edge of the strike"
            : "Drag to set this fade"
          : grip.name === "cut"
            ? "Drag to roll the cut: one clip gives what the other takes"
            : grip.name === "fade"
              ? "Drag to set the fade"
              : "Drag this end of the blend · with shift both ends move together"
        : this.info?.blend || this.seam.kind !== "cut"
          ? "Click to move the playhead · the wheel zooms around the cut"
          : "Drag a grip off the cut to blend, the cut itself to roll it · the wheel zooms around it",
    );
  }

  /** @param {PointerEvent} e */
  down(e) {
    if (e.button !== 0 || !this.seam || !this.info) return;
    const grip = this.gripAt(e),
      box = this.canvas.getBoundingClientRect();
    if (!grip) {
      this.dispatchEvent(new CustomEvent("playhead", { detail: Math.max(this.sample(e.clientX - box.left), 0) }));
      return;
    }
    const offset = grip.gx - (e.clientX - box.left),
      p = this.doc.props,
      seam = this.seam,
      at = this.info.at;
    const base = /** @type {Blend} */ (this.info.blend) ?? { before: 0, after: 0, law: "constantPower", lean: 0.5 };
    const fade = this.info.fade ?? { length: 0, shape: "constantPower", bend: 0.5 };
    /** @type {{kind: string, what: Record<string, any>}} */
    let want = { kind: "", what: {} };
    const rehearsal = new Rehearsal(
      this.doc,
      (r, tried) => {
        if (r instanceof Problem) {
          this.hint(r.message);
          this.dispatchEvent(new CustomEvent("limit", { detail: r.message }));
          if (r.offer && tried === want.what) {
            want = { kind: r.offer.do, what: r.offer.with };
            rehearsal.try(want.kind, want.what, this.query);
          }
          return;
        }
        if (r.stops) this.dispatchEvent(new CustomEvent("limit", { detail: r.stops }));
        if (want.kind === "roll" || want.kind === "setStrike") {
          this.hint([r.stops, ...(r.outcome.says ?? []), ...(r.outcome.notes ?? [])].filter(Boolean).join(" · "));
          if (r.closeUp) this.rehearse(r.closeUp, r.change);
          return;
        }
        const b = r.closeUp?.blend,
          f = r.closeUp?.fade,
          n = b ? b.before + b.after : (f?.length ?? 0);
        if (tried === want.what)
          this.hint(
            `${b ? "Blend" : "Fade"} of ${say(n, p)}, ${frames(n, p).toFixed(1)} frames${b ? `: ${say(b.before, p)} before the cut, ${say(b.after, p)} after it` : ""}`,
          );
        if (r.closeUp) this.rehearse(r.closeUp, r.change);
      },
      grip.name === "cut" || seam.kind === "struck",
    );
    const it = shown(this);
    const before = this.info;
    this.trial = true;
    this.canvas.setPointerCapture(e.pointerId);
    const stop = new AbortController(),
      signal = stop.signal;
    const finish = (/** @type {boolean} */ kept) => {
      stop.abort();
      rehearsal.end();
      this.backOut = null;
      this.trial = false;
      if (kept && want.kind) this.dispatchEvent(new CustomEvent("edit", { detail: { ...want, nearest: true } }));
      else {
        // What was tried is gone at once, not only when the server has answered.
        this.doc.dropTrial();
        this.lie = null;
        this.rehearse(before);
        void this.read();
      }
    };
    this.canvas.addEventListener(
      "pointermove",
      (m) => {
        const to = this.sample(m.clientX - box.left + offset);
        if (seam.kind === "struck" && it) {
          const k = it.strike,
            here = to - it.at;
          want = {
            kind: "setStrike",
            what: {
              strike: k.id,
              ...(grip.name === "from" || grip.name === "to"
                ? { [grip.name]: here }
                : grip.name === "fall"
                  ? { fall: { ...k.fall, length: Math.max(k.from - here, 0) } }
                  : { rise: { ...k.rise, length: Math.max(here - k.to, 0) } }),
            },
          };
        } else if (grip.name === "cut") {
          // The view goes along with the cut, so the way of the pointer counts.
          const by = Math.round((m.clientX - e.clientX) * (this.around / ((this.box.w - 28) / 2)));
          want = { kind: "roll", what: { left: seam.left, right: seam.right, by } };
        } else if (grip.name === "fade") {
          want = {
            kind: "setFade",
            what: {
              clip: seam.right || seam.left,
              end: seam.right ? "head" : "tail",
              fade: { ...fade, length: Math.max(seam.right ? to - at : at - to, 0) },
            },
          };
        } else {
          const n = Math.max(grip.name === "before" ? at - to : to - at, 0);
          const before = grip.name === "before" || m.shiftKey ? n : base.before,
            after = grip.name === "after" || m.shiftKey ? n : base.after;
          if (before + after < 1) return;
          want = {
            kind: "setBlend",
            what: { left: seam.left, right: seam.right, before, after, law: base.law, lean: base.lean, out: base.out, in: base.in },
          };
        }
        rehearsal.try(want.kind, want.what, this.query);
      },
      { signal },
    );
    this.canvas.addEventListener("pointerup", () => finish(true), { signal });
    this.canvas.addEventListener("pointercancel", () => finish(false), { signal });
    this.backOut = () => finish(false);
  }
}
