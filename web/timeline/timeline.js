// The timeline's gestures. What a drag does depends on where it starts; what it
// would lead to is asked of the server.

import {
  dragBox,
  dragClips,
  dragEdge,
  dragFade,
  dragKnot,
  dragMarker,
  dragPicture,
  dragRibbon,
  dragSlide,
  dragSpan,
  dragStruck,
} from "./drags.js";
import { dragFit } from "./dragfit.js";
import { drag as follow } from "../lib/drag.js";
import { dragGain, onGainTag } from "../levels/gaintag.js";
import { boxBeads, dragBead, dragThread } from "../levels/beads.js";
import { threadAt } from "../levels/thread.js";
import { hover } from "./hover.js";
import { Lanes } from "./lanes.js";
import { ribbon, tab } from "./sheet.js";
import { frameOf, sampleOf, shortAt, span as say } from "../lib/timecode.js";

/** @typedef {{what: string, clip?: Clip, seam?: Seam, track?: Track, end?: "head" | "tail", strike?: Strike, edge?: "from" | "to", other?: Clip, thread?: import("../levels/thread.js").Thread, point?: Point}} Hit */

/** Events: "choose-clip", "choose-clips", "choose-seam", "working", "menu", "playhead", "scrub", "span", "show-source", "edit", "close-up", "choose-points", "add-point". */
export class Timeline extends Lanes {
  /**
   * @param {import("../app/doc.js").Doc} doc
   * @param {import("../app/session.js").Session} session
   * @param {import("./waves.js").Waves} waves
   * @param {{tracks: HTMLElement, lanes: HTMLCanvasElement, ruler: HTMLCanvasElement, over: HTMLCanvasElement, scroll: HTMLElement}} parts
   */
  constructor(doc, session, waves, parts) {
    super(doc, session, waves, parts);
    /** The blend of an overlap that is made by dropping. */
    this.usual = { law: "constantPower", lean: 0.5 };
    /** Samples each side of a seam that the close-up shows. */
    this.around = doc.props.sampleRate;
    /** @type {(id: string) => string} the key in force for a command */
    this.keyOf = () => "";
    const { lanes, ruler, scroll } = parts;
    lanes.addEventListener("pointerdown", (e) => this.down(e));
    lanes.addEventListener("pointermove", (e) => this.hover(e));
    lanes.addEventListener("pointerleave", () => this.hint(""));
    lanes.addEventListener("contextmenu", (e) => {
      e.preventDefault();
      const { x, y } = this.point(e),
        h = this.hit(x, y),
        at = Math.max(this.sample(x), 0);
      this.dispatchEvent(
        new CustomEvent("menu", {
          detail: {
            clip: h.clip,
            track: h.track,
            at: this.session.snapping ? Math.max(this.toFrame(at), 0) : at,
            x: e.clientX,
            y: e.clientY,
          },
        }),
      );
    });
    lanes.addEventListener("dblclick", (e) => this.double(e));
    ruler.addEventListener("pointerdown", (e) => this.scrub(e));
    ruler.addEventListener("pointermove", (e) => this.overRuler(e));
    for (const c of [lanes, ruler]) c.addEventListener("wheel", (e) => this.wheel(e), { passive: false });
    scroll.addEventListener("pointerdown", (e) => this.scrollDown(e));
  }

