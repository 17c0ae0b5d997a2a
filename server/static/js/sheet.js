// The timeline as it is drawn: tracks, clips, seams, the span and the playhead,
// and which stretch of the reel is in view.

import { get } from "./api.js";
import { fit, paint } from "./canvas.js";
import { cloth, colour, hue } from "./colours.js";
import { at as timecode, frameLength, frameOf, sampleOf } from "./timecode.js";

/** Pixels of a clip's tab, between tracks, and of the tracks' heads. */
export const tab = 16, gap = 4, head = 118;

/** Events: "view" when another stretch is looked at, "layout" when the tracks' places changed, "hint". */
export class Sheet extends EventTarget {
  /**
   * @param {import("./doc.js").Doc} doc
   * @param {import("./waves.js").Waves} waves
   * @param {{tracks: HTMLElement, lanes: HTMLCanvasElement, ruler: HTMLCanvasElement, over: HTMLCanvasElement, scroll: HTMLElement}} parts
   */
  constructor(doc, waves, parts) {
    super();
    this.doc = doc;
    this.waves = waves;
    this.parts = parts;
    this.from = 0;
    this.perPixel = 4800;
    this.playhead = 0;
    /** @type {Set<number>} */
    this.chosen = new Set();
    /** @type {Seam | null} */
    this.seam = null;
    /** @type {{from: number, to: number} | null} */
    this.span = null;
    /** @type {{track: number, start: number, length: number, name: string, bad: boolean, words: string}[]} */
    this.ghosts = [];
    /** @type {{clip: number, end: string, fade: Fade} | null} */
    this.fading = null;
    this.follow = true;
    this.dirty = true;
    /** @type {Map<string, number[]>} */
    this.curves = new Map();
    /** @type {(() => void) | null} ends the drag that is going on */
    this.backOut = null;
    parts.tracks.addEventListener("scroll", () => this.redraw());
    new ResizeObserver(() => {
      this.redraw();
      this.dispatchEvent(new Event("layout"));
    }).observe(parts.tracks);
    paint(this);
  }

  redraw() {
    this.dirty = true;
  }

  /** @param {string} text */
  hint(text) {
    this.dispatchEvent(new CustomEvent("hint", { detail: text }));
  }

  get width() {
    return Math.max(this.parts.tracks.clientWidth - head, 10);
  }

  /** @param {Track} t */
  heightOf(t) {
    return t.role === "dialogue" ? 70 : 50;
  }

  /** Tracks with the place of each. @returns {{track: Track, top: number, height: number}[]} */
  layout() {
    const tracks = this.doc.order();
    // Few tracks share the room that is there, up to a point.
    const least = tracks.reduce((h, t) => h + this.heightOf(t) + gap, 4);
    const stretch = Math.min(Math.max((this.parts.tracks.clientHeight - tracks.length * gap - 6) / Math.max(least - tracks.length * gap, 1), 1), 1.7);
    let top = 2;
    return tracks.map((track) => {
      const height = Math.floor(this.heightOf(track) * stretch), row = { track, top, height };
      top += height + gap;
      return row;
    });
  }

  /** @param {number} sample */
  x(sample) {
    return (sample - this.from) / this.perPixel;
  }

  /** @param {number} x */
  sample(x) {
    return Math.round(this.from + x * this.perPixel);
  }

  /** End of what can be looked at. */
  get end() {
    return Math.max(this.doc.length * 1.02, this.doc.props.sampleRate * 10);
  }

  /** @param {number} from @param {number} [perPixel] */
  look(from, perPixel = this.perPixel) {
    const whole = this.end / this.width;
    this.perPixel = Math.min(Math.max(perPixel, 1 / 24), whole * 1.25);
    this.from = Math.min(Math.max(from, -20 * this.perPixel), Math.max(this.end - this.width * this.perPixel * 0.5, 0));
    this.redraw();
    this.dispatchEvent(new Event("view"));
  }

  /** Zooms around a sample. @param {number} factor @param {number} [around] */
  zoom(factor, around = this.playhead) {
    const visible = around >= this.from && around <= this.from + this.width * this.perPixel;
    if (!visible) around = this.from + (this.width * this.perPixel) / 2;
    const x = this.x(around);
    const before = this.perPixel;
    this.look(this.from, this.perPixel * factor);
    if (this.perPixel !== before) this.look(around - x * this.perPixel);
  }

