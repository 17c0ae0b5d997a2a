// Room tone at the bench: the quiet stretches of the recordings, the swatches
// that are kept of them, and the rooms that are made up.

import { get, say } from "../app/api.js";
import { span } from "../lib/timecode.js";

/** @param {number} v */
const num = (v, digits = 1) => v.toFixed(digits).replace("-", "−");
/** How a room's colour falls over the octaves, in words. @param {number} slope */
const colourWord = (slope) => (slope > 1 ? "bright" : slope > -1.5 ? "even" : slope > -4 ? "dark" : "very dark");

/**
 * @param {import("../app/bench.js").Tools} tools
 * @returns {object & ThisType<any>}
 */
export const rooms = (tools) => ({
  /** @type {any[]} */ swatches: [],
  /** @type {any[]} */ madeUp: [],
  /** @type {{source: number, busy: boolean, progress: number, name: string, rows: any[], says: string, done: boolean}} */
  finding: { source: 0, busy: false, progress: 0, name: "", rows: [], says: "", done: false },

  async readRooms() {
    try {
      const { swatches, rooms } = await get(`/reels/${tools.doc.id}/rooms`);
      const text = (/** @type {any} */ r) => ({ ...r, text: r.problem || `${num(r.level, 0)} dBFS · ${colourWord(r.slope)}${r.source && r.to - r.from < tools.doc.props.sampleRate / 2 ? " · short: its tone is synthesised" : ""}`, long: r.to > r.from ? span(r.to - r.from, tools.doc.props) : "" });
      this.swatches = swatches.map(text);
      this.madeUp = rooms.map(text);
    } catch (err) {
      this.tell(say(err));
    }
  },
  /** @param {string} v */
  setFinding(v) {
    this.finding.source = Number(v);
  },
  /** Looks through a source, or all of them, for stretches where the room alone is heard. */
  async findQuiet() {
    const f = this.finding, p = tools.doc.props;
    if (f.busy) return;
    f.busy = true;
    f.progress = 0;
    f.rows = [];
    f.says = "";
    f.name = `${Date.now()}`;
    try {
      const { sources } = await get(`/reels/${tools.doc.id}/quiet?name=${f.name}${f.source ? `&source=${f.source}` : ""}`);
      /** @type {any[]} */
      const rows = [];
      for (const s of sources) for (const q of s.quiet.length ? s.quiet : s.quietest ? [{ ...s.quietest, only: true }] : [])
        rows.push({ ...q, source: s.source, name: tools.doc.sources.get(s.source)?.name ?? "", key: `${s.source}-${q.from}`, long: span(q.to - q.from, p), at: span(q.from, p), text: `${num(q.level, 0)} dBFS ±${num(q.even)} · ${colourWord(q.slope)}` });
      f.rows = rows.sort((a, b) => b.score - a.score).slice(0, 60);
      const none = sources.filter((/** @type {any} */ s) => !s.quiet.length).map((/** @type {any} */ s) => tools.doc.sources.get(s.source)?.name);
      f.says = none.length ? `No quiet stretch in ${none.join(", ")}${rows.some((r) => r.only) ? ": the quietest half second is listed" : ""}. Use a synthetic room instead.` : "";
      this.showQuiet();
    } catch (err) {
      f.says = say(err);
    }
    f.busy = false;
    f.done = true;
  },
  /** Shows the stretches that were found on the waveform of the source that is open. */
  showQuiet() {
    tools.sourceView.quiet = this.finding.rows;
    tools.sourceView.redraw();
  },
  /** Opens a stretch on the waveform of its source. @param {any} r */
  lookAt(r) {
    this.showSource(r.source, { from: r.from, to: r.to });
    this.tab = "room";
    this.showQuiet();
  },
  /** Hears a stretch in a loop, as recorded. @param {any} r */
  hearQuiet(r) {
    const s = tools.doc.sources.get(r.source);
    if (!s) return;
    if (this.playing && this.hearing === `quiet-${r.source}-${r.from}`) {
      tools.player.stop();
      return;
    }
    this.hearing = `quiet-${r.source}-${r.from}`;
    void tools.player.play({ name: "source", from: r.from, to: r.to, loopFrom: r.from, address: (a, b) => `/recordings/${s.recording}/${tools.doc.props.sampleRate}/pcm?left=${s.left}&right=${s.right}&from=${a}&to=${b}` });
  },
  /** Hears a bed of a swatch or a made-up room. @param {Tone} tone @param {number} [gain] */
  hearTone(tone, gain = 0) {
    const name = `tone-${tone.room ?? ""}-${tone.source ?? ""}-${tone.from ?? ""}`;
    if (this.playing && this.hearing === name) {
      tools.player.stop();
      return;
    }
    const q = tone.room ? `room=${encodeURIComponent(tone.room)}` : `source=${tone.source}&start=${tone.from}&end=${tone.to}`;
    this.hearing = name;
    void tools.player.play({ name: "tone", from: 0, to: 20 * tools.doc.props.sampleRate, address: (a, b) => `/reels/${tools.doc.id}/tone?${q}&seed=${tone.seed}&gain=${gain}&from=${a}&to=${b}` });
  },
  /** @param {any} s */
  hearSwatch(s) {
    this.hearTone(s.source ? { source: s.source, from: s.from, to: s.to, seed: 1 } : { room: s.name, seed: 1 });
  },
  /** Keeps a stretch as a swatch. @param {any} r */
  async keepQuiet(r) {
    const n = this.swatches.filter((/** @type {any} */ s) => s.source === r.source).length + 1;
    await this.edit("addSwatch", { name: `${r.name}, room ${n}`, source: r.source, from: r.from, to: r.to });
    await this.readRooms();
  },
  /** Keeps what is marked of the open source, or the span of the clip under it. */
  async keepMarked() {
    if (this.stage === "source" && this.source) {
      await this.keepQuiet({ source: this.source.id, name: this.source.name, from: this.mark.from, to: this.mark.to });
      return;
    }
    const s = tools.timeline.span, c = s && this.workingClips().find((/** @type {Clip} */ o) => o.start <= s.from && o.start + o.length >= s.to && !tools.doc.sources.get(o.source)?.bed);
    if (!s || !c) {
      this.tell("Mark a stretch of a source, or a span in one clip, with room tone alone.");
      return;
    }
    await this.keepQuiet({ source: c.source, name: tools.doc.sources.get(c.source)?.name, from: s.from - c.start + c.offset, to: s.to - c.start + c.offset });
    this.clearSpan();
    this.hint = "Saved as a swatch, under Room";
  },
  /** @param {any} s @param {string} v */
  nameSwatch(s, v) {
    if (v.trim() && v !== s.name) void this.edit("setSwatch", { swatch: s.id, name: v });
  },
  /** @param {any} s */
  async dropSwatch(s) {
    await this.edit("removeSwatch", { swatch: s.id });
  },
  /** Lays tone of a swatch or a made-up room in the span, or in the gap at the playhead. @param {any} s */
  async laySwatch(s) {
    const sp = tools.timeline.span, track = [...tools.timeline.working][0] ?? this.target, rate = tools.doc.props.sampleRate;
    const tone = s.source ? { source: s.source, from: s.from, to: s.to, seed: 1 } : { room: s.name, seed: 1 };
    const c = await this.edit("layTone", { track, from: sp?.from ?? Math.round(tools.timeline.playhead), to: sp?.to ?? 0, tone, blend: Math.round(0.08 * rate), fade: Math.round(0.5 * rate), name: s.name });
    if (c) this.clearSpan();
  },
  /** Covers what is struck with a swatch or a made-up room. @param {any} s */
  async coverWith(s) {
    const k = this.strikeMeant();
    if (k) await this.edit("cover", { strike: k.id, tone: s.source ? { source: s.source, from: s.from, to: s.to, seed: 1 } : { room: s.name, seed: 1 }, gainDB: k.cover?.gainDB ?? 0 });
    else this.tell("Select a strike first.");
  },
});