  /** What lies at a point of the lanes. @param {number} x @param {number} y @returns {Hit} */
  hit(x, y) {
    const scroll = this.parts.tracks.scrollTop,
      row = this.layout().find((r) => y + scroll >= r.top && y + scroll < r.top + r.height);
    if (!row) return { what: "nothing" };
    const top = row.top - scroll,
      at = this.from + x * this.perPixel,
      near = 7 * this.perPixel,
      track = row.track;
    const inTab = y - top < tab;
    const seam = this.doc.seams
      .filter((s) => s.kind !== "struck" && (s.track === track.id || s.to === track.id) && Math.abs(s.at - at) <= near)
      .sort((a, b) => Math.abs(a.at - at) - Math.abs(b.at - at))[0];
    if (seam && !inTab && Math.abs(y - (top + tab + (row.height - tab) / 2)) < 10) return { what: "knot", seam, track };
    const pulled = inTab ? undefined : threadAt(this, track, top, row.height, x, y);
    if (pulled?.point) return { what: "bead", track, clip: pulled.line.clip, thread: pulled.line, point: pulled.point };
    const lane = this.doc.lanes.get(track.id) ?? [];
    const clip =
      lane.find((c) => at >= c.start && at < c.start + c.length) ??
      lane.find((c) => at >= c.start - near / 2 && at <= c.start + c.length + near / 2);
    if (!clip && pulled) return { what: "thread", track, thread: pulled.line };
    if (!clip) return { what: "lane", track };
    const wide = clip.length / this.perPixel;
    if (track.role === "picture") return this.hitShot({ lane, clip, track, at, y, top, row, near });
    if (this.shown.curves && !inTab && y - top < tab + 11) {
      for (const [end, place, f] of /** @type {["head" | "tail", number, Fade][]} */ ([
        ["head", clip.start + clip.fadeIn.length, clip.fadeIn],
        ["tail", clip.start + clip.length - clip.fadeOut.length, clip.fadeOut],
      ])) {
        const blended =
          end === "head"
            ? this.doc.seams.some((s) => s.right === clip.id && s.blend)
            : this.doc.seams.some((s) => s.left === clip.id && s.blend);
        if (!blended && Math.abs(place - at) <= near && (f.length || wide > 24)) return { what: "fade", clip, track, end };
      }
    }
    if (inTab) return { what: "tab", clip, track };
    // Short clips keep a middle that is not an edge.
    const grip = Math.min(near, (wide / 3) * this.perPixel);
    if (at - clip.start < grip) return { what: "edge", clip, track, end: "head" };
    if (clip.start + clip.length - at < grip) return { what: "edge", clip, track, end: "tail" };
    if (onGainTag(this, clip, top, row.height, x, y)) return { what: "gain", clip, track };
    if (pulled) return { what: "thread", track, clip: pulled.line.clip, thread: pulled.line };
    const struck = this.hitStruck(clip, track, at, near);
    if (struck) return struck;
    if (row.height > 44 && y - top > row.height - ribbon) return { what: "ribbon", clip, track };
    return { what: "wave", clip, track };
  }

  /** What lies at a point of a shot. @param {{lane: Clip[], clip: Clip, track: Track, at: number, y: number, top: number, row: {height: number}, near: number}} place @returns {Hit} */
  hitShot({ lane, clip, track, at, y, top, row, near }) {
    const inTab = y - top < tab,
      wide = clip.length / this.perPixel;
    // The cut of two shots is taken hold of at its middle, their edges above and below it.
    const i = lane.indexOf(clip),
      middle = Math.abs(y - (top + tab + (row.height - tab) / 2)) < 9;
    for (const [a, b] of [
      [lane[i - 1], clip],
      [clip, lane[i + 1]],
    ]) {
      if (middle && a && b && a.start + a.length === b.start && Math.abs(at - b.start) <= near)
        return { what: "pictureCut", clip: a, other: b, track };
    }
    const grip = Math.min(near, (wide / 3) * this.perPixel);
    if (inTab) return { what: "tab", clip, track };
    if (at - clip.start < grip) return { what: "edge", clip, track, end: "head" };
    if (clip.start + clip.length - at < grip) return { what: "edge", clip, track, end: "tail" };
    if (y - top > row.height - ribbon) return { what: "ribbon", clip, track };
    return { what: "frame", clip, track };
  }

  /** What lies at a place of a clip of what is struck of it. @param {Clip} clip @param {Track} track @param {number} at @param {number} near @returns {Hit | undefined} */
  hitStruck(clip, track, at, near) {
    for (const k of this.doc.struck.get(clip.id) ?? []) {
      const a = k.from + clip.start - clip.offset,
        b = k.to + clip.start - clip.offset,
        reach = Math.min(near, (b - a) / 3);
      if (Math.abs(at - a) < reach) return { what: "struckEdge", clip, track, strike: k, edge: "from" };
      if (Math.abs(at - b) < reach) return { what: "struckEdge", clip, track, strike: k, edge: "to" };
      if (at > a - k.fall.length && at < b + k.rise.length) return { what: "struck", clip, track, strike: k };
    }
    return undefined;
  }

