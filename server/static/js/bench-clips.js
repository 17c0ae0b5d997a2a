// Clips and tracks at the bench: choosing them and their settings.

import { frames, span, at as timecode, typed } from "./timecode.js";

/**
 * @param {import("./bench.js").Tools} tools
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
    this.takeChosen();
    tools.timeline.redraw();
  },

  takeChosen() {
    this.chosenCount = tools.timeline.chosen.size;
    const c = this.chosenCount === 1 ? tools.doc.clips.get([...tools.timeline.chosen][0]) : undefined;
    this.clip = c ? { ...c } : null;
    if (c) {
      const p = tools.doc.props, src = tools.doc.sources.get(c.source);
      this.clipInfo = `${src?.name ?? "?"} from ${span(c.offset, p)} to ${span(c.offset + c.length, p)}`;
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
  takeOut() {
    if (tools.timeline.chosen.size) void this.edit("remove", { clips: [...tools.timeline.chosen] });
    else this.tell("No clip is chosen. Click a clip, or press 1 or 2 for the clips of this seam; then delete takes it out.");
  },
  showClipSource() {
    const c = this.clip;
    if (c) this.showSource(c.source, { from: c.offset, to: c.offset + c.length });
  },
  /** @param {"left" | "right"} side */
  chooseSide(side) {
    const c = this.seam && tools.doc.clips.get(this.seam[side]);
    if (c) this.chooseClip(c);
  },

  /** @param {Track} t */
  chooseTrack(t) {
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
