// The timeline's gestures. What a drag does depends on where it starts; what it
// would lead to is asked of the server.

import { Problem } from "./api.js";
import { Rehearsal } from "./doc.js";
import { Sheet, gap, tab } from "./sheet.js";
import { at as timecode, frames, shift, shortAt, span as say } from "./timecode.js";

/** @typedef {{what: string, clip?: Clip, seam?: Seam, track?: Track, end?: "head" | "tail"}} Hit */

/** Events: "choose-clip", "choose-seam", "playhead", "span", "show-source", "edit". */
export class Timeline extends Sheet {
  /**
   * @param {import("./doc.js").Doc} doc
   * @param {import("./waves.js").Waves} waves
   * @param {{tracks: HTMLElement, lanes: HTMLCanvasElement, ruler: HTMLCanvasElement, over: HTMLCanvasElement, scroll: HTMLElement}} parts
   */
  constructor(doc, waves, parts) {
    super(doc, waves, parts);
    const { lanes, ruler, scroll } = parts;
    lanes.addEventListener("pointerdown", (e) => this.down(e));
    lanes.addEventListener("pointermove", (e) => this.hover(e));
    lanes.addEventListener("pointerleave", () => this.hint(""));
    lanes.addEventListener("dblclick", (e) => this.double(e));
    ruler.addEventListener("pointerdown", (e) => this.scrub(e));
    ruler.addEventListener("pointermove", () => this.hint("Click or drag to move the playhead · the wheel moves along, with ctrl it zooms"));
    for (const c of [lanes, ruler]) c.addEventListener("wheel", (e) => this.wheel(e), { passive: false });
    scroll.addEventListener("pointerdown", (e) => this.scrollDown(e));
  }

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
    this.backOut = () => finish(false);
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