  /** @param {PointerEvent | MouseEvent} e */
  point(e) {
    const box = this.parts.lanes.getBoundingClientRect();
    return { x: e.clientX - box.left, y: e.clientY - box.top };
  }

  /** @param {PointerEvent} e */
  hover(e) {
    if (!this.dragging) hover(this, e);
  }

  /** @param {Clip} c */
  describe(c) {
    const p = this.doc.props,
      src = this.doc.sources.get(c.source);
    return `${src?.name ?? ""} from ${say(c.offset, p)}, ${say(c.length, p)} long, at ${shortAt(c.start, p)}`;
  }

  /** @param {MouseEvent} e */
  double(e) {
    const { x, y } = this.point(e),
      h = this.hit(x, y);
    if (h.clip) this.dispatchEvent(new CustomEvent("show-source", { detail: { source: h.clip.source, clip: h.clip } }));
  }

  /** @param {PointerEvent} e */
  down(e) {
    if (e.button !== 0) return;
    const { x, y } = this.point(e),
      h = this.hit(x, y);
    this.parts.tracks.focus({ preventScroll: true });
    const free = e.ctrlKey || e.metaKey;
    if (e.altKey && h.what === "thread" && h.thread) dragThread(this, e, h.thread);
    else if (e.altKey && (h.what === "lane" || h.what === "wave")) boxBeads(this, e);
    else if (h.what === "nothing" || (free && (h.what === "lane" || h.what === "wave"))) dragBox(this, e);
    else if (h.what === "knot" && h.seam) dragKnot(this, e, h.seam);
    else if (h.what === "pictureCut" && h.clip && h.other && !h.track?.locked) dragPicture(this, e, h.clip, h.other);
    else if (h.track?.locked && h.what !== "lane" && h.what !== "wave") this.choose(h.clip, e.shiftKey);
    else if (h.what === "tab" && h.clip) (e.shiftKey ? dragSlide : dragClips)(this, e, h.clip);
    else if (h.what === "bead" && h.thread && h.point) dragBead(this, e, h.thread, h.point);
    else if (h.what === "thread" && h.thread?.points.length) dragThread(this, e, h.thread);
    else if (h.what === "fade" && h.clip && h.end) dragFade(this, e, h.clip, h.end);
    else if (h.what === "edge" && h.clip && h.end)
      (free && !(this.doc.shows(h.clip) && h.end === "head") ? dragFit : dragEdge)(this, e, h.clip, h.end);
    else if (h.what === "struckEdge" && h.strike && h.clip && h.edge) dragStruck(this, e, h.strike, h.clip, h.edge);
    else if (h.what === "gain" && h.clip) dragGain(this, e, h.clip);
    else if (h.what === "ribbon" && h.clip) dragRibbon(this, e, h.clip);
    else dragSpan(this, e, h);
  }

  /** The place in the reel that a point lies over, as a fraction of samples. @param {PointerEvent} e */
  placeOf(e) {
    return this.from + this.point(e).x * this.perPixel;
  }

  /** @param {Clip | undefined} clip @param {boolean} more */
  choose(clip, more) {
    if (clip) this.dispatchEvent(new CustomEvent("choose-clip", { detail: { clip, more } }));
  }

  /**
   * Whether a drag goes through the ties of picture and sound: where it moves what is tied, unless alt
   * is held; at an edge or a cut of sound, only with alt.
   * @param {PointerEvent} e @param {boolean} [edgeOfSound]
   */
  tiedOf(e, edgeOfSound = false) {
    return this.doc.ties.size > 0 && e.altKey === edgeOfSound ? { tied: true } : {};
  }

  /** What later clips do in a drag: with shift the other of stay and follow. @param {PointerEvent} e @returns {Later} */
  laterOf(e) {
    return !e.shiftKey ? this.session.later : this.session.later === "stay" ? this.session.following : "stay";
  }