  whole() {
    this.look(0, this.end / this.width);
    this.look(-8 * this.perPixel);
  }

  /** Brings a stretch into view. @param {number} a @param {number} b */
  show(a, b) {
    const left = this.from, right = this.from + this.width * this.perPixel;
    if (a >= left && b <= right) return;
    if (b - a > right - left) this.look(a - (b - a) * 0.1, ((b - a) * 1.2) / this.width);
    else this.look((a + b) / 2 - (right - left) / 2);
  }

  draw() {
    this.dirty = false;
    const { lanes, ruler, tracks } = this.parts;
    const w = this.width, h = tracks.clientHeight;
    const g = fit(lanes, w, h);
    const rows = this.layout(), scroll = tracks.scrollTop;
    g.font = "12px 'Atkinson Next', sans-serif";
    for (const row of rows) {
      const top = row.top - scroll;
      if (top > h || top + row.height < 0) continue;
      g.fillStyle = colour.lane;
      g.fillRect(0, top, w, row.height);
      this.drawLane(g, row.track, top, row.height, w);
    }
    this.drawGhosts(g, rows, scroll);
    if (this.span) {
      const a = this.x(this.span.from), b = this.x(this.span.to);
      g.fillStyle = colour.teal;
      g.globalAlpha = 0.14;
      g.fillRect(a, 0, b - a, h);
      g.globalAlpha = 1;
      g.fillRect(a, 0, 1, h);
      g.fillRect(b, 0, 1, h);
    }
    this.drawRuler(fit(ruler, w, 26), w);
    this.drawOver();
    this.drawScroll();
  }

  /** @param {CanvasRenderingContext2D} g @param {Track} t @param {number} top @param {number} height @param {number} w */
  drawLane(g, t, top, height, w) {
    const clips = this.doc.lanes.get(t.id) ?? [];
    const first = this.from, last = this.from + w * this.perPixel;
    for (const c of clips) {
      if (c.start + c.length < first || c.start > last) continue;
      this.drawClip(g, t, c, top, height, w);
    }
    for (const b of this.doc.blends.values()) {
      const left = this.doc.clips.get(b.left);
      if (left && left.track === t.id) this.drawStitches(g, left.start + left.length, b, top, height);
    }
    if (this.perPixel > 40000) return;
    for (const s of this.doc.seams) {
      if (s.track !== t.id || s.at < first || s.at > last) continue;
      this.drawKnot(g, s, top, height);
    }
  }

  /** @param {CanvasRenderingContext2D} g @param {Track} t @param {Clip} c @param {number} top @param {number} height @param {number} w */
  drawClip(g, t, c, top, height, w) {
    const x0 = this.x(c.start), x1 = this.x(c.start + c.length);
    const a = Math.max(Math.floor(x0), -2), b = Math.min(Math.ceil(x1), w + 2);
    const chosen = this.chosen.has(c.id), dull = t.mute || ([...this.doc.tracks.values()].some((o) => o.solo) && !t.solo);
    g.globalAlpha = dull ? 0.45 : 1;
    g.fillStyle = cloth(t.role);
    g.fillRect(x0, top, Math.max(x1 - x0 - 0.5, 1), height);
    g.fillStyle = chosen ? colour.ink : hue(t.role);
    g.beginPath();
    g.roundRect(x0, top, Math.max(x1 - x0 - 0.5, 1), tab, [3, 3, 0, 0]);
    g.fill();
    const src = this.doc.sources.get(c.source);
    if (src && b - a >= 2) this.drawWave(g, src, c, t, a, b, top + tab, height - tab);
    this.drawFade(g, c, "head", top, height);
    this.drawFade(g, c, "tail", top, height);
    if (x1 - x0 > 26) {
      g.save();
      g.beginPath();
      g.rect(a, top, b - a - 3, tab);
      g.clip();
      g.fillStyle = chosen ? colour.linen : colour["on-strong"];
      g.fillText(c.name, Math.max(x0, 0) + 5, top + 12);
      g.restore();
    }
    if (chosen) {
      g.strokeStyle = colour.ink;
      g.lineWidth = 2;
      g.strokeRect(x0 + 1, top + 1, Math.max(x1 - x0 - 2.5, 1), height - 2);
    }
    g.globalAlpha = 1;
  }

