// The close-up as it is drawn: one seam, large. What goes out above, what comes in below, on
// one time axis around the cut; the material beyond each edge is drawn faint.

import { drawLevel, drawAxis, setScale } from "./level.js";
import { drawSide, empty, drawCurve, label } from "./side.js";
import { get, passing } from "../app/api.js";
import { fit, paint } from "../lib/canvas.js";
import { drawStruck, struckGrips } from "./struck.js";
import { drawOverlay, drawSpectrum } from "./views.js";
import { colour, hue } from "../lib/colours.js";
import { span as say } from "../lib/timecode.js";

/** Height of a band of words. */
const band = 18;

/** Events: "hint", "info" when what is known changed, "scale" when the waves are drawn at another size. */
export class CloseSheet extends EventTarget {
  /**
   * @param {import("../app/doc.js").Doc} doc
   * @param {import("../timeline/waves.js").Waves} waves
   * @param {HTMLCanvasElement} canvas
   * @param {HTMLCanvasElement} over
   */
  constructor(doc, waves, canvas, over) {
    super();
    this.doc = doc;
    this.waves = waves;
    this.canvas = canvas;
    this.over = over;
    /** @type {Seam | null} */
    this.seam = null;
    /** @type {CloseUp | null} what is, or while something is dragged what would be */
    this.info = null;
    /** @type {Laid | null} what an edit that is tried would leave */
    this.lie = null;
    /** Whether the server could not be asked about this seam; it is asked again. */
    this.unread = false;
    /** How often it was asked about. */
    this.turn = 0;
    /** @type {ReturnType<typeof setTimeout> | undefined} */
    this.blank = undefined;
    /** @type {ReturnType<typeof setTimeout> | undefined} */
    this.again = undefined;
    this.around = doc.props.sampleRate * 1.2;
    this.middle = 0;
    this.playhead = -1;
    this.trial = false;
    this.view = "wave"; // or overlay, or spectrum
    /** @type {Spectra | null} */
    this.spectra = null;
    this.scale = 2; // of the waves
    this.dirty = true;
    /** Whether something is dragged. */
    this.dragging = false;
    // Asking a page for sizes makes it lay itself out: they are kept.
    this.box = { w: 50, h: 50 };
    const frame = /** @type {HTMLElement} */ (canvas.parentElement),
      size = () => {
        this.box = { w: Math.max(frame.clientWidth, 50), h: Math.max(frame.clientHeight, 50) };
        this.redraw();
      };
    new ResizeObserver(size).observe(frame);
    size();
    paint(this);
  }

  redraw() {
    this.dirty = true;
  }

  /** @param {string} text */
  hint(text) {
    this.dispatchEvent(new CustomEvent("hint", { detail: text }));
  }

  /** @param {Seam | null} seam */
  async look(seam) {
    // A struck span is looked at as a whole, and stays where it is while its
    // edges are moved.
    if (seam?.kind === "struck" && !(this.seam?.kind === "struck" && this.seam.right === seam.right)) {
      this.middle = Math.round(seam.at + seam.gap / 2);
      this.around = Math.min(Math.max(seam.gap * 0.9, this.doc.props.sampleRate * 0.4), this.doc.props.sampleRate * 15);
    }
    this.seam = seam;
    this.info = null;
    this.spectra = null;
    this.unread = false;
    this.redraw();
    // What was known of the seam before does not stand beside the name of this one.
    clearTimeout(this.blank);
    this.blank = setTimeout(() => !this.info && this.dispatchEvent(new Event("info")), 250);
    await this.read();
  }

  /** @param {string} view wave, overlay or spectrum */
  setView(view) {
    this.view = view;
    // Slopes are matched sample by sample.
    if (view === "overlay" && this.around > this.doc.props.sampleRate / 20) this.zoom((0.004 * this.doc.props.sampleRate) / this.around);
    if (view === "spectrum") void this.readSpectra();
    this.redraw();
  }

  async readSpectra() {
    const seam = this.seam;
    if (!seam) return;
    try {
      const spectra = await get(`/reels/${this.doc.id}/spectrum?left=${seam.left}&right=${seam.right}`);
      if (seam.left !== this.seam?.left || seam.right !== this.seam?.right) return;
      this.spectra = spectra;
    } catch {
      this.spectra = null; // the seam is gone; another will be chosen
    }
    this.redraw();
  }

  get query() {
    // The level is measured from its beginning on: as far as its end and beyond.
    const more = this.seam?.kind === "struck" ? Math.abs(this.middle - this.seam.at) : 0;
    return { left: this.seam?.left ?? 0, right: this.seam?.right ?? 0, around: Math.round(this.around + more) };
  }

