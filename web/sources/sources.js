// Sources at the bench: marking stretches, laying them in, bringing files in.

import { Problem, get, say, send } from "../app/api.js";
import { fit } from "../lib/canvas.js";
import { Rehearsal } from "../app/doc.js";
import { isList } from "../dialogs/lists.js";
import { drawMini } from "./sourceview.js";
import { frames, span, at as timecode, typed } from "../lib/timecode.js";

/** @param {string} id @returns {any} */
const el = (id) => document.getElementById(id);

/**
 * @param {import("../app/bench.js").Tools} tools
 * @returns {object & ThisType<any>}
 */
export const sources = (tools) => ({
  async readSources() {
    this.sources = (await get(`/reels/${tools.doc.id}/sources`)).sources;
    if (this.source) this.source = this.sources.find((/** @type {Listed} */ s) => s.id === this.source?.id) ?? null;
    if (!this.source) this.stage = "seam";
    queueMicrotask(() => this.drawMinis());
  },
  drawMinis() {
    if (this.tab !== "sources") return;
    requestAnimationFrame(() => {
      for (const c of document.querySelectorAll("canvas.mini")) {
        const s = tools.doc.sources.get(Number(/** @type {HTMLElement} */ (c).dataset.source));
        if (s?.picture) this.drawStill(/** @type {HTMLCanvasElement} */ (c), s);
        else if (s) drawMini(/** @type {HTMLCanvasElement} */ (c), s, tools.waves);
      }
    });
  },
  /** A row of frames along the strip of a picture. @param {HTMLCanvasElement} canvas @param {Source} s */
  drawStill(canvas, s) {
    const w = canvas.clientWidth, h = canvas.clientHeight, g = fit(canvas, w, h), pic = s.picture;
    canvas.style.width = canvas.style.height = "";
    if (!pic || !s.recording) return;
    const wide = (h * (pic.width || 16)) / (pic.height || 9), n = Math.max(Math.floor(w / wide), 1), step = Math.max(Math.floor(pic.frames / n), 1);
    for (let k = 0; k < n; k++) {
      const bitmap = tools.frames.thumb(s.recording, pic.frames ? k * step : 0, pic.frames ? step : 1);
      if (bitmap) g.drawImage(bitmap, k * wide, 0, wide - 1, h);
    }
  },
  showTab(/** @type {string} */ tab) {
    this.tab = tab;
    if (tab === "sources") setTimeout(() => this.drawMinis());
    if (tab === "room") void this.readRooms();
    if (tab === "steps") void this.readSteps();
  },
  /** @param {Listed} s */
  sourceNote(s) {
    if (s.picture) return this.pictureNote(s);
    if (!s.recording) return "missing media"; // it has no length of its own
    const d = s.details;
    return `${span(s.length, tools.doc.props)} · ${s.right >= 0 ? "stereo" : "mono"}${d.nativeRate ? ` · ${d.nativeRate / 1000} kHz` : ""}`;
  },
  /** @param {number} id @param {{from: number, to: number}} [stretch] */
  showSource(id, stretch) {
    const s = this.sources.find((/** @type {Listed} */ x) => x.id === id);
    if (!s) return;
    this.showTab("sources");
    if (this.source?.id !== s.id) this.stretchName = "";
    this.source = s;
    this.stage = "source";
    this.track = null;
    tools.timeline.chosen.clear();
    this.takeChosen();
    tools.timeline.redraw();
    setTimeout(() => tools.sourceView.show(tools.doc.sources.get(id) ?? null, stretch));
  },
  closeSource() {
    this.stage = "seam";
    this.source = null;
    if (tools.player.route?.name === "source") tools.player.stop();
    tools.close.redraw();
  },
  takeMark() {
    const p = tools.doc.props, n = tools.sourceView.out - tools.sourceView.in;
    this.mark = { from: tools.sourceView.in, to: tools.sourceView.out, text: `${span(n, p)} · ${frames(n, p).toFixed(1)} fr` };
  },
  /** @param {string} which @param {string} v */
  setMark(which, v) {
    const n = Math.round(typed(v) * tools.doc.props.sampleRate);
    if (!Number.isFinite(n)) return;
    if (which === "in") tools.sourceView.mark(n, Math.max(this.mark.to, n + 1));
    else tools.sourceView.mark(Math.min(this.mark.from, n - 1), n);
  },
  markSeconds(/** @type {number} */ n) {
    return (n / tools.doc.props.sampleRate).toFixed(3);
  },
  /** The name that the next stretch gets: what was typed, with a number that goes on. */
  nameOfStretch() {
    const s = this.source, typed = this.stretchName.trim();
    return typed || s?.name;
  },
  async layIn() {
    const s = this.source;
    if (!s) {
      this.tell(`No source is open. Open one under Sources and mark a stretch. ${this.keyOf("layIn")} inserts it at the playhead.`);
      return;
    }
    if (s.picture) {
      await this.layShot(s);
      return;
    }
    const length = this.mark.to - this.mark.from, start = Math.round(tools.timeline.playhead);
    const c = await this.edit("place", { source: s.id, track: this.target, start, offset: this.mark.from, length, name: this.nameOfStretch(), later: this.later });
    if (c) this.laid(c);
  },
  /** Fills the span, or the gap at the playhead, exactly. @param {"in" | "out"} anchor */
  async fill(anchor) {
    const s = this.source;
    if (!s) {
      this.tell("No source is open. Open one under Sources and mark its in or out point.");
      return;
    }
    const at = tools.timeline.span ?? { from: Math.round(tools.timeline.playhead), to: 0 };
    const c = await this.edit("fill", { source: s.id, track: this.target, from: at.from, to: at.to, mark: anchor === "in" ? this.mark.from : this.mark.to, anchor, name: this.nameOfStretch() });
    if (c) this.laid(c);
  },
  /** Goes to a clip that was laid in. @param {Changed} c */
  laid(c) {
    const clip = c.outcome.made && tools.doc.clips.get(c.outcome.made[0]);
    if (!clip) return;
    this.seek(clip.start + clip.length);
    // The next stretch of a row is counted on by itself: “line 3” comes after “line 2”.
    const n = /^(.*?)(\d+)$/.exec(this.stretchName.trim());
    if (n) this.stretchName = `${n[1]}${Number(n[2]) + 1}`;
    tools.timeline.show(clip.start, clip.start + clip.length);
    this.hint = `Inserted at ${timecode(clip.start, tools.doc.props)}; the playhead is after it.`;
  },
  /** Drags a source from the list onto a track. @param {PointerEvent} e @param {Listed} s */
  takeHold(e, s) {
    if (e.button !== 0) return;
    const from = { x: e.clientX, y: e.clientY }, stretch = this.source?.id === s.id ? { offset: this.mark.from, length: this.mark.to - this.mark.from } : { offset: 0, length: s.length };
    const t = tools.timeline, name = this.source?.id === s.id ? this.nameOfStretch() : s.name;
    let moved = false;
    /** @type {{track: number, start: number} | null} */
    let to = null;
    const rehearsal = new Rehearsal(tools.doc, (r) => {
      if (!to) return;
      if (!(r instanceof Problem)) t.rehearse(r.change);
      const lines = r instanceof Problem ? [] : r.outcome.says ?? [], stops = r instanceof Problem ? r.message : r.stops ?? "";
      if (t.words) t.words = { ...t.words, lines, stops };
      this.hint = [stops, ...lines].filter(Boolean).join(" · ");
    }, true);
    const stop = new AbortController(), signal = stop.signal;
    addEventListener("pointermove", (m) => {
      if (!moved && Math.hypot(m.clientX - from.x, m.clientY - from.y) < 6) return;
      moved = true;
      const box = el("lanes").getBoundingClientRect(), row = t.rowAt(m.clientY - box.top);
      const inside = row && m.clientX >= box.left && m.clientY >= box.top;
      to = inside ? { track: row.track.id, start: Math.max(t.snapAt(t.sample(m.clientX - box.left), m), 0) } : null;
      t.words = to ? { x: m.clientX - box.left, y: m.clientY - box.top, lines: t.words?.lines ?? [], stops: t.words?.stops ?? "" } : null;
      if (to && s.picture) t.words = { x: m.clientX - box.left, y: m.clientY - box.top, lines: [`${name}, with its sound`], stops: tools.doc.tracks.get(to.track)?.role === "picture" ? "" : "Pictures go onto a track of pictures." };
      else if (to) rehearsal.try("place", { source: s.id, ...to, ...stretch, name, later: this.later });
      else {
        t.rehearse(null);
        this.hint = "Drag onto a track";
      }
    }, { signal });
    const end = (/** @type {boolean} */ kept) => {
      stop.abort();
      rehearsal.end();
      t.words = null;
      t.rehearse(null);
      if (!kept) return;
      if (!moved) this.showSource(s.id);
      else if (to && s.picture) {
        this.seek(to.start);
        this.mark = { ...this.mark, from: stretch.offset, to: stretch.offset + stretch.length };
        void this.layShot(s);
      } else if (to) void this.edit("place", { source: s.id, ...to, ...stretch, name, later: this.later }, undefined, true).then((/** @type {Changed | null} */ c) => c && this.laid(c));
    };
    addEventListener("pointerup", () => end(true), { signal });
    addEventListener("keydown", (k) => k.key === "Escape" && end(false), { signal });
  },
  listenSource() {
    const s = this.source;
    if (!s || s.picture || !s.recording) return;
    if (this.playing && tools.player.route?.name === "source") {
      tools.player.stop();
      return;
    }
    const from = tools.sourceView.playhead >= this.mark.from && tools.sourceView.playhead < this.mark.to - 100 ? tools.sourceView.playhead : this.mark.from;
    this.hearing = "source";
    void tools.player.play({
      name: "source", from, to: this.mark.to, ...(this.looping ? { loopFrom: this.mark.from } : {}),
      address: (a, b) => `/recordings/${s.recording}/${tools.doc.props.sampleRate}/pcm?left=${s.left}&right=${s.right}&from=${a}&to=${b}`,
    });
  },
  /** @param {Listed} s */
  async removeSource(s) {
    try {
      tools.doc.take(await send("DELETE", `/reels/${tools.doc.id}/sources/${s.id}`));
      this.closeSource();
      this.tell(`“${s.name}” was removed from the reel.`, "Undo", () => void send("POST", `/reels/${tools.doc.id}/sources/${s.id}/restore`).then((c) => tools.doc.take(c)));
    } catch (err) {
      this.tell(say(err));
    }
  },

  /** @param {File[] | FileList | null} files */
  bringIn(files) {
    if (!files?.length) return;
    const edits = [...files].filter(isList), media = [...files].filter((f) => !isList(f));
    if (edits.length) void this.openList(edits[0]);
    if (edits.length > 1) this.tell("Import edit lists one at a time.");
    this.showTab("sources");
    if (media.length) tools.uploads.add(media);
  },
  /** @param {Event} e */
  pickFiles(e) {
    const input = /** @type {HTMLInputElement} */ (e.target);
    this.bringIn(input.files);
    input.value = "";
  },
  /** @param {ImportJob} j */
  chooseChannels(j) {
    this.choosing = { id: j.id, name: j.name, channels: Array.from({ length: j.channels ?? 0 }, (_, i) => ({ n: i, take: false })), pair: false };
    el("channels").showModal();
  },
  get chosenChannels() {
    return (this.choosing?.channels ?? []).filter((/** @type {any} */ c) => c.take).map((/** @type {any} */ c) => c.n);
  },
  async takeChannels() {
    const j = this.choosing, picked = this.chosenChannels, stem = j.name.replace(/\.[^.]*$/, "");
    const picks = j.pair && picked.length === 2
      ? [{ left: picked[0], right: picked[1], name: stem }]
      : picked.map((/** @type {number} */ n) => ({ left: n, right: -1, name: `${stem} ch ${n + 1}` }));
    try {
      await send("POST", `/reels/${tools.doc.id}/imports/${j.id}/channels`, { picks });
      el("channels").close();
    } catch (err) {
      this.tell(say(err));
    }
  },
});