  /** @param {CanvasRenderingContext2D} g @param {Source} src @param {Clip} c @param {Track} t @param {number} a @param {number} b @param {number} top @param {number} height */
  drawWave(g, src, c, t, a, b, top, height) {
    const channels = src.right >= 0 && height > 50 ? [src.left, src.right] : [src.left];
    const each = height / channels.length, gain = 10 ** (c.gainDB / 20);
    const x0 = Math.max(a, 0), x1 = Math.min(b, Math.floor(this.x(c.start + c.length)));
    channels.forEach((channel, k) => {
      this.waves.draw(g, { recording: src.recording, channel, length: src.length }, {
        from: c.offset + (this.from + x0 * this.perPixel - c.start), perPixel: this.perPixel, x: x0, width: x1 - x0,
        mid: top + each * (k + 0.5), half: each / 2 - 1, gain: gain * 2.2, colour: hue(t.role),
      });
    });
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

  /** @param {CanvasRenderingContext2D} g @param {Clip} c @param {"head" | "tail"} end @param {number} top @param {number} height */
  drawFade(g, c, end, top, height) {
    const f = this.fading?.clip === c.id && this.fading.end === end ? this.fading.fade : end === "head" ? c.fadeIn : c.fadeOut;
    if (!f.length) return;
    const v = this.curve(f), from = end === "head" ? c.start : c.start + c.length;
    const edge = this.x(from), inner = this.x(end === "head" ? from + f.length : from - f.length);
    const y = (/** @type {number} */ k) => top + tab + (height - tab) * (1 - v[k]);
    if (!v.length) return;
    g.beginPath();
    g.moveTo(edge, top + tab);
    for (let k = 0; k < v.length; k++) g.lineTo(edge + ((inner - edge) * k) / (v.length - 1), y(k));
    g.lineTo(inner, top + tab);
    g.closePath();
    g.fillStyle = colour.lane;
    g.globalAlpha *= 0.75;
    g.fill();
    g.globalAlpha /= 0.75;
    g.beginPath();
    for (let k = 0; k < v.length; k++) g.lineTo(edge + ((inner - edge) * k) / (v.length - 1), y(k));
    g.strokeStyle = colour.ink;
    g.lineWidth = 1.25;
    g.stroke();
    g.fillStyle = colour.raised;
    g.beginPath();
    g.arc(inner, top + tab + 4, 3.5, 0, 7);
    g.fill();
    g.stroke();
  }

  /** A blend is drawn as stitches across the two strips. @param {CanvasRenderingContext2D} g @param {number} cut @param {Blend} b @param {number} top @param {number} height */
  drawStitches(g, cut, b, top, height) {
    const a = this.x(cut - b.before), z = this.x(cut + b.after);
    if (z < 0 || a > this.width) return;
    g.fillStyle = colour.raised;
    g.globalAlpha = 0.55;
    g.fillRect(a, top + tab, Math.max(z - a, 2), height - tab);
    g.globalAlpha = 1;
    g.strokeStyle = colour.ink;
    g.lineWidth = 1.5;
    g.beginPath();
    const n = Math.min(Math.max(Math.round((z - a) / 9), 3), 40), step = Math.max((z - a) / n, 3), mid = (a + z) / 2 - (step * (n - 1)) / 2;
    for (let k = 0; k < n; k++) {
      const x = mid + k * step;
      g.moveTo(x - 1.8, top + height - 4);
      g.lineTo(x + 1.8, top + height - 11);
    }
    g.stroke();
  }

  /** @param {CanvasRenderingContext2D} g @param {Seam} s @param {number} top @param {number} height */
  drawKnot(g, s, top, height) {
    const x = this.x(s.at), y = top + tab + (height - tab) / 2;
    const mine = this.seam && s.left === this.seam.left && s.right === this.seam.right;
    // An open end is marked smaller than a cut, and lies on its own clip.
    const open = s.kind !== "cut", half = open ? 3 : 4.5;
    g.strokeStyle = open ? colour.ash : s.blend ? colour.ink : colour.madder;
    g.lineWidth = 1.5;
    g.beginPath();
    g.moveTo(x, top);
    g.lineTo(x, top + height);
    if (!s.blend && !open) g.stroke();
    g.fillStyle = s.blend ? colour.ink : colour.raised;
    g.beginPath();
    g.roundRect(x - half, y - half, 2 * half, 2 * half, 2);
    g.fill();
    g.stroke();
    if (mine) {
      g.strokeStyle = colour.teal;
      g.lineWidth = 2;
      g.beginPath();
      g.roundRect(x - 8, y - 8, 16, 16, 4);
      g.stroke();
    }
  }

  /** @param {CanvasRenderingContext2D} g @param {{track: Track, top: number, height: number}[]} rows @param {number} scroll */
  drawGhosts(g, rows, scroll) {
    for (const ghost of this.ghosts) {
      const row = rows.find((r) => r.track.id === ghost.track);
      if (!row) continue;
      const x = this.x(ghost.start), w = ghost.length / this.perPixel, y = row.top - scroll;
      g.fillStyle = ghost.bad ? colour.madder : hue(row.track.role);
      g.globalAlpha = 0.3;
      g.fillRect(x, y, w, row.height);
      g.globalAlpha = 1;
      g.strokeStyle = g.fillStyle;
      g.lineWidth = 2;
      g.setLineDash(ghost.bad ? [5, 4] : []);
      g.strokeRect(x, y, w, row.height);
      g.setLineDash([]);
      this.label(g, ghost.words, Math.max(x, 4), y + row.height / 2 + 8);
    }
  }

  /** @param {CanvasRenderingContext2D} g @param {string} text @param {number} x @param {number} y */
  label(g, text, x, y) {
    if (!text) return;
    const w = g.measureText(text).width;
    x = Math.min(x, this.width - w - 12);
    g.fillStyle = colour.ink;
    g.beginPath();
    g.roundRect(x, y - 13, w + 10, 18, 4);
    g.fill();
    g.fillStyle = colour.linen;
    g.fillText(text, x + 5, y);
  }

  /** @param {CanvasRenderingContext2D} g @param {number} w */
  drawRuler(g, w) {
    const p = this.doc.props, fps = Math.round(p.frameRate.num / p.frameRate.den);
    const steps = [1, 2, 5, 10, fps, 2 * fps, 5 * fps, 10 * fps, 20 * fps, 30 * fps, 60 * fps, 120 * fps, 300 * fps, 600 * fps, 1800 * fps, 3600 * fps].filter((s, i, all) => i === 0 || s > all[i - 1]);
    const perFrame = frameLength(p) / this.perPixel;
    const step = steps.find((s) => s * perFrame >= 92) ?? 7200 * fps;
    g.font = "12px 'Atkinson Mono', monospace";
    g.fillStyle = colour.ash;
    const first = Math.floor(frameOf(this.sample(0), p) / step) * step;
    for (let n = first; ; n += step) {
      const x = this.x(sampleOf(n, p));
      if (x > w) break;
      g.fillRect(Math.round(x), 18, 1, 8);
      for (let k = 1; k < 4; k++) g.fillRect(Math.round(x + (k * step * perFrame) / 4), 22, 1, 4);
      if (n >= 0) g.fillText(this.perPixel < 4000 ? timecode(sampleOf(n, p), p).slice(3) : timecode(sampleOf(n, p), p), x + 4, 14);
    }
  }

  /** The playhead lies on a canvas of its own, so that it can move alone. */
  drawOver() {
    const h = this.parts.tracks.clientHeight + 26, g = fit(this.parts.over, this.width, h);
    const x = Math.round(this.x(this.playhead)) + 0.5;
    if (x < -10 || x > this.width + 10) return;
    g.strokeStyle = g.fillStyle = colour.teal;
    g.lineWidth = 1.5;
    g.beginPath();
    g.moveTo(x, 12);
    g.lineTo(x, h);
    g.stroke();
    g.beginPath();
    g.roundRect(x - 6, 2, 12, 13, [3, 3, 6, 6]);
    g.fill();
  }

  drawScroll() {
    const thumb = /** @type {HTMLElement} */ (this.parts.scroll.firstElementChild), w = this.parts.scroll.clientWidth;
    const size = Math.min(1, (this.width * this.perPixel) / this.end);
    thumb.style.width = `${Math.max(size * w, 14)}px`;
    thumb.style.transform = `translateX(${Math.min(Math.max(this.from / this.end, 0), 1 - size) * w}px)`;
  }

  /** Moves the playhead. @param {number} at @param {boolean} [playing] */
  movePlayhead(at, playing = false) {
    this.playhead = Math.max(at, 0);
    if (playing && this.follow && !this.backOut) {
      const x = this.x(this.playhead);
      if (x > this.width * 0.92 || x < 0) this.look(this.playhead - this.width * this.perPixel * 0.1);
    }
    this.drawOver();
  }
}
