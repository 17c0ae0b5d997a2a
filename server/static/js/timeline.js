// The timeline: tracks, clips, seams, the span and the playhead. What a drag
// does depends on where it starts; what it would lead to is asked of the server.

import { Problem, get } from "./api.js";
import { cloth, colour, fit, hue } from "./colours.js";
import { Rehearsal } from "./doc.js";
import { at as timecode, frameLength, frameOf, frames, sampleOf, shift, shortAt, span as say } from "./timecode.js";

const tab = 16, gap = 4, head = 118;

/** @typedef {{what: string, clip?: Clip, seam?: Seam, track?: Track, end?: "head" | "tail"}} Hit */

/** Events: "choose-clip", "choose-seam", "playhead", "span", "view", "hint", "refused", "edit". */
export class Timeline extends EventTarget {
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
    /** @type {((e: KeyboardEvent) => void) | null} */
    this.backOut = null;
    const { lanes, ruler, tracks, scroll } = parts;
    lanes.addEventListener("pointerdown", (e) => this.down(e));
    lanes.addEventListener("pointermove", (e) => this.hover(e));
    lanes.addEventListener("pointerleave", () => this.hint(""));
    lanes.addEventListener("dblclick", (e) => this.double(e));
    ruler.addEventListener("pointerdown", (e) => this.scrub(e));
    ruler.addEventListener("pointermove", () => this.hint("Click or drag to move the playhead · the wheel moves along, with ctrl it zooms"));
    for (const c of [lanes, ruler]) c.addEventListener("wheel", (e) => this.wheel(e), { passive: false });
    tracks.addEventListener("scroll", () => this.redraw());
    scroll.addEventListener("pointerdown", (e) => this.scrollDown(e));
    new ResizeObserver(() => {
      this.redraw();
      this.dispatchEvent(new Event("layout"));
    }).observe(tracks);
    const frame = () => {
      if (this.dirty) this.draw();
      requestAnimationFrame(frame);
    };
    requestAnimationFrame(frame);
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

  // ——— Drawing ———

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

  // ——— Pointer ———

  /** What lies at a point of the lanes. @param {number} x @param {number} y @returns {Hit} */
  hit(x, y) {
    const scroll = this.parts.tracks.scrollTop, row = this.layout().find((r) => y + scroll >= r.top && y + scroll < r.top + r.height);
    if (!row) return { what: "nothing" };
    const top = row.top - scroll, at = this.from + x * this.perPixel, near = 7 * this.perPixel, track = row.track;
    const inTab = y - top < tab;
    const seam = this.doc.seams.filter((s) => s.track === track.id && Math.abs(s.at - at) <= near).sort((a, b) => Math.abs(a.at - at) - Math.abs(b.at - at))[0];
    if (seam && !inTab && Math.abs(y - (top + tab + (row.height - tab) / 2)) < 10) return { what: "knot", seam, track };
    const clip = (this.doc.lanes.get(track.id) ?? []).find((c) => at >= c.start - near / 2 && at <= c.start + c.length + near / 2);
    if (!clip) return { what: "lane", track };
    if (!inTab && y - top < tab + 11) {
      for (const [end, place, f] of /** @type {["head" | "tail", number, Fade][]} */ ([["head", clip.start + clip.fadeIn.length, clip.fadeIn], ["tail", clip.start + clip.length - clip.fadeOut.length, clip.fadeOut]])) {
        const blended = end === "head" ? this.doc.seams.some((s) => s.right === clip.id && s.blend) : this.doc.seams.some((s) => s.left === clip.id && s.blend);
        if (!blended && Math.abs(place - at) <= near && (f.length || clip.length / this.perPixel > 24)) return { what: "fade", clip, track, end };
      }
    }
    return { what: inTab ? "tab" : "wave", clip, track };
  }

  /** @param {PointerEvent | MouseEvent} e */
  point(e) {
    const box = this.parts.lanes.getBoundingClientRect();
    return { x: e.clientX - box.left, y: e.clientY - box.top };
  }

  /** @param {PointerEvent} e */
  hover(e) {
    if (this.backOut) return;
    const { x, y } = this.point(e), h = this.hit(x, y), lanes = this.parts.lanes;
    /** @type {Record<string, string>} */
    const words = {
      nothing: "Drop recordings here to bring them in",
      lane: "Drag to mark a span · click to move the playhead",
      tab: "Drag the tab to move the clip, also to another track · shift-click chooses more · delete takes it out",
      wave: "Drag along the wave to mark a span · drag the tab to move the clip · double-click shows its source",
      knot: "Click to see this seam close up · enter plays it · B blends it",
      fade: "Drag to set the fade",
    };
    /** @type {Record<string, string>} */
    const cursors = { nothing: "default", lane: "text", tab: "grab", wave: "text", knot: "pointer", fade: "ew-resize" };
    lanes.style.cursor = cursors[h.what];
    let text = words[h.what];
    if (h.clip && h.what !== "fade") text = `${h.clip.name}: ${this.describe(h.clip)} · ${text}`;
    this.hint(text);
  }

