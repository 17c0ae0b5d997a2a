// The close-up's gestures: the ends of a blend or fade are dragged, and what
// they would lead to is asked of the server.

import { drag } from "../lib/drag.js";
import { Problem } from "../app/api.js";
import { CloseSheet } from "./sheet.js";
import { shown } from "./struck.js";
import { Rehearsal } from "../app/rehearsal.js";
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
    /** @type {{at: number, blend: Blend, fade: Fade}} what is dragged, as it was */
    this.taken = { at: 0, blend: /** @type {Blend} */ ({}), fade: { length: 0, shape: "", bend: 0.5 } };
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
    if (this.dragging || !this.seam) return;
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
      seam = this.seam;
    // What it is now; the drag starts from that.
    this.taken = {
      at: this.info.at,
      blend: /** @type {Blend} */ (this.info.blend ?? { before: 0, after: 0, law: "constantPower", lean: 0.5 }),
      fade: this.info.fade ?? { length: 0, shape: "constantPower", bend: 0.5 },
    };
    /** @type {{kind: string, what: Record<string, any>}} */
    let want = { kind: "", what: {} };
    const heed = (/** @type {DryRun | Problem} */ r, /** @type {Record<string, unknown>} */ tried) => {
      const newest = tried === want.what;
      if (!(r instanceof Problem)) this.showTried(r, want.kind, newest);
      else {
        this.stopped(r.message);
        if (!r.offer || !newest) return;
        want = { kind: r.offer.do, what: r.offer.with };
        rehearsal.try(want.kind, want.what, this.query);
      }
    };
    const rehearsal = new Rehearsal(this.doc, heed, grip.name === "cut" || seam.kind === "struck");
    const before = this.info;
    this.trial = true;
    this.dragging = true;
    drag(e, {
      on: this.canvas,
      still: 0,
      move: (m) => {
        const next = this.wanted(grip.name, m, m.clientX - e.clientX, this.sample(m.clientX - box.left + offset));
        if (!next) return;
        want = next;
        rehearsal.try(want.kind, want.what, this.query);
      },
      end: (kept) => {
        rehearsal.end();
        this.dragging = this.trial = false;
        if (kept && want.kind) this.dispatchEvent(new CustomEvent("edit", { detail: { ...want, nearest: true } }));
        else {
          // What was tried is gone at once, not only when the server has answered.
          this.doc.dropTrial();
          this.lie = null;
          this.rehearse(before);
          void this.read();
        }
      },
    });
  }

  /** Tells why something goes no further. @param {string} text */
  stopped(text) {
    this.hint(text);
    this.dispatchEvent(new CustomEvent("limit", { detail: text }));
  }

  /** Shows what an edit that is tried would lead to. @param {DryRun} r @param {string} kind of the edit @param {boolean} newest nothing newer is asked for */
  showTried(r, kind, newest) {
    if (r.stops) this.dispatchEvent(new CustomEvent("limit", { detail: r.stops }));
    const b = r.closeUp?.blend,
      n = b ? b.before + b.after : (r.closeUp?.fade?.length ?? 0),
      p = this.doc.props;
    if (kind === "roll" || kind === "setStrike")
      this.hint([r.stops, ...(r.outcome.says ?? []), ...(r.outcome.notes ?? [])].filter(Boolean).join(" · "));
    else if (newest) {
      const sides = b ? `: ${say(b.before, p)} before the cut, ${say(b.after, p)} after it` : "";
      this.hint(`${b ? "Blend" : "Fade"} of ${say(n, p)}, ${frames(n, p).toFixed(1)} frames${sides}`);
    }
    if (r.closeUp) this.rehearse(r.closeUp, r.change);
  }

  /**
   * The edit that a grip means where it is dragged to, or null where it means none.
   * @param {string} grip
   * @param {PointerEvent} m
   * @param {number} way pixels from where it was taken hold of
   * @param {number} to the sample under it
   * @returns {{kind: string, what: Record<string, any>} | null}
   */
  wanted(grip, m, way, to) {
    const seam = /** @type {Seam} */ (this.seam),
      it = shown(this);
    if (seam.kind === "struck" && it)
      return { kind: "setStrike", what: { strike: it.strike.id, ...struckTo(it.strike, grip, to - it.at) } };
    if (grip === "cut") {
      // The view goes along with the cut, so the way of the pointer counts.
      return { kind: "roll", what: { left: seam.left, right: seam.right, by: Math.round(way * (this.around / ((this.box.w - 28) / 2))) } };
    }
    const at = this.taken.at;
    if (grip === "fade") {
      const fade = { ...this.taken.fade, length: Math.max(seam.right ? to - at : at - to, 0) };
      return { kind: "setFade", what: { clip: seam.right || seam.left, end: seam.right ? "head" : "tail", fade } };
    }
    const base = this.taken.blend,
      n = Math.max(grip === "before" ? at - to : to - at, 0);
    const before = grip === "before" || m.shiftKey ? n : base.before,
      after = grip === "after" || m.shiftKey ? n : base.after;
    if (before + after < 1) return null;
    return {
      kind: "setBlend",
      what: { left: seam.left, right: seam.right, before, after, law: base.law, lean: base.lean, out: base.out, in: base.in },
    };
  }
}

/** What of a strike a grip alters where it is dragged to. @param {Strike} k @param {string} grip @param {number} here in the time of its source */
function struckTo(k, grip, here) {
  if (grip === "from" || grip === "to") return { [grip]: here };
  if (grip === "fall") return { fall: { ...k.fall, length: Math.max(k.from - here, 0) } };
  return { rise: { ...k.rise, length: Math.max(here - k.to, 0) } };
}