  /** Asks the server for what is known of the seam. */
  async read() {
    const seam = this.seam;
    if (!seam) return;
    const q = this.query,
      turn = ++this.turn; // of what was asked for, the newest counts, in whichever order answers come
    try {
      const info = await get(`/reels/${this.doc.id}/closeup?left=${q.left}&right=${q.right}&around=${q.around}`);
      if (turn !== this.turn || seam !== this.seam || this.trial) return;
      this.info = this.held(info);
      this.lie = null;
      this.unread = false;
    } catch (err) {
      // Where the seam is gone, the ledger will choose another.
      if (turn !== this.turn || seam !== this.seam || !passing(err)) return;
      this.unread = true;
      if (!this.info) this.dispatchEvent(new Event("info"));
      clearTimeout(this.again);
      this.again = setTimeout(() => seam === this.seam && void this.read(), 1000);
      return;
    }
    if (this.view === "spectrum") void this.readSpectra();
    this.redraw();
    this.dispatchEvent(new Event("info"));
  }

  /** A struck span is drawn around its middle. @param {CloseUp} info @returns {CloseUp} */
  held(info) {
    return info.strike ? { ...info, at: this.middle } : info;
  }

  /** @param {number} factor */
  zoom(factor) {
    const p = this.doc.props;
    this.around = Math.min(Math.max(this.around * factor, 24), p.sampleRate * 15);
    this.redraw();
    clearTimeout(this.late);
    this.late = setTimeout(() => void this.read(), 120);
    this.dispatchEvent(new Event("info"));
  }

  /** Shows what an edit would lead to. @param {CloseUp} info @param {Change} [change] */
  rehearse(info, change) {
    this.info = this.held(info);
    if (change) this.lie = this.doc.after(change);
    this.redraw();
    this.dispatchEvent(new Event("info"));
  }

  /** @param {number} sample */
  x(sample) {
    const w = this.box.w - 28,
      at = this.info?.at ?? this.seam?.at ?? 0;
    return 14 + w / 2 + ((sample - at) / this.around) * (w / 2);
  }

  /** @param {number} x */
  sample(x) {
    const w = this.box.w - 28,
      at = this.info?.at ?? this.seam?.at ?? 0;
    return Math.round(at + ((x - 14 - w / 2) / (w / 2)) * this.around);
  }

  /** Where the rows lie. */
  get rows() {
    const h = this.box.h,
      level = Math.min(Math.max(h * 0.16, 34), 60),
      axis = 18;
    // Words stand in bands of their own: above what goes out, under what comes in, and over the level.
    const each = (h - level - axis - 10 - 3 * band) / 2;
    return {
      out: { top: band, h: each },
      in: { top: band + each + 10, h: each },
      level: { top: h - level - axis, h: level },
      axis: h - 5,
      middle: band + each + 5,
    };
  }

  /** What follows a clip that ends before a gap, from what is drawn: the list of seams comes later than an edit. @param {Clip | undefined} c */
  gapText(c) {
    const end = c ? c.start + c.length : 0,
      lanes = (this.lie ?? this.doc).lanes;
    const next = c && (lanes.get(c.track) ?? []).find((o) => o.start >= end && o.id !== c.id);
    return next && next.start > end
      ? `nothing incoming: a gap of ${say(next.start - end, this.doc.props)} follows`
      : "nothing incoming here";
  }

  draw() {
    this.dirty = false;
    const { w, h } = this.box,
      g = fit(this.canvas, w, h),
      s = this.seam;
    if (!s) return;
    const rows = this.rows,
      at = this.info?.at ?? s.at,
      clips = (this.lie ?? this.doc).clips;
    const left = clips.get(s.left),
      right = clips.get(s.right);
    const blend = this.info?.blend,
      fade = this.info?.fade;
    g.font = "12px 'Atkinson Next', sans-serif";
    if (s.kind === "struck" && this.view !== "spectrum") {
      drawStruck(this, g);
      this.drawOver();
      return;
    }
    let from = at,
      to = at;
    if (blend) [from, to] = [at - blend.before, at + blend.after];
    if (fade) [from, to] = right ? [at, at + fade.length] : [at - fade.length, at];
    if (to > from) {
      g.fillStyle = colour.paper;
      g.fillRect(this.x(from), rows.out.top, this.x(to) - this.x(from), rows.in.top + rows.in.h - rows.out.top);
    }
    if (this.view === "spectrum") {
      drawSpectrum(this, g, this.spectra);
      drawLevel(this, g, rows.level);
      drawAxis(this, g, at, rows.axis, h);
      this.drawOver();
      return;
    }
    setScale(this, left, right, at);
    if (this.view === "overlay") drawOverlay(this, g, left, right);
    else this.drawSides(g, left, right, at);
    const c = this.info?.curves;
    if (c?.out) drawCurve(this, g, c.out, from, to, rows.out);
    if (c?.in) drawCurve(this, g, c.in, from, to, rows.in);
    drawLevel(this, g, rows.level);
    drawAxis(this, g, at, rows.axis, h);
    g.font = "12px 'Atkinson Next', sans-serif";

    this.drawMarks(g, at, from, to);
    const says = left ? `going out · ${left.name}` : "";
    label(g, says, 14, rows.out.top - 5);
    label(g, right ? `coming in · ${right.name}` : "", 14, rows.in.top + rows.in.h + 13);
    this.drawOver();
  }