  /** @param {Clip} c */
  describe(c) {
    const p = this.doc.props, src = this.doc.sources.get(c.source);
    return `${src?.name ?? ""} from ${say(c.offset, p)}, ${say(c.length, p)} long, at ${shortAt(c.start, p)}`;
  }

  /** @param {MouseEvent} e */
  double(e) {
    const { x, y } = this.point(e), h = this.hit(x, y);
    if (h.clip) this.dispatchEvent(new CustomEvent("show-source", { detail: { source: h.clip.source, clip: h.clip } }));
  }

  /** @param {PointerEvent} e */
  down(e) {
    if (e.button !== 0) return;
    const { x, y } = this.point(e), h = this.hit(x, y);
    this.parts.tracks.focus({ preventScroll: true });
    if (h.what === "knot" && h.seam) {
      this.dispatchEvent(new CustomEvent("choose-seam", { detail: h.seam }));
    } else if (h.what === "tab" && h.clip) {
      this.dragClips(e, h.clip);
    } else if (h.what === "fade" && h.clip && h.end) {
      this.dragFade(e, h.clip, h.end);
    } else {
      this.dragSpan(e, h);
    }
  }

  /**
   * Follows a drag until it ends or is backed out of.
   * @param {PointerEvent} e
   * @param {HTMLElement} target
   * @param {(e: PointerEvent, moved: boolean) => void} move
   * @param {(moved: boolean, kept: boolean) => void} end
   */
  drag(e, target, move, end) {
    target.setPointerCapture(e.pointerId);
    let moved = false;
    const stop = new AbortController(), signal = stop.signal;
    const finish = (/** @type {boolean} */ kept) => {
      stop.abort();
      this.backOut = null;
      end(moved, kept);
      this.redraw();
    };
    target.addEventListener("pointermove", (m) => {
      if (!moved && Math.hypot(m.clientX - e.clientX, m.clientY - e.clientY) < 4) return;
      moved = true;
      move(m, moved);
    }, { signal });
    target.addEventListener("pointerup", () => finish(true), { signal });
    target.addEventListener("pointercancel", () => finish(false), { signal });
    this.backOut = (k) => {
      k.preventDefault();
      finish(false);
    };
  }

  /** @param {PointerEvent} e @param {Hit} h */
  dragSpan(e, h) {
    const start = Math.max(this.sample(this.point(e).x), 0), before = this.span;
    this.drag(e, this.parts.lanes, (m) => {
      const now = Math.max(this.sample(this.point(m).x), 0);
      this.span = now === start ? null : { from: Math.min(start, now), to: Math.max(start, now) };
      if (this.span) this.hint(`Span of ${say(this.span.to - this.span.from, this.doc.props)}, ${frames(this.span.to - this.span.from, this.doc.props).toFixed(1)} frames, from ${timecode(this.span.from, this.doc.props)}`);
      this.redraw();
    }, (moved, kept) => {
      if (!kept) this.span = before;
      if (!moved && kept) {
        this.span = null;
        this.dispatchEvent(new CustomEvent("playhead", { detail: start }));
        if (h.clip) this.dispatchEvent(new CustomEvent("choose-clip", { detail: { clip: h.clip, more: e.shiftKey } }));
      }
      this.dispatchEvent(new Event("span"));
    });
  }

  /** Moves chosen clips, or the one that is taken hold of. @param {PointerEvent} e @param {Clip} clip */
  dragClips(e, clip) {
    const ids = this.chosen.has(clip.id) ? [...this.chosen] : [clip.id];
    const clips = ids.map((id) => this.doc.clips.get(id)).filter((c) => c !== undefined);
    const same = clips.every((c) => c.track === clip.track), p = this.doc.props;
    const start = this.point(e);
    /** @type {{clips: number[], by: number, toTrack?: number} | null} */
    let what = null;
    let words = "", bad = false;
    /** @type {Edit | undefined} */
    let offer;
    const ghost = () => {
      if (!what) return;
      const w = what;
      this.ghosts = clips.map((c, i) => ({ track: w.toTrack || c.track, start: c.start + w.by, length: c.length, name: c.name, bad, words: i === 0 ? words : "" }));
      this.redraw();
    };
    const rehearsal = new Rehearsal(this.doc, (r, tried) => {
      if (!what || tried.by !== what.by || tried.toTrack !== what.toTrack) return;
      bad = r instanceof Problem;
      offer = r instanceof Problem ? r.offer : undefined;
      words = r instanceof Problem ? r.message : [`${shift(what.by, p)}, at ${timecode(clip.start + what.by, p)}`, ...(r.outcome.notes ?? [])].join(" · ");
      this.hint(words);
      ghost();
    });
    this.drag(e, this.parts.lanes, (m) => {
      const pt = this.point(m);
      let by = Math.round((pt.x - start.x) * this.perPixel);
      if (!m.altKey) by = this.snap(clips, by);
      const over = this.layout().find((r) => pt.y + this.parts.tracks.scrollTop >= r.top && pt.y + this.parts.tracks.scrollTop < r.top + r.height + gap);
      const toTrack = same && over && over.track.id !== clip.track ? over.track.id : undefined;
      what = { clips: ids, by, ...(toTrack ? { toTrack } : {}) };
      this.parts.lanes.style.cursor = "grabbing";
      ghost();
      rehearsal.try("move", what);
    }, (moved, kept) => {
      rehearsal.end();
      this.ghosts = [];
      if (!moved && kept) {
        this.dispatchEvent(new CustomEvent("choose-clip", { detail: { clip, more: e.shiftKey || e.ctrlKey || e.metaKey } }));
      } else if (kept && what && (what.by || what.toTrack)) {
        this.dispatchEvent(new CustomEvent("edit", { detail: { kind: "move", what, offer: bad ? offer : undefined } }));
      }
    });
  }

