// Filling at the bench: tone in gaps, one or many at once, and a bed under a
// whole scene; each shown before it is done, and done as one step.

import { get, say, send } from "../app/api.js";
import { shortAt, span, typed } from "../lib/timecode.js";
import { count } from "../lib/words.js";

/** @param {string} id @returns {any} */
const el = (id) => document.getElementById(id);
/** Gaps that are proposed for at a time. */
const together = 24;
/** A level with a true minus. @param {number} v */
const level = (v) => (v <= -143 ? "–" : `${v.toFixed(1).replace("-", "−")} dBFS`);

/**
 * @param {import("../app/bench.js").Tools} tools
 * @returns {object & ThisType<any>}
 */
export const filling = (tools) => ({
  /** @type {any} */ fills: null,
  /** @type {any} */ bed: null,

  /** Gaps between clips of a track, or of those worked on, in a span or all through. @param {number[]} tracks @param {{from: number, to: number} | null} s @returns {Gap[]} */
  gapsOf(tracks, s) {
    /** @type {Gap[]} */
    const out = [];
    for (const t of tracks) {
      const lane = tools.doc.lanes.get(t) ?? [];
      for (let i = 1; i < lane.length; i++) {
        const from = lane[i - 1].start + lane[i - 1].length, to = lane[i].start;
        if (to > from && (!s || (from < s.to && to > s.from))) out.push({ track: t, from, to });
      }
    }
    return out.sort((a, b) => a.from - b.from);
  },
  /** The gap at the playhead, on the tracks that are worked on. @returns {Gap | undefined} */
  gapHere() {
    const at = Math.round(tools.timeline.playhead);
    return this.gapsOf([...tools.timeline.working], null).find((/** @type {Gap} */ o) => at >= o.from && at < o.to);
  },
  /** Fills the gap at the playhead, or the one that the chosen seam opens. */
  async fillHere() {
    const at = Math.round(tools.timeline.playhead), s = this.seam;
    const gaps = this.gapsOf([...tools.timeline.working], null);
    const g = gaps.find((/** @type {Gap} */ o) => at >= o.from && at < o.to) ?? (s?.kind === "tail" ? gaps.find((/** @type {Gap} */ o) => o.from === s.at) : s?.kind === "head" ? gaps.find((/** @type {Gap} */ o) => o.to === s.at) : undefined);
    if (!g) {
      this.tell(`Nothing to cover here. ${this.keyOf("cover")} covers a strike, or fills the gap at the playhead on the active track.`);
      return;
    }
    try {
      const { fills } = await send("POST", `/reels/${tools.doc.id}/fills`, { gaps: [g], tint: this.tinting }), one = /** @type {Filled} */ (fills[0]);
      if (!one.edit) {
        this.tell(one.why ?? "No room tone found.");
        return;
      }
      const c = await this.edit(one.edit.do, /** @type {any} */ (one.edit.with));
      if (!c) return;
      this.hint = `Filled ${span(g.to - g.from, tools.doc.props)}: ${one.says}${one.glides ? ", gliding into the next room" : ""}`;
      if (c.outcome.made?.length) this.chooseClips(c.outcome.made.filter((/** @type {number} */ id) => tools.doc.clips.has(id)));
    } catch (err) {
      this.tell(say(err));
    }
  },
  /** Tone that lies at the playhead, or is chosen, is grown from the next candidate. */
  async nextLaid() {
    const grown = (/** @type {Clip | undefined} */ c) => Boolean(c && tools.doc.sources.get(c.source)?.bed);
    const c = [...tools.timeline.chosen].map((id) => tools.doc.clips.get(id)).find(grown) ?? this.clipsHere().find(grown);
    if (!c) {
      this.tell("No room tone selected or at the playhead.");
      return;
    }
    try {
      const { tones, now } = await get(`/reels/${tools.doc.id}/clips/${c.id}/tones${this.tinting ? "?tint=1" : ""}`), at = (now + 1) % Math.max(tones.length, 1), one = /** @type {Offered} */ (tones[at]);
      if (!one) {
        this.tell("No other room tone found.");
        return;
      }
      if (await this.edit(one.edit.do, one.edit.with)) this.hint = `${at + 1} of ${tones.length}: ${one.name}, ${one.says}`;
    } catch (err) {
      this.tell(say(err));
    }
  },
  /** The chosen tone, grown anew from another seed. */
  async anotherLaid() {
    const c = this.clip, src = c && tools.doc.sources.get(c.source);
    if (!src?.bed) return;
    const tone = this.toneOf(src);
    await this.edit("setTone", { clip: c.id, tone: { ...tone, seed: tone.seed + 1 }, gainDB: c.gainDB });
  },
  /** Whether the chosen clip is tone that was grown. */
  clipGrown() {
    return Boolean(this.clip && tools.doc.sources.get(this.clip.source)?.bed);
  },

  // ——— Many gaps ———

  openFills() {
    const speech = tools.doc.order().filter((t) => t.role === "dialogue" || t.role === "roomTone").map((t) => t.id);
    // Music and spots have no room to fill, unless they alone are worked on.
    const all = [...tools.timeline.working], rooms = all.filter((id) => speech.includes(id)), working = rooms.length ? rooms : all;
    const s = tools.timeline.span, names = working.map((id) => tools.doc.tracks.get(id)?.name).join(", ");
    const scopes = [
      ...(s ? [{ id: "span", name: "in the span", gaps: this.gapsOf(working, s) }] : []),
      { id: "track", name: `on ${names || "the track"}`, gaps: this.gapsOf(working, null) },
      { id: "all", name: "on dialogue and room tone", gaps: this.gapsOf(speech, null) },
    ].map((o) => ({ ...o, name: `${o.name} (${o.gaps.length})` }));
    this.fills = { scopes, scope: (scopes.find((o) => o.gaps.length) ?? scopes[0]).id, rows: [], busy: false, progress: 0, problem: "", turn: 0 };
    el("fills").showModal();
    void this.proposeFills();
  },
  /** @param {string} id */
  setFillScope(id) {
    this.fills.scope = id;
    void this.proposeFills();
  },
  async proposeFills() {
    const w = this.fills, scope = w.scopes.find((/** @type {any} */ o) => o.id === w.scope), turn = ++w.turn, p = tools.doc.props;
    w.rows = [];
    w.problem = scope.gaps.length ? "" : "There is no gap between clips there.";
    if (w.problem) return;
    w.busy = true;
    w.progress = 0;
    try {
      await tools.doc.settled();
      /** @type {Filled[]} */
      const fills = [];
      // A few at a time, so that it is seen how far it is, and closing the list stops it.
      while (fills.length < scope.gaps.length) {
        const got = await send("POST", `/reels/${tools.doc.id}/fills`, { gaps: scope.gaps.slice(fills.length, fills.length + together), tint: this.tinting });
        if (this.fills !== w || turn !== w.turn) return;
        fills.push(...got.fills);
        w.progress = fills.length / scope.gaps.length;
      }
      w.rows = fills.map((/** @type {Filled} */ f) => ({
        ...f, key: `${f.track}-${f.from}`, take: Boolean(f.edit), can: Boolean(f.edit), where: `${tools.doc.tracks.get(f.track)?.name}, ${shortAt(f.from, p)}`, long: span(f.to - f.from, p),
        rooms: `${level(f.before)} → ${level(f.after)}`, text: f.edit ? `${f.says}${f.glides ? ", gliding into the next room" : ""}` : f.why,
      }));
    } catch (err) {
      if (this.fills === w && turn === w.turn) w.problem = say(err);
    } finally {
      if (this.fills === w && turn === w.turn) w.busy = false;
    }
  },
  fillsTaken() {
    return this.fills?.rows.filter((/** @type {any} */ r) => r.take).length ?? 0;
  },
  /** @param {any} row */
  toggleFill(row) {
    if (row.can) row.take = !row.take;
  },
  /** Hears a gap as it would be filled, with a second around it. @param {any} row */
  async hearFill(row) {
    try {
      const r = await tools.doc.dryRun(row.edit.do, row.edit.with, undefined, false, true), rate = tools.doc.props.sampleRate;
      const from = Math.max(row.from - rate, 0), to = Math.min(row.to + rate, row.from + 30 * rate);
      this.hearing = "fill";
      tools.player.play({ name: "fill", from, to, address: this.address(`&trial=${r.trial}`) });
    } catch (err) {
      this.fills.problem = say(err);
    }
  },
  async doFills() {
    const w = this.fills, taken = w.rows.filter((/** @type {any} */ r) => r.take);
    if (!taken.length) return;
    try {
      await tools.doc.edit("together", { label: `fill ${taken.length} ${taken.length === 1 ? "gap" : "gaps"} with room tone`, edits: taken.map((/** @type {any} */ r) => r.edit) });
      el("fills").close();
      this.hint = `Filled ${count(taken.length, "gap")} as one step`;
    } catch (err) {
      w.problem = say(err);
    }
  },
  closeFills() {
    if (this.playing) tools.player.stop();
    this.fills = null;
  },

  // ——— A bed under a scene ———

  openBed() {
    const s = tools.timeline.span, p = tools.doc.props;
    const order = tools.doc.order(), speech = order.filter((t) => t.role === "dialogue");
    const clips = speech.flatMap((t) => tools.doc.lanes.get(t.id) ?? []);
    if (!clips.length) {
      this.tell("No dialogue in this reel yet, so nothing to put a bed under.");
      return;
    }
    const from = s?.from ?? Math.min(...clips.map((c) => c.start)), to = s?.to ?? Math.max(...clips.map((c) => c.start + c.length));
    const tones = order.filter((t) => t.role === "roomTone" && !t.locked);
    const free = (/** @type {number} */ id) => !(tools.doc.lanes.get(id) ?? []).some((c) => c.start < to && c.start + c.length > from);
    const track = tones.find((t) => free(t.id)) ?? null;
    this.bed = {
      from, to, where: `${shortAt(from, p)} to ${shortAt(to, p)}, ${span(to - from, p)}`, track: track?.id ?? 0, tracks: [...tones.filter((t) => free(t.id)).map((t) => ({ id: t.id, name: t.name })), { id: 0, name: "a new track" }],
      list: [], at: 0, busy: false, problem: "", gain: 0, fade: 0.5, level: "", strike: false, breaths: true, speech: speech.map((t) => ({ id: t.id, name: t.name, take: true })), pauses: [], looking: false, turn: 0, look: 0,
    };
    el("bed").showModal();
    void this.proposeBed();
  },
  async proposeBed() {
    const w = this.bed, turn = ++w.turn;
    w.busy = true;
    w.problem = "";
    try {
      const got = await get(`/reels/${tools.doc.id}/bed?track=${w.track}&from=${w.from}&to=${w.to}${this.tinting ? "&tint=1" : ""}`);
      if (this.bed !== w || turn !== w.turn) return;
      w.list = got.beds.map((/** @type {Offered} */ b, /** @type {number} */ i) => ({ ...b, i, text: b.says.includes(b.name) ? b.says : `${b.name}: ${b.says}` }));
      w.level = level(got.level);
      this.chooseBed(0);
    } catch (err) {
      if (this.bed === w && turn === w.turn) w.problem = say(err);
    } finally {
      if (this.bed === w && turn === w.turn) w.busy = false;
    }
  },
  /** @param {string | number} i */
  chooseBed(i) {
    const w = this.bed, one = w.list[Number(i)];
    w.at = Number(i);
    if (one) w.gain = one.gainDB;
  },
  async findPauses() {
    const w = this.bed, tracks = w.speech.filter((/** @type {any} */ t) => t.take).map((/** @type {any} */ t) => t.id), look = ++w.look;
    w.pauses = [];
    w.looking = Boolean(w.strike && tracks.length);
    if (!w.looking) return;
    try {
      const { pauses } = await get(`/reels/${tools.doc.id}/pauses?tracks=${tracks.join(",")}&from=${w.from}&to=${w.to}${w.breaths ? "&breaths=1" : ""}`);
      if (this.bed === w && look === w.look) w.pauses = pauses;
    } catch (err) {
      if (this.bed === w) w.problem = say(err);
    } finally {
      if (this.bed === w && look === w.look) w.looking = false;
    }
  },
  /** What of the dialogue would be struck. */
  pausesText() {
    const w = this.bed;
    if (!w?.strike) return "";
    if (w.looking) return "Looking for pauses…";
    const total = w.pauses.reduce((/** @type {number} */ n, /** @type {Pause} */ p) => n + p.to - p.from, 0);
    return w.pauses.length ? `${count(w.pauses.length, "pause is", "pauses are")} struck, ${span(total, tools.doc.props)} in all; the longest ${span(Math.max(...w.pauses.map((/** @type {Pause} */ p) => p.to - p.from)), tools.doc.props)}.` : "No pause long enough there.";
  },
  /** The edits of the bed as it is set. @returns {Edit[]} */
  bedEdits() {
    const w = this.bed, one = w.list[w.at];
    return [
      { do: one.edit.do, with: { ...one.edit.with, track: w.track, gainDB: w.gain, fade: Math.round(w.fade * tools.doc.props.sampleRate) } },
      ...(w.strike ? w.pauses.map((/** @type {Pause} */ p) => p.edit) : []),
    ];
  },
  async hearBed() {
    const w = this.bed;
    try {
      const r = await tools.doc.dryRun("together", { label: "bed", edits: this.bedEdits() }, undefined, false, true);
      this.hearing = "bed";
      tools.player.play({ name: "bed", from: w.from, to: w.to, address: this.address(`&trial=${r.trial}`) });
    } catch (err) {
      w.problem = say(err);
    }
  },
  async doBed() {
    const w = this.bed;
    if (!w.list[w.at]) return;
    try {
      const edits = this.bedEdits();
      await tools.doc.edit("together", { label: `add a bed under ${span(w.to - w.from, tools.doc.props)}${edits.length > 1 ? ` and strike ${edits.length - 1} pauses` : ""}`, edits });
      el("bed").close();
      this.hint = "Bed added under the scene";
    } catch (err) {
      w.problem = say(err);
    }
  },
  /** @param {string} v */
  bedGain(v) {
    if (Number.isFinite(typed(v))) this.bed.gain = Math.min(Math.max(typed(v), -96), 24);
  },
  /** @param {string} v */
  bedFade(v) {
    if (typed(v) >= 0) this.bed.fade = Math.min(typed(v), 30);
  },
  /** @param {boolean} on */
  fillTint(on) {
    this.tinting = on;
    if (this.fills) void this.proposeFills();
    if (this.bed) void this.proposeBed();
  },
  /** @param {string} v */
  bedTrack(v) {
    this.bed.track = Number(v);
  },
  /** @param {boolean} on */
  bedStrike(on) {
    this.bed.strike = on;
    void this.findPauses();
  },
  /** @param {boolean} on */
  bedBreaths(on) {
    this.bed.breaths = on;
    void this.findPauses();
  },
  /** @param {any} t */
  bedSpeech(t) {
    t.take = !t.take;
    void this.findPauses();
  },
  closeBed() {
    if (this.playing) tools.player.stop();
    this.bed = null;
  },
});
