// Striking at the bench: taking away what should not be heard, and covering it
// with room tone.

import { panel } from "../lib/panel.js";
import { get, say } from "../app/api.js";
import { frames, lengthOf, ms, noLength, span, typed } from "../lib/timecode.js";

/** Fade at each end of a new strike, in seconds: a frame or two. */
const usualFade = 0.04;

/** @param {import("../app/app.js").App} app */
export const striking = (app) =>
  panel({
    /** @type {any} the struck span that is chosen, as the card shows it */ struck: null,
    /** Whether the colour of tone is brought to the room's, too. */
    tinting: false,
    /** By how many dB a strike lowers when it does not silence. */
    lowerBy: 12,
    /** @type {number[]} what one strike over several clips made: it is covered together too */ justStruck: [],

    /** Takes what is known of the chosen struck span into its card. */
    takeStruck() {
      const s = app.session.seam,
        p = app.doc.props;
      const k = s?.kind === "struck" ? (app.close.info?.strike ?? app.doc.strikes.get(s.right)) : undefined;
      if (!k) {
        this.struck = null;
        return;
      }
      const n = k.to - k.from,
        tone = k.cover ? app.doc.sources.get(k.cover.source) : undefined;
      const fade = (/** @type {Fade} */ f) => ({ ...f, ms: Number(ms(f.length, p).toFixed(1)) });
      this.struck = {
        ...k,
        ms: Number(ms(n, p).toFixed(1)),
        fr: Number(frames(n, p).toFixed(2)),
        fallMs: fade(k.fall).ms,
        riseMs: fade(k.rise).ms,
        covered: Boolean(tone),
        tone: tone?.name ?? "",
        from_: tone ? this.toneText(tone) : "",
        gain: k.cover?.gainDB ?? 0,
        lowers: k.lowerDB > 0,
      };
    },
    /** Where tone is grown from, in words. @param {Source} src */
    toneText(src) {
      const b = src.bed,
        p = app.doc.props;
      if (!b) return "";
      const another = b.seed > 1 ? `, regenerated (${b.seed})` : "";
      if (b.room) return `a synthetic room${another}`;
      const short = b.to - b.from < p.sampleRate / 2 ? ", synthesised to its spectrum as it is so short" : "";
      return `${span(b.to - b.from, p)} of it, from ${span(b.from, p)} on${short}${b.tint ? ", its colour corrected" : ""}${another}`;
    },

    /** Strikes the span, or the span's part of the chosen clips. @param {boolean} [lower] it is lowered, not silenced */
    async strikeSpan(lower = false) {
      const s = app.session.span;
      if (!s) {
        const here = this.strikeHere();
        if (here) this.chooseStrike(here.id);
        else
          app.page.tell(
            `Mark a span first: drag along a wave, or press ${app.keys.keyOf("spanIn")} and ${app.keys.keyOf("spanOut")}. ${app.keys.keyOf("strike")} then silences it.`,
          );
        return;
      }
      const clips = [...app.session.chosen].filter((id) => {
        const c = app.doc.clips.get(id);
        return c && c.start < s.to && c.start + c.length > s.from && app.session.working.has(c.track);
      });
      const c = await app.mend.edit("strike", {
        from: s.from,
        to: s.to,
        tracks: [...app.session.working],
        clips,
        fade: Math.round(usualFade * app.doc.props.sampleRate),
        shape: "constantPower",
        lowerDB: lower ? this.lowerBy : 0,
      });
      if (!c) return;
      app.listen.clearSpan();
      this.justStruck = c.outcome.made ?? [];
      await this.chooseStrike(this.justStruck[0]);
    },
    /** Chooses a struck span. @param {number} id */
    async chooseStrike(id) {
      await app.doc.settled();
      const s = app.doc.seams.find((o) => o.kind === "struck" && o.right === id);
      if (s) app.ledger.chooseSeam(s, "from", true);
    },
    /** The struck span at the playhead, on the tracks worked on. @returns {Strike | undefined} */
    strikeHere() {
      const at = Math.round(app.timeline.playhead);
      for (const c of app.act.workingClips()) {
        if (at < c.start || at >= c.start + c.length) continue;
        const k = (app.doc.struck.get(c.id) ?? []).find(
          (/** @type {Strike} */ o) => at >= o.from - o.fall.length + c.start - c.offset && at <= o.to + o.rise.length + c.start - c.offset,
        );
        if (k) return k;
      }
      return undefined;
    },
    /** The struck span that is meant: that at the playhead, or the chosen one, unless the playhead points at another thing. @returns {Strike | undefined} */
    strikeMeant() {
      return (
        this.strikeHere() ??
        (app.session.seam?.kind === "struck" && !app.fill.inGap() ? app.doc.strikes.get(app.session.seam.right) : undefined)
      );
    },

    /** @param {Record<string, any>} alter @param {boolean} [trial] */
    setStrike(alter, trial = false) {
      const k = this.strikeMeant();
      if (!k) return undefined;
      if (!trial) return app.mend.edit("setStrike", { strike: k.id, ...alter });
      app.mend.rehearse("setStrike", { strike: k.id, ...alter });
      return undefined;
    },
    /** @param {string} v */
    struckMs(v) {
      this.typedStruck(v, "ms");
    },
    /** @param {string} v */
    struckFrames(v) {
      this.typedStruck(v, "f");
    },
    /** @param {string} v @param {"ms" | "f"} unit */
    typedStruck(v, unit) {
      const n = lengthOf(v, app.doc.props, unit),
        k = this.strikeMeant(); // as it is now: what is shown may be a step behind
      if (n > 0 && k) this.setStrike({ to: k.from + n });
      else {
        app.page.tell(noLength(v));
        this.takeStruck();
      }
    },
    /** @param {"fall" | "rise"} end @param {Record<string, any>} alter */
    setStruckFade(end, alter) {
      const k = this.strikeMeant();
      if (k) this.setStrike({ [end]: { ...k[end], ...alter } });
    },
    /** @param {"fall" | "rise"} end @param {string} v */
    struckFadeMs(end, v) {
      const n = lengthOf(v, app.doc.props, "ms");
      if (n >= 0) this.setStruckFade(end, { length: n });
      else {
        app.page.tell(noLength(v));
        this.takeStruck();
      }
    },
    /** @param {string} v dB, or nothing to silence */
    struckDepth(v) {
      const n = Math.abs(typed(v));
      if (Number.isFinite(n) && n > 0) this.lowerBy = n;
      this.setStrike({ lowerDB: Number.isFinite(n) ? n : 0 });
    },
    /** @param {string} v */
    coverGain(v) {
      if (Number.isFinite(typed(v))) this.setStrike({ gainDB: typed(v) });
    },
    liftStrike() {
      const k = this.strikeMeant();
      if (k) void app.mend.edit("lift", { strikes: [k.id] });
      else app.page.tell("No strike selected or at the playhead.");
    },
    /** Moves an edge, the whole, or the fades of the chosen struck span. @param {number} by */
    nudgeStrike(by) {
      const k = this.strikeMeant();
      if (!k) return undefined;
      if (app.session.acting === "out" || app.session.acting === "from") return this.setStrike({ from: k.from + by });
      if (app.session.acting === "in" || app.session.acting === "to") return this.setStrike({ to: k.to + by });
      if (app.session.acting === "blend")
        return this.setStrike({
          fall: { ...k.fall, length: Math.max(k.fall.length + by, 0) },
          rise: { ...k.rise, length: Math.max(k.rise.length + by, 0) },
        });
      return this.setStrike({ from: k.from + by, to: k.to + by });
    },
    /** Snaps the edges to where the sound rises from the room and sinks to it. */
    async tighten() {
      const k = this.strikeMeant();
      if (!k) {
        app.page.tell("Select a strike first. Its edges then snap to where the sound starts and ends.");
        return;
      }
      try {
        const { edit } = await get(`/reels/${app.doc.id}/strikes/${k.id}/tighter`);
        void app.mend.edit(edit.do, edit.with, true);
      } catch (err) {
        app.page.tell(say(err));
      }
    },

    // ——— Cover ———

    /** Strikes the span and covers it at once. */
    async strikeCovered() {
      if (!app.session.span) {
        await this.strikeSpan(); // which says what is missing
        return;
      }
      await this.strikeSpan();
      await this.cover();
    },

    /** Covers what is struck, or fills the gap at the playhead, with the likest tone. */
    async cover() {
      const k = this.strikeMeant();
      if (!k) {
        await app.fill.fillHere();
        return;
      }
      const bare = this.justStruck.filter((/** @type {number} */ id) => !app.doc.strikes.get(id)?.cover && app.doc.strikes.has(id));
      if (bare.length > 1 && bare.includes(k.id)) await this.coverAll(bare);
      else await this.takeCover(k, k.cover ? 1 : 0);
    },
    /** Covers several struck spans, each with its likest tone, as one step. @param {number[]} ids */
    async coverAll(ids) {
      try {
        const found = await Promise.all(ids.map((id) => get(`/reels/${app.doc.id}/strikes/${id}/covers${this.tinting ? "?tint=1" : ""}`)));
        const edits = found.flatMap(({ covers }) => (covers.length ? [covers[0].edit] : []));
        if (edits.length && (await app.mend.edit("together", { label: `cover ${edits.length} strikes`, edits })))
          app.page.hint = `Covered ${edits.length} strikes, each with the best matching tone`;
      } catch (err) {
        app.page.tell(say(err));
      }
    },
    /** The next candidate, for a cover or for tone that was laid. */
    async nextTone() {
      const k = this.strikeMeant();
      if (k) {
        await this.takeCover(k, 1);
        return;
      }
      await app.fill.nextLaid();
    },
    /** Covers a struck span with the likest tone, or with the one so many on from what lies there. @param {Strike} k @param {number} on */
    async takeCover(k, on) {
      try {
        await app.doc.settled();
        const { covers, now } = await get(`/reels/${app.doc.id}/strikes/${k.id}/covers${this.tinting ? "?tint=1" : ""}`);
        if (!covers.length) {
          app.page.tell("No room tone found: no quiet stretch nearby and no swatch saved.");
          return;
        }
        const at = now < 0 ? 0 : now + on,
          one = /** @type {Offered} */ (covers[at % covers.length]);
        const c = await app.mend.edit(one.edit.do, one.edit.with);
        if (!c) return;
        app.page.hint = `${(at % covers.length) + 1} of ${covers.length}: ${one.name}, ${one.says}`;
        if (one.synthesised && !one.tone.room) app.page.tell("The swatch is very short: the tone is noise matched to its spectrum.");
        else if (one.tone.room && covers.every((/** @type {Offered} */ o) => o.tone.room))
          app.page.tell("No quiet stretch nearby, so a synthetic room is used. Save a swatch under Room for a better match.");
        // One that was not chosen is now.
        if (app.session.seam?.right !== k.id) await this.chooseStrike(k.id);
        if (app.session.playing && app.session.looping) app.player.refresh();
      } catch (err) {
        app.page.tell(say(err));
      }
    },
    /** The same swatch, grown anew from another seed. */
    async anotherGrowth() {
      const k = this.strikeMeant(),
        src = k?.cover ? app.doc.sources.get(k.cover.source) : undefined;
      if (!k || !src?.bed) return;
      const tone = this.toneOf(src);
      await app.mend.edit("cover", { strike: k.id, tone: { ...tone, seed: tone.seed + 1 }, gainDB: k.cover?.gainDB ?? 0 });
    },
    /** The tone that a bed is grown from, as an edit names it. @param {Source} src @returns {Tone} */
    toneOf(src) {
      const b = /** @type {Bed} */ (src.bed),
        channels = src.right >= 0 ? 2 : 1;
      if (b.room) return { room: b.room, seed: b.seed, tint: b.tint, channels };
      const of =
        [...app.doc.sources.values()].find((o) => !o.bed && o.recording === src.recording && o.left === src.left) ??
        [...app.doc.sources.values()].find((o) => !o.bed && o.recording === src.recording);
      return { source: of?.id, from: b.from, to: b.to, seed: b.seed, tint: b.tint, channels };
    },
    /** Brings the colour of the tone that lies there to the room's, or leaves it as it was recorded. */
    async toggleTint() {
      this.tinting = !this.tinting;
      const k = this.strikeMeant();
      if (k?.cover) await this.takeCover(k, 0);
    },
    bare() {
      const k = this.strikeMeant();
      if (k?.cover) void app.mend.edit("cover", { strike: k.id });
    },
  });