  /** Pulls a move to edges and the playhead that are near. @param {Clip[]} clips @param {number} by */
  snap(clips, by) {
    const near = 7 * this.perPixel, moving = new Set(clips.map((c) => c.id));
    let best = by, least = near;
    const edges = [0, this.playhead];
    for (const c of this.doc.clips.values()) if (!moving.has(c.id)) edges.push(c.start, c.start + c.length);
    for (const c of clips) {
      for (const edge of edges) {
        for (const mine of [c.start + by, c.start + c.length + by]) {
          if (Math.abs(edge - mine) < least) {
            least = Math.abs(edge - mine);
            best = by + edge - mine;
          }
        }
      }
      if (clips.length > 20) break;
    }
    return best;
  }

  /** @param {PointerEvent} e @param {Clip} clip @param {"head" | "tail"} end */
  dragFade(e, clip, end) {
    const was = end === "head" ? clip.fadeIn : clip.fadeOut, p = this.doc.props;
    /** @type {Fade} */
    let fade = { ...was };
    const rehearsal = new Rehearsal(this.doc, (r) => {
      if (r instanceof Problem) {
        const offered = /** @type {{fade?: Fade} | undefined} */ (r.offer?.with);
        if (offered?.fade) fade = offered.fade;
        this.hint(r.message);
      } else {
        this.hint(`Fade ${end === "head" ? "in" : "out"} of ${say(fade.length, p)}, ${frames(fade.length, p).toFixed(1)} frames`);
      }
      this.fading = { clip: clip.id, end, fade };
      this.redraw();
    });
    this.drag(e, this.parts.lanes, (m) => {
      const at = this.sample(this.point(m).x);
      fade = { ...was, length: Math.max(end === "head" ? at - clip.start : clip.start + clip.length - at, 0) };
      this.fading = { clip: clip.id, end, fade };
      this.redraw();
      rehearsal.try("setFade", { clip: clip.id, end, fade });
    }, (moved, kept) => {
      rehearsal.end();
      this.fading = null;
      this.dispatchEvent(new CustomEvent("choose-clip", { detail: { clip, more: false } }));
      if (moved && kept) this.dispatchEvent(new CustomEvent("edit", { detail: { kind: "setFade", what: { clip: clip.id, end, fade } } }));
    });
  }

  /** @param {PointerEvent} e */
  scrub(e) {
    const box = this.parts.ruler.getBoundingClientRect();
    const go = (/** @type {PointerEvent} */ m) => this.dispatchEvent(new CustomEvent("playhead", { detail: Math.max(this.sample(m.clientX - box.left), 0) }));
    go(e);
    this.drag(e, this.parts.ruler, go, () => {});
  }

  /** @param {WheelEvent} e */
  wheel(e) {
    e.preventDefault();
    if (e.ctrlKey || e.metaKey) {
      const box = this.parts.lanes.getBoundingClientRect();
      this.zoom(Math.exp(Math.min(Math.max(e.deltaY, -120), 120) * 0.004), this.from + (e.clientX - box.left) * this.perPixel);
      return;
    }
    const { tracks } = this.parts, tall = tracks.scrollHeight > tracks.clientHeight + 2;
    if (tall && !e.shiftKey && Math.abs(e.deltaY) > Math.abs(e.deltaX)) tracks.scrollTop += e.deltaY;
    else this.look(this.from + (e.deltaX + e.deltaY) * this.perPixel);
  }

  /** @param {PointerEvent} e */
  scrollDown(e) {
    const w = this.parts.scroll.clientWidth, box = this.parts.scroll.getBoundingClientRect();
    const half = (this.width * this.perPixel) / 2;
    const go = (/** @type {PointerEvent} */ m) => this.look(((m.clientX - box.left) / w) * this.end - half);
    go(e);
    this.drag(e, this.parts.scroll, go, () => {});
  }
}