  /**
   * Pulls a place to an edge, the playhead or a marker that is near, else to a
   * whole frame; where snapping is off or held off, it stays.
   * @param {number} at
   * @param {PointerEvent} e
   * @param {Set<number>} [but] clips that move themselves
   */
  snapAt(at, e, but = new Set()) {
    if (!this.session.snapping || e.ctrlKey || e.metaKey) return Math.round(at);
    let best = NaN,
      least = 7 * this.perPixel;
    const pull = (/** @type {number} */ edge) => {
      if (Math.abs(edge - at) < least) [best, least] = [edge, Math.abs(edge - at)];
    };
    pull(0);
    pull(this.playhead);
    for (const m of this.doc.markers.values()) pull(m.at);
    for (const c of this.doc.clips.values()) {
      if (but.has(c.id)) continue;
      pull(c.start);
      pull(c.start + c.length);
    }
    return Number.isNaN(best) ? this.toFrame(at) : best;
  }

  /** The nearest place where a frame begins. @param {number} at */
  toFrame(at) {
    const p = this.doc.props,
      n = frameOf(Math.round(at), p),
      a = sampleOf(n, p),
      b = sampleOf(n + 1, p);
    return at - a < b - at ? a : b;
  }

  /**
   * Follows a drag until it ends or is backed out of.
   * @param {PointerEvent} e
   * @param {HTMLElement} target
   * @param {(e: PointerEvent) => void} move
   * @param {(moved: boolean, kept: boolean) => void} end
   */
  drag(e, target, move, end) {
    let over = false;
    /** @type {PointerEvent | null} */
    let last = null;
    // At the sides of the lanes the view goes along, the faster the further out.
    const along = () => {
      if (over) return;
      const x = last ? this.point(last).x : 0,
        out = x < 0 ? x : x > this.width ? x - this.width : 0;
      if (last && out && target === this.parts.lanes && !this.box) {
        this.look(this.from + Math.sign(out) * Math.min(Math.abs(out) + 20, 200) * 0.08 * this.perPixel);
        move(last);
      }
      requestAnimationFrame(along);
    };
    requestAnimationFrame(along);
    this.dragging = true;
    follow(e, {
      on: target,
      move: (m) => move((last = m)),
      end: (kept, moved) => {
        over = true;
        this.dragging = false;
        end(moved, kept);
        this.redraw();
      },
    });
  }

  /** The marker whose flag lies at a point of the ruler. @param {PointerEvent} e */
  flagAt(e) {
    const box = this.parts.ruler.getBoundingClientRect(),
      x = e.clientX - box.left;
    if (e.clientY - box.top < 12) return undefined;
    return [...this.doc.markers.values()].find((m) => x - this.x(m.at) >= -3 && x - this.x(m.at) <= 9);
  }

  /** @param {PointerEvent} e */
  overRuler(e) {
    if (this.dragging) return;
    const m = this.flagAt(e);
    this.parts.ruler.style.cursor = m ? "grab" : "default";
    this.hint(
      m
        ? `Marker “${m.text}”: drag it elsewhere, click to go there`
        : "Click or drag to move the playhead · the wheel moves along, with ctrl it zooms",
    );
  }

  /** @param {PointerEvent} e */
  scrub(e) {
    if (e.button !== 0) return;
    const flag = this.flagAt(e);
    if (flag) {
      dragMarker(this, e, flag);
      return;
    }
    const box = this.parts.ruler.getBoundingClientRect();
    const go = (/** @type {PointerEvent} */ m) => {
      const at = Math.max(this.sample(m.clientX - box.left), 0);
      this.dispatchEvent(new CustomEvent("playhead", { detail: at }));
      if (m !== e) this.dispatchEvent(new CustomEvent("scrub", { detail: at }));
    };
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
    const { tracks } = this.parts,
      tall = tracks.scrollHeight > tracks.clientHeight + 2;
    if (tall && !e.shiftKey && Math.abs(e.deltaY) > Math.abs(e.deltaX)) tracks.scrollTop += e.deltaY;
    else this.look(this.from + (e.deltaX + e.deltaY) * this.perPixel);
  }

  /** @param {PointerEvent} e */
  scrollDown(e) {
    const w = this.parts.scroll.clientWidth,
      box = this.parts.scroll.getBoundingClientRect();
    const half = (this.width * this.perPixel) / 2;
    const go = (/** @type {PointerEvent} */ m) => this.look(((m.clientX - box.left) / w) * this.end - half);
    go(e);
    this.drag(e, this.parts.scroll, go, () => {});
  }
}
