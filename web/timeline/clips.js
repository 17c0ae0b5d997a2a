// Clips and tracks at the bench: choosing them and their settings.

import { format, frameOf, frames, span, at as timecode, typed } from "../lib/timecode.js";

/** @param {string} id @returns {any} */
const el = (id) => document.getElementById(id);

/**
 * @param {import("../app/bench.js").Tools} tools
 * @returns {object & ThisType<any>}
 */
export const clips = (tools) => ({
  /** @param {Clip} c @param {boolean} [more] */
  chooseClip(c, more = false) {
    if (!more) tools.timeline.chosen.clear();
    if (more && tools.timeline.chosen.has(c.id)) tools.timeline.chosen.delete(c.id);
    else tools.timeline.chosen.add(c.id);
    this.track = null;
    this.source = null;
    this.stage = "seam";
    if (!["clip", "slip", "slide"].includes(this.acting)) this.acting = "clip";
    tools.timeline.working = new Set([...(more ? tools.timeline.working : []), c.track]);
    this.takeWorking();
    this.takeChosen();
    tools.timeline.redraw();
  },
  /** Chooses clips by their ids. @param {number[]} ids */
  chooseClips(ids) {
    tools.timeline.chosen = new Set(ids);
    this.track = null;
    this.source = null;
    this.stage = "seam";
    if (ids.length && !["clip", "slip", "slide"].includes(this.acting)) this.acting = "clip";
    this.takeChosen();
    tools.timeline.redraw();
  },
  /** Chooses clips of the tracks that are worked on. @param {"here" | "all" | "after"} which */
  chooseMany(which) {
    const at = Math.round(tools.timeline.playhead);
    const clips = this.workingClips().filter((/** @type {Clip} */ c) => which === "all" || (which === "after" ? c.start >= at : c.start <= at && at < c.start + c.length));
    if (!clips.length) this.tell(which === "here" ? "No clip at the playhead on the active tracks." : "No clips there on the active tracks.");
    else this.chooseClips(clips.map((/** @type {Clip} */ c) => c.id));
  },

  takeChosen() {
    this.chosenCount = tools.timeline.chosen.size;
    if (this.typing && this.clip && tools.timeline.chosen.has(this.clip.id)) return;
    // With no clip left to act on, the keys act on the cut, and the card says so.
    if (!this.chosenCount && ["clip", "slip", "slide"].includes(this.acting)) this.acting = "cut";
    const c = this.chosenCount === 1 ? tools.doc.clips.get([...tools.timeline.chosen][0]) : undefined;
    this.clip = c ? { ...c } : null;
    if (c) {
      const p = tools.doc.props, src = tools.doc.sources.get(c.source);
      const tc = src && src.startTC >= 0 ? `, ${format(frameOf(src.startTC + c.offset, p), p.frameRate)}` : "";
      this.clipInfo = `${src?.name ?? "?"}, ${span(c.offset, p)} to ${span(c.offset + c.length, p)}${tc}`;
      if (src?.bed) this.clipInfo = `${src.name}, ${this.toneText(src)}`;
      this.clipHandles = src?.bed ? "generated, any length" : `${span(c.offset, p)} ahead · ${span((src?.length ?? 0) - c.offset - c.length, p)} beyond`;
    }
  },
  clipTimes() {
    const c = this.clip, p = tools.doc.props;
    return c ? `${timecode(c.start, p)} – ${timecode(c.start + c.length, p)}` : "";
  },
  clipLength() {
    const c = this.clip, p = tools.doc.props;
    return c ? `${span(c.length, p)} · ${frames(c.length, p).toFixed(1)} fr` : "";
  },
  /** @param {string} end */
  clipFade(end) {
    const c = this.clip && tools.doc.clips.get(this.clip.id);
    return c ? this.fadeOf(c, end, end === "head" ? c.fadeIn : c.fadeOut) : null;
  },
  /** @param {string} end */
  clipBlended(end) {
    const c = this.clip;
    return Boolean(c && tools.doc.seams.some((s) => s.blend && (end === "head" ? s.right : s.left) === c.id));
  },
  /** @param {string} v */
  renameClip(v) {
    if (this.clip && v.trim() !== this.clip.name) void this.edit("setClip", { clip: this.clip.id, name: v });
  },
  /** @param {string} v */
  gainClip(v) {
    if (this.clip && Number.isFinite(typed(v))) void this.edit("setClip", { clip: this.clip.id, gainDB: typed(v) });
  },
  showClipSource() {
    const c = this.clip;
    if (c) this.showSource(c.source, { from: c.offset, to: c.offset + c.length });
  },
  /** @param {Track} t @param {boolean} [more] */
  chooseTrack(t, more = false) {
    const w = tools.timeline.working;
    if (more && w.has(t.id) && w.size > 1) w.delete(t.id);
    else if (more) w.add(t.id);
    else tools.timeline.working = new Set([t.id]);
    this.takeWorking();
    this.track = { ...(tools.doc.tracks.get(t.id) ?? t) };
    this.source = null;
    this.stage = "seam";
    tools.timeline.chosen.clear();
    this.takeChosen();
    tools.timeline.redraw();
  },
  /** @param {number} id @param {Record<string, any>} alter */
  setTrack(id, alter) {
    void this.edit("setTrack", { track: id, ...alter });
  },
  /** @param {any} t */
  toggleMute(t) {
    this.setTrack(t.id, { mute: !t.mute });
  },
  /** @param {any} t */
  toggleSolo(t) {
    this.setTrack(t.id, { solo: !t.solo });
  },
  /** @param {any} t */
  toggleLock(t) {
    this.setTrack(t.id, { locked: !t.locked });
  },
  /** @param {any} t */
  toggleStays(t) {
    this.setTrack(t.id, { stays: !t.stays });
  },
  /** @param {string} v */
  colourTrack(v) {
    this.setTrack(this.track.id, { colour: v });
  },
  /** @param {string | number} v */
  heightTrack(v) {
    this.setTrack(this.track.id, { height: Number(v) === 100 ? 0 : Number(v) });
  },
  /** Which way the track of the card is put. @param {number} by */
  orderTrack(by) {
    const order = tools.doc.order(), id = this.track?.id ?? [...tools.timeline.working][0], i = order.findIndex((t) => t.id === id);
    if (i >= 0 && i + by >= 0 && i + by < order.length) void this.edit("moveTrack", { track: id, to: i + by });
  },
  chooseTrackClips() {
    this.chooseClips((tools.doc.lanes.get(this.track.id) ?? []).map((c) => c.id));
  },
  /** Takes hold of a track's head: dragged up or down it is put elsewhere, at its lower edge its height is set. @param {PointerEvent} e @param {any} row */
  holdTrack(e, row) {
    if (e.button !== 0 || /** @type {HTMLElement} */ (e.target).closest("[data-own]")) return;
    const box = /** @type {HTMLElement} */ (e.currentTarget).getBoundingClientRect(), low = box.bottom - e.clientY < 7;
    const order = tools.doc.order(), from = order.findIndex((t) => t.id === row.id), usual = row.height / ((row.percent || 100) / 100);
    let moved = false, to = from, height = 0;
    const stop = new AbortController(), signal = stop.signal;
    addEventListener("pointermove", (m) => {
      if (!moved && Math.abs(m.clientY - e.clientY) < 5) return;
      moved = true;
      if (low) {
        height = Math.round(Math.min(Math.max(((row.height + m.clientY - e.clientY) / usual) * 100, 50), 400));
        const t = tools.doc.tracks.get(row.id);
        if (t) tools.doc.tracks.set(row.id, { ...t, height });
        this.hint = `${row.name}: ${height} % of the usual height`;
        this.takeLayout();
        tools.timeline.redraw();
        return;
      }
      const y = m.clientY - el("lanes").getBoundingClientRect().top + el("tracks").scrollTop, rows = tools.timeline.layout();
      const slot = rows.filter((r) => y > r.top + r.height / 2).length;
      to = slot > from ? slot - 1 : slot;
      tools.timeline.slot = { y: slot < rows.length ? rows[slot].top : (rows.at(-1)?.top ?? 0) + (rows.at(-1)?.height ?? 0) + 2 };
      this.hint = to === from ? `${row.name} stays where it is` : `${row.name} ${to === 0 ? "above the others" : `below ${order.filter((t) => t.id !== row.id)[to - 1].name}`}`;
      tools.timeline.redraw();
    }, { signal });
    const end = (/** @type {boolean} */ kept) => {
      stop.abort();
      tools.timeline.slot = null;
      tools.timeline.redraw();
      if (!moved) {
        if (kept) this.chooseTrack(row, e.shiftKey);
      } else if (low) {
        void this.edit("setTrack", { track: row.id, height: kept ? height : row.percent });
      } else if (kept && to !== from) {
        void this.edit("moveTrack", { track: row.id, to });
      }
    };
    addEventListener("pointerup", () => end(true), { signal });
    addEventListener("keydown", (k) => k.key === "Escape" && end(false), { signal });
  },
  /** @param {string} v */
  renameTrack(v) {
    if (v.trim() && v !== this.track.name) this.setTrack(this.track.id, { name: v });
  },
  /** @param {string} v */
  gainTrack(v) {
    if (Number.isFinite(typed(v))) this.setTrack(this.track.id, { gainDB: typed(v) });
  },
  /** @param {string} v */
  panTrack(v) {
    this.setTrack(this.track.id, { pan: Number(v) });
  },
  /** @param {string} v */
  roleTrack(v) {
    this.setTrack(this.track.id, { role: v });
  },
  panText() {
    const v = Number(this.track?.pan ?? 0);
    return v === 0 ? "centre" : `${Math.round(Math.abs(v) * 100)} % ${v < 0 ? "left" : "right"}`;
  },
  async removeTrack() {
    const t = this.track;
    if (!t) return;
    this.track = null;
    await this.edit("removeTrack", { track: t.id });
  },
  async addTrack() {
    const c = await this.edit("addTrack", { name: `Track ${tools.doc.tracks.size + 1}`, role: "dialogue" });
    const t = c?.outcome.made && tools.doc.tracks.get(c.outcome.made[0]);
    if (t) this.chooseTrack(t);
  },
  /** @param {any} t */
  trackGain(t) {
    return `${t.gainDB < 0 ? "−" : ""}${Math.abs(t.gainDB).toFixed(1)} dB`;
  },
  /** @param {any} t */
  trackPan(t) {
    return t.pan === 0 ? "C" : `${t.pan < 0 ? "L" : "R"}${Math.round(Math.abs(t.pan) * 100)}`;
  },
});
