// Clips and tracks at the bench: choosing them and their settings.

import { dye } from "../lib/colours.js";
import { decibels } from "../lib/decibels.js";
import { drag } from "../lib/drag.js";
import { el, panel } from "../lib/panel.js";
import { format, frameOf, frames, span, at as timecode } from "../lib/timecode.js";

/** @param {import("../app/app.js").App} app */
export const clips = (app) =>
  panel({
    /** @type {any[]} */ tracks: [],
    sheetHeight: 0,
    /** @type {Clip | null} */ clip: null,
    chosenCount: 0,
    clipInfo: "",
    clipHandles: "",

    // ——— What is known ———

    takeLayout() {
      const rows = app.timeline.layout();
      this.tracks = rows.map((r) => ({ ...r.track, percent: r.track.height, top: r.top, height: r.height, dye: dye(r.track) }));
      this.sheetHeight = rows.reduce((h, r) => Math.max(h, r.top + r.height + 4), 0);
    },

    /** @param {Clip} c @param {boolean} [more] */
    chooseClip(c, more = false) {
      const chosen = new Set(more ? app.session.chosen : []);
      if (!chosen.delete(c.id)) chosen.add(c.id);
      app.session.chosen = chosen;
      app.session.track = null;
      app.session.source = null;
      app.session.stage = "seam";
      if (!["clip", "slip", "slide"].includes(app.session.acting)) app.session.acting = "clip";
      app.session.working = new Set([...(more ? app.session.working : []), c.track]);
      app.act.takeWorking();
      this.takeChosen();
      app.timeline.redraw();
    },
    /** Chooses clips by their ids. @param {number[]} ids */
    chooseClips(ids) {
      app.session.chosen = new Set(ids);
      app.session.track = null;
      app.session.source = null;
      app.session.stage = "seam";
      if (ids.length && !["clip", "slip", "slide"].includes(app.session.acting)) app.session.acting = "clip";
      this.takeChosen();
      app.timeline.redraw();
    },
    /** Chooses clips of the tracks that are worked on. @param {"here" | "all" | "after"} which */
    chooseMany(which) {
      const at = Math.round(app.timeline.playhead);
      const clips = app.act
        .workingClips()
        .filter(
          (/** @type {Clip} */ c) => which === "all" || (which === "after" ? c.start >= at : c.start <= at && at < c.start + c.length),
        );
      if (!clips.length)
        app.page.tell(which === "here" ? "No clip at the playhead on the active tracks." : "No clips there on the active tracks.");
      else this.chooseClips(clips.map((/** @type {Clip} */ c) => c.id));
    },

    takeChosen() {
      this.chosenCount = app.session.chosen.size;
      if (app.closeup.typing && this.clip && app.session.chosen.has(this.clip.id)) return;
      // With no clip left to act on, the keys act on the cut, and the card says so.
      if (!this.chosenCount && ["clip", "slip", "slide"].includes(app.session.acting)) app.session.acting = "cut";
      const c = this.chosenCount === 1 ? app.doc.clips.get([...app.session.chosen][0]) : undefined;
      this.clip = c ? { ...c } : null;
      app.levels.take();
      app.rides.take();
      if (c) {
        const p = app.doc.props,
          src = app.doc.sources.get(c.source);
        const tc = src && src.startTC >= 0 ? `, ${format(frameOf(src.startTC + c.offset, p), p.frameRate)}` : "";
        this.clipInfo = `${src?.name ?? "?"}, ${span(c.offset, p)} to ${span(c.offset + c.length, p)}${tc}`;
        if (src?.bed) this.clipInfo = `${src.name}, ${app.strike.toneText(src)}`;
        this.clipHandles = src?.bed
          ? "generated, any length"
          : `${span(c.offset, p)} ahead · ${span((src?.length ?? 0) - c.offset - c.length, p)} beyond`;
      }
    },
    clipTimes() {
      const c = this.clip,
        p = app.doc.props;
      return c ? `${timecode(c.start, p)} – ${timecode(c.start + c.length, p)}` : "";
    },
    clipLength() {
      const c = this.clip,
        p = app.doc.props;
      return c ? `${span(c.length, p)} · ${frames(c.length, p).toFixed(1)} fr` : "";
    },
    /** @param {string} end */
    clipFade(end) {
      const c = this.clip && app.doc.clips.get(this.clip.id);
      return c ? app.closeup.fadeOf(c, end, end === "head" ? c.fadeIn : c.fadeOut) : null;
    },
    /** @param {string} end */
    clipBlended(end) {
      const c = this.clip;
      return Boolean(c && app.doc.seams.some((s) => s.blend && (end === "head" ? s.right : s.left) === c.id));
    },
    /** @param {string} v */
    renameClip(v) {
      if (this.clip && v.trim() !== this.clip.name) void app.mend.edit("setClip", { clip: this.clip.id, name: v });
    },
    showClipSource() {
      const c = this.clip;
      if (c) app.sources.showSource(c.source, { from: c.offset, to: c.offset + c.length });
    },
    /** @param {Track} t @param {boolean} [more] */
    chooseTrack(t, more = false) {
      const w = app.session.working;
      if (more && w.has(t.id) && w.size > 1) w.delete(t.id);
      else if (more) w.add(t.id);
      else app.session.working = new Set([t.id]);
      app.act.takeWorking();
      app.session.track = { ...(app.doc.tracks.get(t.id) ?? t) };
      app.session.source = null;
      app.session.stage = "seam";
      app.session.chosen = new Set();
      this.takeChosen();
      app.timeline.redraw();
    },
    /** @param {number} id @param {Record<string, any>} alter */
    setTrack(id, alter) {
      void app.mend.edit("setTrack", { track: id, ...alter });
    },
    /** Alters the track whose settings are shown. @param {Record<string, unknown>} what */
    setTrackHere(what) {
      if (app.session.track) this.setTrack(app.session.track.id, what);
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
    toggleLock(t, on = !t.locked) {
      this.setTrack(t.id, { locked: on });
    },
    /** @param {any} t */
    toggleStays(t, on = !t.stays) {
      this.setTrack(t.id, { stays: on });
    },
    /** @param {string} v */
    colourTrack(v) {
      this.setTrackHere({ colour: v });
    },
    /** @param {string | number} v */
    heightTrack(v) {
      this.setTrackHere({ height: Number(v) === 100 ? 0 : Number(v) });
    },
    /** Which way the track of the card is put. @param {number} by */
    orderTrack(by) {
      const order = app.doc.order(),
        id = app.session.track?.id ?? [...app.session.working][0],
        i = order.findIndex((t) => t.id === id);
      if (i >= 0 && i + by >= 0 && i + by < order.length) void app.mend.edit("moveTrack", { track: id, to: i + by });
    },
    chooseTrackClips() {
      this.chooseClips((app.doc.lanes.get(app.session.track?.id ?? 0) ?? []).map((c) => c.id));
    },
    /** Shows a track as high as it would be. @param {any} row @param {number} percent of the usual height */
    heightTo(row, percent) {
      const height = Math.round(Math.min(Math.max(percent, 50), 400)),
        t = app.doc.tracks.get(row.id);
      if (t) app.doc.tracks.set(row.id, { ...t, height });
      app.page.hint = `${row.name}: ${height} % of the usual height`;
      this.takeLayout();
      return height;
    },
    /** Shows where a track would be put, and gives its place. @param {any} row @param {number} from its place now @param {number} y */
    placeTo(row, from, y) {
      const rows = app.timeline.layout(),
        slot = rows.filter((r) => y > r.top + r.height / 2).length,
        to = slot > from ? slot - 1 : slot,
        last = rows.at(-1);
      app.timeline.slot = { y: slot < rows.length ? rows[slot].top : (last?.top ?? 0) + (last?.height ?? 0) + 2 };
      const above = app.doc.order().filter((t) => t.id !== row.id)[to - 1];
      app.page.hint = `${row.name} ${to === from ? "stays where it is" : above ? `below ${above.name}` : "above the others"}`;
      return to;
    },
    /** Takes hold of a track's head: dragged up or down it is put elsewhere, at its lower edge its height is set. @param {PointerEvent} e @param {any} row */
    holdTrack(e, row) {
      if (e.button !== 0 || /** @type {HTMLElement} */ (e.target).closest("[data-own]")) return;
      const box = /** @type {HTMLElement} */ (e.currentTarget).getBoundingClientRect(),
        low = box.bottom - e.clientY < 7;
      const order = app.doc.order(),
        from = order.findIndex((t) => t.id === row.id),
        usual = row.height / ((row.percent || 100) / 100);
      let to = from,
        height = row.percent;
      drag(e, {
        still: 5,
        move: (m) => {
          if (low) height = this.heightTo(row, ((row.height + m.clientY - e.clientY) / usual) * 100);
          else to = this.placeTo(row, from, m.clientY - el("lanes").getBoundingClientRect().top + el("tracks").scrollTop);
          app.timeline.redraw();
        },
        end: (kept, moved) => {
          app.timeline.slot = null;
          app.timeline.redraw();
          if (kept && !moved) this.chooseTrack(row, e.shiftKey);
          else if (moved && low && kept) void app.mend.edit("setTrack", { track: row.id, height });
          else if (moved && low) this.heightTo(row, row.percent);
          else if (kept && to !== from) void app.mend.edit("moveTrack", { track: row.id, to });
        },
      });
    },
    /** @param {string} v */
    renameTrack(v) {
      if (v.trim() && v !== app.session.track?.name) this.setTrackHere({ name: v });
    },
    /** @param {string} v */
    panTrack(v) {
      this.setTrackHere({ pan: Number(v) });
    },
    /** @param {string} v */
    roleTrack(v) {
      this.setTrackHere({ role: v });
    },
    panText() {
      const v = Number(app.session.track?.pan ?? 0);
      return v === 0 ? "centre" : `${Math.round(Math.abs(v) * 100)} % ${v < 0 ? "left" : "right"}`;
    },
    async removeTrack() {
      const t = app.session.track;
      if (!t) return;
      app.session.track = null;
      await app.mend.edit("removeTrack", { track: t.id });
    },
    async addTrack() {
      const c = await app.mend.edit("addTrack", { name: `Track ${app.doc.tracks.size + 1}`, role: "dialogue" });
      const t = c?.outcome.made && app.doc.tracks.get(c.outcome.made[0]);
      if (t) this.chooseTrack(t);
    },
    /** @param {any} t */
    trackGain(t) {
      return `${decibels(t.gainDB)} dB`;
    },
    /** @param {any} t */
    trackPan(t) {
      return t.pan === 0 ? "C" : `${t.pan < 0 ? "L" : "R"}${Math.round(Math.abs(t.pan) * 100)}`;
    },
  });
