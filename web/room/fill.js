// Filling at the bench: tone in gaps, one or many at once, and a bed under a
// whole scene; each shown before it is done, and done as one step.

import { el, panel } from "../lib/panel.js";
import { get, say, send } from "../app/api.js";
import { shortAt, span, typed } from "../lib/timecode.js";
import { count } from "../lib/words.js";

/** Gaps that are proposed for at a time. */
const together = 24;
/** A level with a true minus. @param {number} v */
const level = (v) => (v <= -143 ? "–" : `${v.toFixed(1).replace("-", "−")} dBFS`);

/** @param {import("../app/app.js").App} app */
export const filling = (app) =>
  panel({
    /** @type {any} */ fills: null,
    /** @type {any} */ bed: null,

    /** Whether the playhead stands between clips of the active tracks. */
    inGap() {
      const at = Math.round(app.timeline.playhead),
        clips = app.act.workingClips();
      return !app.act.clipsHere().length && clips.some((c) => c.start > at) && clips.some((c) => c.start + c.length <= at);
    },
    /** Fills the gap at the playhead, or the one that the chosen seam opens. */
    async fillHere() {
      const s = app.session.seam,
        here = { at: Math.round(app.timeline.playhead), tracks: [...app.session.working], left: s?.left ?? 0, right: s?.right ?? 0 };
      try {
        const { fills } = await send("POST", `/reels/${app.doc.id}/fills`, { here, tint: app.strike.tinting }),
          one = /** @type {Filled | undefined} */ (fills[0]);
        if (!one) {
          const key = app.keys.keyOf("cover");
          app.page.tell(`Nothing to cover here. ${key} covers a strike, or fills the gap at the playhead on the active track.`);
          return;
        }
        if (!one.edit) {
          app.page.tell(one.why ?? "No room tone found.");
          return;
        }
        const c = await app.mend.edit(one.edit.do, /** @type {any} */ (one.edit.with));
        if (!c) return;
        app.page.hint = `Filled ${span(one.to - one.from, app.doc.props)}: ${one.says}${one.glides ? ", gliding into the next room" : ""}`;
        if (c.outcome.made?.length) app.clips.chooseClips(c.outcome.made.filter((/** @type {number} */ id) => app.doc.clips.has(id)));
      } catch (err) {
        app.page.tell(say(err));
      }
    },
    /** Tone that lies at the playhead, or is chosen, is grown from the next candidate. */
    async nextLaid() {
      const grown = (/** @type {Clip | undefined} */ c) => Boolean(c && app.doc.sources.get(c.source)?.bed);
      const c = [...app.session.chosen].map((id) => app.doc.clips.get(id)).find(grown) ?? app.act.clipsHere().find(grown);
      if (!c) {
        app.page.tell("No room tone selected or at the playhead.");
        return;
      }
      try {
        const { tones, now } = await get(`/reels/${app.doc.id}/clips/${c.id}/tones${app.strike.tinting ? "?tint=1" : ""}`),
          at = (now + 1) % Math.max(tones.length, 1),
          one = /** @type {Offered} */ (tones[at]);
        if (!one) {
          app.page.tell("No other room tone found.");
          return;
        }
        if (await app.mend.edit(one.edit.do, one.edit.with)) app.page.hint = `${at + 1} of ${tones.length}: ${one.name}, ${one.says}`;
      } catch (err) {
        app.page.tell(say(err));
      }
    },
    /** The chosen tone, grown anew from another seed. */
    async anotherLaid() {
      const c = app.clips.clip,
        src = c && app.doc.sources.get(c.source);
      if (!c || !src?.bed) return;
      const tone = app.strike.toneOf(src);
      await app.mend.edit("setTone", { clip: c.id, tone: { ...tone, seed: tone.seed + 1 }, gainDB: c.gainDB });
    },
    /** Whether the chosen clip is tone that was grown. */
    clipGrown() {
      return Boolean(app.clips.clip && app.doc.sources.get(app.clips.clip.source)?.bed);
    },

    // ——— Many gaps ———

    async openFills() {
      const s = app.session.span,
        span = s ? `&from=${s.from}&to=${s.to}` : "";
      /** @type {GapScopes} */
      let found;
      try {
        await app.doc.settled();
        found = await get(`/reels/${app.doc.id}/gaps?tracks=${[...app.session.working].join(",")}${span}`);
      } catch (err) {
        app.page.tell(say(err));
        return;
      }
      const names = found.named.tracks.map((/** @type {number} */ id) => app.doc.tracks.get(id)?.name).join(", ");
      const scopes = [
        ...(found.span ? [{ id: "span", name: "in the span", gaps: found.span.gaps }] : []),
        { id: "track", name: `on ${names || "the track"}`, gaps: found.named.gaps },
        { id: "all", name: "on dialogue and room tone", gaps: found.all.gaps },
      ].map((o) => ({ ...o, name: `${o.name} (${o.gaps.length})` }));
      this.fills = {
        scopes,
        scope: (scopes.find((o) => o.gaps.length) ?? scopes[0]).id,
        rows: [],
        busy: false,
        progress: 0,
        problem: "",
        turn: 0,
      };
      el("fills").showModal();
      void this.proposeFills();
    },
    /** @param {string} id */
    setFillScope(id) {
      this.fills.scope = id;
      void this.proposeFills();
    },
    async proposeFills() {
      const w = this.fills,
        scope = w.scopes.find((/** @type {any} */ o) => o.id === w.scope),
        turn = ++w.turn,
        p = app.doc.props;
      w.rows = [];
      w.problem = scope.gaps.length ? "" : "There is no gap between clips there.";
      if (w.problem) return;
      w.busy = true;
      w.progress = 0;
      try {
        await app.doc.settled();
        /** @type {Filled[]} */
        const fills = [];
        // A few at a time, so that it is seen how far it is, and closing the list stops it.
        while (fills.length < scope.gaps.length) {
          const got = await send("POST", `/reels/${app.doc.id}/fills`, {
            gaps: scope.gaps.slice(fills.length, fills.length + together),
            tint: app.strike.tinting,
          });
          if (this.fills !== w || turn !== w.turn) return;
          fills.push(...got.fills);
          w.progress = fills.length / scope.gaps.length;
        }
        w.rows = fills.map((/** @type {Filled} */ f) => ({
          ...f,
          key: `${f.track}-${f.from}`,
          take: Boolean(f.edit),
          can: Boolean(f.edit),
          where: `${app.doc.tracks.get(f.track)?.name}, ${shortAt(f.from, p)}`,
          long: span(f.to - f.from, p),
          rooms: `${level(f.before)} → ${level(f.after)}`,
          text: f.edit ? `${f.says}${f.glides ? ", gliding into the next room" : ""}` : f.why,
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
        const r = await app.doc.dryRun(row.edit.do, row.edit.with, undefined, false, true),
          rate = app.doc.props.sampleRate;
        const from = Math.max(row.from - rate, 0),
          to = Math.min(row.to + rate, row.from + 30 * rate);
        app.session.hearing = "fill";
        app.player.play({ name: "fill", from, to, address: app.listen.address(`&trial=${r.trial}`) });
      } catch (err) {
        this.fills.problem = say(err);
      }
    },
    async doFills() {
      const w = this.fills,
        taken = w.rows.filter((/** @type {any} */ r) => r.take);
      if (!taken.length) return;
      try {
        await app.doc.edit("together", {
          label: `fill ${taken.length} ${taken.length === 1 ? "gap" : "gaps"} with room tone`,
          edits: taken.map((/** @type {any} */ r) => r.edit),
        });
        el("fills").close();
        app.page.hint = `Filled ${count(taken.length, "gap")} as one step`;
      } catch (err) {
        w.problem = say(err);
      }
    },
    closeFills() {
      if (app.session.playing) app.player.stop();
      this.fills = null;
    },

    // ——— A bed under a scene ———

    openBed() {
      const s = app.session.span,
        p = app.doc.props;
      const order = app.doc.order(),
        speech = order.filter((t) => t.role === "dialogue");
      const clips = speech.flatMap((t) => app.doc.lanes.get(t.id) ?? []);
      if (!clips.length) {
        app.page.tell("No dialogue in this reel yet, so nothing to put a bed under.");
        return;
      }
      const from = s?.from ?? Math.min(...clips.map((c) => c.start)),
        to = s?.to ?? Math.max(...clips.map((c) => c.start + c.length));
      const tones = order.filter((t) => t.role === "roomTone" && !t.locked);
      const free = (/** @type {number} */ id) => !(app.doc.lanes.get(id) ?? []).some((c) => c.start < to && c.start + c.length > from);
      const track = tones.find((t) => free(t.id)) ?? null;
      this.bed = {
        from,
        to,
        where: `${shortAt(from, p)} to ${shortAt(to, p)}, ${span(to - from, p)}`,
        track: track?.id ?? 0,
        tracks: [...tones.filter((t) => free(t.id)).map((t) => ({ id: t.id, name: t.name })), { id: 0, name: "a new track" }],
        list: [],
        at: 0,
        busy: false,
        problem: "",
        gain: 0,
        fade: 0.5,
        level: "",
        strike: false,
        breaths: true,
        speech: speech.map((t) => ({ id: t.id, name: t.name, take: true })),
        pauses: [],
        looking: false,
        turn: 0,
        look: 0,
      };
      el("bed").showModal();
      void this.proposeBed();
    },
    async proposeBed() {
      const w = this.bed,
        turn = ++w.turn;
      w.busy = true;
      w.problem = "";
      try {
        const got = await get(`/reels/${app.doc.id}/bed?track=${w.track}&from=${w.from}&to=${w.to}${app.strike.tinting ? "&tint=1" : ""}`);
        if (this.bed !== w || turn !== w.turn) return;
        w.list = got.beds.map((/** @type {Offered} */ b, /** @type {number} */ i) => ({
          ...b,
          i,
          text: b.says.includes(b.name) ? b.says : `${b.name}: ${b.says}`,
        }));
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
      const w = this.bed,
        one = w.list[Number(i)];
      w.at = Number(i);
      if (one) w.gain = one.gainDB;
    },
    async findPauses() {
      const w = this.bed,
        tracks = w.speech.filter((/** @type {any} */ t) => t.take).map((/** @type {any} */ t) => t.id),
        look = ++w.look;
      w.pauses = [];
      w.looking = Boolean(w.strike && tracks.length);
      if (!w.looking) return;
      try {
        const { pauses } = await get(
          `/reels/${app.doc.id}/pauses?tracks=${tracks.join(",")}&from=${w.from}&to=${w.to}${w.breaths ? "&breaths=1" : ""}`,
        );
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
      return w.pauses.length
        ? `${count(w.pauses.length, "pause is", "pauses are")} struck, ${span(total, app.doc.props)} in all; the longest ${span(Math.max(...w.pauses.map((/** @type {Pause} */ p) => p.to - p.from)), app.doc.props)}.`
        : "No pause long enough there.";
    },
    /** The edits of the bed as it is set. @returns {Edit[]} */
    bedEdits() {
      const w = this.bed,
        one = w.list[w.at];
      return [
        {
          do: one.edit.do,
          with: { ...one.edit.with, track: w.track, gainDB: w.gain, fade: Math.round(w.fade * app.doc.props.sampleRate) },
        },
        ...(w.strike ? w.pauses.map((/** @type {Pause} */ p) => p.edit) : []),
      ];
    },
    async hearBed() {
      const w = this.bed;
      try {
        const r = await app.doc.dryRun("together", { label: "bed", edits: this.bedEdits() }, undefined, false, true);
        app.session.hearing = "bed";
        app.player.play({ name: "bed", from: w.from, to: w.to, address: app.listen.address(`&trial=${r.trial}`) });
      } catch (err) {
        w.problem = say(err);
      }
    },
    async doBed() {
      const w = this.bed;
      if (!w.list[w.at]) return;
      try {
        const edits = this.bedEdits();
        await app.doc.edit("together", {
          label: `add a bed under ${span(w.to - w.from, app.doc.props)}${edits.length > 1 ? ` and strike ${edits.length - 1} pauses` : ""}`,
          edits,
        });
        el("bed").close();
        app.page.hint = "Bed added under the scene";
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
      app.strike.tinting = on;
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
      if (app.session.playing) app.player.stop();
      this.bed = null;
    },
  });