  /** Both sides, or why there is only one. @param {CanvasRenderingContext2D} g @param {Clip | undefined} left @param {Clip | undefined} right @param {number} at */
  drawSides(g, left, right, at) {
    const { rows, info } = this,
      track = this.doc.tracks.get(this.seam?.track ?? 0);
    if (left) drawSide(this, g, left, at, rows.out, track ? hue(track) : colour.woad, info?.blend?.after ?? 0, false);
    else empty(this, g, rows.out, "nothing outgoing here");
    if (right) drawSide(this, g, right, at, rows.in, colour.weld, info?.blend?.before ?? 0, true);
    else empty(this, g, rows.in, this.gapText(left));
  }

  /** The cut, the ends of a blend or fade, and the grips on them. @param {CanvasRenderingContext2D} g @param {number} at @param {number} from @param {number} to */
  drawMarks(g, at, from, to) {
    const rows = this.rows;
    g.strokeStyle = colour.madder;
    g.lineWidth = 2;
    g.beginPath();
    g.moveTo(this.x(at), 0);
    g.lineTo(this.x(at), rows.level.top + rows.level.h);
    g.stroke();
    if (to > from) {
      g.setLineDash([2, 3]);
      g.strokeStyle = colour.ink;
      g.lineWidth = 1.25;
      for (const e of [from, to]) {
        g.beginPath();
        g.moveTo(this.x(e), rows.out.top);
        g.lineTo(this.x(e), rows.in.top + rows.in.h);
        g.stroke();
      }
      g.setLineDash([]);
    }
    for (const [name, x] of this.grips()) {
      if (name === "cut") continue; // it has its knot
      g.fillStyle = colour.raised;
      g.strokeStyle = colour.ink;
      g.lineWidth = 1.75;
      g.beginPath();
      g.roundRect(x - 6, rows.middle - 9, 12, 18, 4);
      g.fill();
      g.stroke();
    }
    g.fillStyle = colour.madder;
    g.beginPath();
    g.roundRect(this.x(at) - 4, rows.middle - 4, 8, 8, 2);
    g.fill();
  }

  /** Grips that can be dragged: which, and where. @returns {[string, number][]} */
  grips() {
    const s = this.seam,
      i = this.info;
    if (!s || !i || this.view === "spectrum") return [];
    if (s.kind === "struck") return struckGrips(this);
    if (s.kind === "cut") {
      if (!i.room) return [];
      const b = i.blend ?? { before: 0, after: 0 };
      const a = this.x(i.at - b.before),
        z = this.x(i.at + b.after);
      // At the cut itself both stand a little off it, so that each can be had.
      return [
        ["before", b.before === 0 ? Math.min(a, this.x(i.at) - 11) : a],
        ["after", b.after === 0 ? Math.max(z, this.x(i.at) + 11) : z],
        ["cut", this.x(i.at)],
      ];
    }
    const n = i.fade?.length ?? 0;
    const x = this.x(s.right ? i.at + n : i.at - n);
    return [["fade", n ? x : x + (s.right ? 11 : -11)]];
  }

  drawOver() {
    const { w, h } = this.box,
      g = fit(this.over, w, h);
    // Standing on the cut it would only hide it.
    if (!this.seam || this.playhead < 0 || this.playhead === (this.info?.at ?? this.seam.at)) return;
    const x = this.x(this.playhead);
    if (x < 14 || x > w - 14) return;
    g.strokeStyle = colour.teal;
    g.lineWidth = 1.75;
    g.beginPath();
    g.moveTo(x, 0);
    g.lineTo(x, h - 18);
    g.stroke();
  }

  /** @param {number} at */
  movePlayhead(at) {
    this.playhead = at;
    this.drawOver();
  }
}
