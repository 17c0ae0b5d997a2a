// The close-up as it is drawn: one seam, large. What goes out above, what comes in below, on
// one time axis around the cut; the material beyond each edge is drawn faint.

import { get, passing } from "../app/api.js";
import { fit, paint } from "../lib/canvas.js";
import { drawStruck, struckGrips } from "./struck.js";
import { drawOverlay, drawSpectrum } from "./views.js";
import { cloth, colour, hue } from "../lib/colours.js";
import { span as say } from "../lib/timecode.js";
import { waveOf } from "../timeline/waves.js";

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
    /** @type {(() => void) | null} */
    this.backOut = null;
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
    const q = this.query;
    try {
      const info = await get(`/reels/${this.doc.id}/closeup?left=${q.left}&right=${q.right}&around=${q.around}`);
      if (seam !== this.seam || this.trial) return;
      this.info = this.held(info);
      this.lie = null;
      this.unread = false;
    } catch (err) {
      // Where the seam is gone, the ledger will choose another.
      if (seam !== this.seam || !passing(err)) return;
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
    const each = (h - level - axis - 22) / 2;
    return {
      out: { top: 4, h: each },
      in: { top: each + 14, h: each },
      level: { top: h - level - axis, h: level },
      axis: h - 5,
      middle: each + 9,
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
    const track = this.doc.tracks.get(s.track);
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
      g.fillRect(this.x(from), 0, this.x(to) - this.x(from), rows.level.top - 6);
    }
    if (this.view === "spectrum") {
      drawSpectrum(this, g, this.spectra);
      this.drawLevel(g, rows.level);
      this.drawAxis(g, at, rows.axis, h);
      this.drawOver();
      return;
    }
    this.setScale(left, right, at);
    if (this.view === "overlay") drawOverlay(this, g, left, right);
    else if (left) this.drawSide(g, left, at, rows.out, track ? hue(track) : colour.woad, blend ? blend.after : 0, false);
    else this.empty(g, rows.out, "nothing outgoing here");
    if (this.view === "overlay") {
      // Both are drawn.
    } else if (right) this.drawSide(g, right, at, rows.in, colour.weld, blend ? blend.before : 0, true);
    else this.empty(g, rows.in, this.gapText(left));
    const c = this.info?.curves;
    if (c?.out) this.drawCurve(g, c.out, from, to, rows.out);
    if (c?.in) this.drawCurve(g, c.in, from, to, rows.in);
    this.drawLevel(g, rows.level);
    this.drawAxis(g, at, rows.axis, h);
    g.font = "12px 'Atkinson Next', sans-serif";

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
        g.moveTo(this.x(e), 0);
        g.lineTo(this.x(e), rows.level.top - 6);
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
    this.label(g, left ? `going out · ${left.name}` : "", 18, rows.out.top + 14);
    this.label(g, right ? `coming in · ${right.name}` : "", 18, rows.in.top + rows.in.h - 6);
    this.drawOver();
  }

  /**
   * Draws quiet rooms as large as loud words: one scale for both sides, so that
   * they can be compared.
   * @param {Clip | undefined} left
   * @param {Clip | undefined} right
   * @param {number} at
   * @param {boolean} [inside] the place lies inside the clip on the left
   */
  setScale(left, right, at, inside) {
    let top = 0;
    for (const [c, start] of /** @type {[Clip | undefined, number][]} */ ([
      [left, inside ? (left?.start ?? 0) : at - (left?.length ?? 0)],
      [right, at],
    ])) {
      const src = c && this.doc.sources.get(c.source);
      if (!c || !src) continue;
      const a = Math.max(at - this.around - start, 0) + c.offset,
        b = Math.min(at + this.around - start, c.length) + c.offset;
      top = Math.max(top, this.waves.peak(waveOf(src, src.left, this.doc), a, b) * 10 ** (c.gainDB / 20));
    }
    const scale = top > 0 ? Math.min(2 ** (Math.floor(Math.log2(0.95 / top) * 2) / 2), 4096) : 2;
    if (scale === this.scale) return;
    this.scale = scale;
    this.dispatchEvent(new Event("scale"));
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

  /** @param {CanvasRenderingContext2D} g @param {{top: number, h: number}} row @param {string} text */
  empty(g, row, text) {
    g.strokeStyle = colour.hem;
    g.lineWidth = 1.5;
    g.setLineDash([6, 5]);
    g.strokeRect(14, row.top, this.box.w - 28, row.h);
    g.setLineDash([]);
    g.fillStyle = colour.ash;
    g.textAlign = "center";
    g.fillText(text, this.box.w / 2, row.top + row.h / 2 + 4);
    g.textAlign = "left";
  }

  /**
   * One clip: its own stretch, the part that the blend borrows, and faintly
   * the handle beyond.
   * @param {CanvasRenderingContext2D} g
   * @param {Clip} c
   * @param {number} at
   * @param {{top: number, h: number}} row
   * @param {string} tint
   * @param {number} borrowed samples beyond the cut that the blend plays
   * @param {boolean} incoming
   */
  drawSide(g, c, at, row, tint, borrowed, incoming) {
    const src = this.doc.sources.get(c.source);
    if (!src) return;
    // While an edit is tried the two need not meet at the cut.
    if (this.lie) at = incoming ? c.start : c.start + c.length;
    const start = incoming ? at : at - c.length,
      w = this.box.w,
      track = this.doc.tracks.get(c.track);
    const own = incoming ? [at, at + c.length] : [at - c.length, at];
    const lent = incoming ? [at - borrowed, at] : [at, at + borrowed];
    const spare = incoming ? [at - c.offset, at - borrowed] : [at + borrowed, at + (src.length - c.offset - c.length)];
    const rect = (/** @type {number[]} */ [a, b], /** @type {number} */ alpha) => {
      const x0 = Math.max(this.x(a), 14),
        x1 = Math.min(this.x(b), w - 14);
      if (x1 <= x0) return;
      g.globalAlpha = alpha;
      g.fillStyle = incoming ? colour["weld-cloth"] : track ? cloth(track) : colour.lane;
      g.fillRect(x0, row.top, x1 - x0, row.h);
      g.globalAlpha = 1;
    };
    rect(own, 1);
    rect(lent, 0.7);
    rect(spare, 0.35);
    const perPixel = this.around / ((w - 28) / 2);
    const wave = (/** @type {number[]} */ [a, b], /** @type {number} */ alpha) => {
      const x0 = Math.round(Math.max(this.x(a), 14)),
        x1 = Math.round(Math.min(this.x(b), w - 14));
      if (x1 <= x0) return;
      g.globalAlpha = alpha;
      const channels = src.right >= 0 ? [src.left, src.right] : [src.left],
        each = row.h / channels.length;
      const first = (this.info?.at ?? at) + ((x0 - 14 - (w - 28) / 2) / ((w - 28) / 2)) * this.around;
      channels.forEach((channel, k) =>
        this.waves.draw(g, waveOf(src, channel, this.doc), {
          from: c.offset + (first - start),
          perPixel,
          x: x0,
          width: x1 - x0,
          mid: row.top + each * (k + 0.5),
          half: each / 2 - 2,
          gain: 10 ** (c.gainDB / 20) * this.scale,
          colour: tint,
        }),
      );
      g.globalAlpha = 1;
    };
    wave(own, 1);
    wave(lent, 0.85);
    wave(spare, 0.28);
    const room = spare[1] - spare[0],
      edge = incoming ? spare[0] : spare[1];
    const material = incoming ? c.offset : src.length - c.offset - c.length;
    const text = src.bed ? "generated, any length" : material ? `handle ${say(material, this.doc.props)}` : "no handle";
    const tw = g.measureText(text).width;
    g.fillStyle = colour.ash;
    if (room > 0 || borrowed === 0) {
      const x = incoming
        ? Math.max(Math.min(this.x(spare[1]) - tw - 8, w - 28 - tw), 18)
        : Math.min(Math.max(this.x(spare[0]) + 8, 18), w - 28 - tw);
      g.fillText(text, x, incoming ? row.top + 14 : row.top + row.h - 6);
    }
    // Where the material itself ends, if that can be seen.
    const x = this.x(edge);
    if (x > 14 && x < w - 14) {
      g.strokeStyle = colour.hem;
      g.lineWidth = 2;
      g.beginPath();
      g.moveTo(x, row.top);
      g.lineTo(x, row.top + row.h);
      g.stroke();
    }
  }

  /** @param {CanvasRenderingContext2D} g @param {string} text @param {number} x @param {number} y */
  label(g, text, x, y) {
    if (!text) return;
    g.fillStyle = colour.linen;
    g.globalAlpha = 0.75;
    g.fillRect(x - 4, y - 13, g.measureText(text).width + 8, 18);
    g.globalAlpha = 1;
    g.fillStyle = colour.ink;
    g.fillText(text, x, y);
  }

  /** @param {CanvasRenderingContext2D} g @param {number[]} v @param {number} from @param {number} to @param {{top: number, h: number}} row */
  drawCurve(g, v, from, to, row) {
    g.strokeStyle = colour.ink;
    g.lineWidth = 2.25;
    g.beginPath();
    for (let k = 0; k < v.length; k++) g.lineTo(this.x(from + ((to - from) * k) / (v.length - 1)), row.top + 2 + (row.h - 4) * (1 - v[k]));
    g.stroke();
  }

  /** @param {CanvasRenderingContext2D} g @param {{top: number, h: number}} row */
  drawLevel(g, row) {
    const w = this.box.w,
      level = this.info?.level;
    g.fillStyle = colour.paper;
    g.strokeStyle = colour.hem;
    g.lineWidth = 1;
    g.fillRect(14, row.top, w - 28, row.h);
    g.strokeRect(14.5, row.top + 0.5, w - 29, row.h - 1);
    if (!level) return;
    // As large as what there is to see: 1.5 dB shall be seen beside 20.
    const all = [...level.blend, ...level.hard].filter((v) => v > -110),
      most = Math.max(...all, -60),
      least = Math.min(...all, most);
    const top = Math.min(most + 4, 0),
      floor = Math.max(Math.min(least - 4, top - 24), top - 72);
    const y = (/** @type {number} */ db) => row.top + 3 + (row.h - 6) * Math.min(Math.max((top - db) / (top - floor), 0), 1);
    g.save();
    g.beginPath();
    g.rect(14, row.top, w - 28, row.h);
    g.clip();
    const line = (/** @type {number[]} */ v) => {
      g.beginPath();
      v.forEach((db, k) => g.lineTo(this.x(level.from + k * level.hop), y(db)));
      g.stroke();
    };
    g.lineWidth = 1.5;
    const mended = Boolean(this.info?.blend ?? this.info?.strike),
      struck = Boolean(this.info?.strike);
    // The corridor: as far off the straight way between the ends as is allowed.
    const ideal = level.line,
      within = level.within ?? 0;
    if (ideal && within) {
      g.fillStyle = colour.verdigris;
      g.globalAlpha = 0.28;
      g.beginPath();
      ideal.forEach((db, k) => g.lineTo(this.x(level.from + k * level.hop), y(db + within)));
      for (let k = ideal.length - 1; k >= 0; k--) g.lineTo(this.x(level.from + k * level.hop), y(ideal[k] - within));
      g.fill();
      g.globalAlpha = 1;
    }
    if (mended) {
      g.setLineDash([4, 3]);
      g.strokeStyle = colour.madder;
      line(level.hard);
      g.setLineDash([]);
    }
    g.lineWidth = 2;
    g.strokeStyle = colour.verdigris;
    line(level.blend);
    g.restore();
    g.font = "11.5px 'Atkinson Next', sans-serif";
    g.fillStyle = colour.ash;
    // Where the line does not run.
    const low = (/** @type {number[]} */ v) => v.reduce((a, b) => a + b, 0) / v.length < (top + floor) / 2 + 6,
      n = Math.floor(level.blend.length * 0.3);
    const leftY = low(level.blend.slice(0, n)) ? row.top + 14 : row.top + row.h - 5,
      rightY = low(level.blend.slice(-n)) ? row.top + 14 : row.top + row.h - 5;
    g.fillText("level through the seam, this track", 20, leftY);
    if (mended) {
      g.fillStyle = colour.verdigris;
      g.fillText(struck ? "as it sounds" : "with blend", w - (struck ? 160 : 138), rightY);
      g.fillStyle = colour.madder;
      g.fillText(struck ? "as recorded" : "hard cut", w - (struck ? 82 : 68), rightY);
    }
    g.font = "12px 'Atkinson Next', sans-serif";
  }

  /** @param {CanvasRenderingContext2D} g @param {number} at @param {number} y @param {number} h */
  drawAxis(g, at, y, h) {
    const rate = this.doc.props.sampleRate,
      seconds = this.around / rate;
    const step =
      [0.00002, 0.0001, 0.0002, 0.0005, 0.001, 0.002, 0.005, 0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1, 2, 5].find((s) => seconds / s <= 3.2) ?? 5;
    g.font = "12px 'Atkinson Mono', monospace";
    g.fillStyle = colour.ash;
    g.textAlign = "center";
    for (let k = -Math.floor(seconds / step); k * step <= seconds; k++) {
      const x = this.x(at + k * step * rate);
      g.fillRect(x, h - 18, 1, 4);
      if (k === 0) continue;
      const v = Math.abs(k * step),
        text = v < 0.001 ? `${(v * 1e6).toFixed(0)} µs` : v < 0.1 ? `${(v * 1000).toFixed(0)} ms` : `${v.toFixed(1)} s`;
      if (x > 34 && x < this.box.w - 34) g.fillText(`${k < 0 ? "−" : "+"}${text}`, x, y);
    }
    g.textAlign = "left";
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
