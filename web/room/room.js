// Room tone at the bench: the quiet stretches of the recordings, the swatches
// that are kept of them, and the rooms that are made up.

import { panel } from "../lib/panel.js";
import { get, say } from "../app/api.js";
import { span } from "../lib/timecode.js";

/** @param {number} v */
const num = (v, digits = 1) => v.toFixed(digits).replace("-", "−");
/** How a room's colour falls over the octaves, in words. @param {number} slope */
const colourWord = (slope) => (slope > 1 ? "bright" : slope > -1.5 ? "even" : slope > -4 ? "dark" : "very dark");

/** @param {import("../app/app.js").App} app */
export const rooms = (app) =>
  panel({
    /** @type {any[]} */ swatches: [],
    /** @type {any[]} */ synthetic: [],
    /** @type {{source: number, busy: boolean, progress: number, name: string, rows: any[], says: string, done: boolean}} */
    finding: { source: 0, busy: false, progress: 0, name: "", rows: [], says: "", done: false },

    async readRooms() {
      try {
        const { swatches, rooms } = await get(`/reels/${app.doc.id}/rooms`);
        const text = (/** @type {any} */ r) => ({
          ...r,
          text:
            r.problem ||
            `${num(r.level, 0)} dBFS · ${colourWord(r.slope)}${r.source && r.to - r.from < app.doc.props.sampleRate / 2 ? " · short: its tone is synthesised" : ""}`,
          long: r.to > r.from ? span(r.to - r.from, app.doc.props) : "",
        });
        this.swatches = swatches.map(text);
        this.synthetic = rooms.map(text);
      } catch (err) {
        app.page.tell(say(err));
      }
    },
    /** @param {string} v */
    setFinding(v) {
      this.finding.source = Number(v);
    },
    /** Looks through a source, or all of them, for stretches where the room alone is heard. */
    async findQuiet() {
      const f = this.finding,
        p = app.doc.props;
      if (f.busy) return;
      f.busy = true;
      f.progress = 0;
      f.rows = [];
      f.says = "";
      f.name = `${Date.now()}`;
      try {
        const { sources } = await get(`/reels/${app.doc.id}/quiet?name=${f.name}${f.source ? `&source=${f.source}` : ""}`);
        /** @type {any[]} */
        const rows = [];
        for (const s of sources)
          for (const q of s.quiet.length ? s.quiet : s.quietest ? [{ ...s.quietest, only: true }] : [])
            rows.push({
              ...q,
              source: s.source,
              name: app.doc.sources.get(s.source)?.name ?? "",
              key: `${s.source}-${q.from}`,
              long: span(q.to - q.from, p),
              at: span(q.from, p),
              text: `${num(q.level, 0)} dBFS ±${num(q.even)} ${colourWord(q.slope)}`,
            });
        f.rows = rows.sort((a, b) => b.score - a.score).slice(0, 60);
        const none = sources
          .filter((/** @type {any} */ s) => !s.quiet.length)
          .map((/** @type {any} */ s) => app.doc.sources.get(s.source)?.name);
        f.says = none.length
          ? `No quiet stretch in ${none.join(", ")}${rows.some((r) => r.only) ? ": the quietest half second is listed" : ""}. Use a synthetic room instead.`
          : "";
        this.showQuiet();
      } catch (err) {
        f.says = say(err);
      }
      f.busy = false;
      f.done = true;
    },
    /** Shows the stretches that were found on the waveform of the source that is open. */
    showQuiet() {
      app.sourceView.quiet = this.finding.rows;
      app.sourceView.redraw();
    },
    /** Opens a stretch on the waveform of its source. @param {any} r */
    lookAt(r) {
      app.sources.showSource(r.source, { from: r.from, to: r.to });
      app.page.tab = "room";
      this.showQuiet();
    },
    /** Hears a stretch in a loop, as recorded. @param {any} r */
    hearQuiet(r) {
      const s = app.doc.sources.get(r.source);
      if (!s) return;
      if (app.session.playing && app.session.hearing === `quiet-${r.source}-${r.from}`) {
        app.player.stop();
        return;
      }
      app.session.hearing = `quiet-${r.source}-${r.from}`;
      void app.player.play({
        name: "source",
        from: r.from,
        to: r.to,
        loopFrom: r.from,
        address: (a, b) => `/recordings/${s.recording}/${app.doc.props.sampleRate}/pcm?left=${s.left}&right=${s.right}&from=${a}&to=${b}`,
      });
    },
    /** Hears a bed of a swatch or a made-up room. @param {Tone} tone @param {number} [gain] */
    hearTone(tone, gain = 0) {
      const name = `tone-${tone.room ?? ""}-${tone.source ?? ""}-${tone.from ?? ""}`;
      if (app.session.playing && app.session.hearing === name) {
        app.player.stop();
        return;
      }
      const q = tone.room ? `room=${encodeURIComponent(tone.room)}` : `source=${tone.source}&start=${tone.from}&end=${tone.to}`;
      app.session.hearing = name;
      void app.player.play({
        name: "tone",
        from: 0,
        to: 20 * app.doc.props.sampleRate,
        address: (a, b) => `/reels/${app.doc.id}/tone?${q}&seed=${tone.seed}&gain=${gain}&from=${a}&to=${b}`,
      });
    },
    /** @param {any} s */
    hearSwatch(s) {
      this.hearTone(s.source ? { source: s.source, from: s.from, to: s.to, seed: 1 } : { room: s.name, seed: 1 });
    },
    /** Keeps a stretch as a swatch. @param {any} r */
    async keepQuiet(r) {
      const n = this.swatches.filter((/** @type {any} */ s) => s.source === r.source).length + 1;
      await app.mend.edit("addSwatch", { name: `${r.name}, room ${n}`, source: r.source, from: r.from, to: r.to });
      await this.readRooms();
    },
    /** Keeps what is marked of the open source, or the span of the clip under it. */
    async keepMarked() {
      if (app.session.stage === "source" && app.session.source) {
        await this.keepQuiet({
          source: app.session.source.id,
          name: app.session.source.name,
          from: app.session.mark.from,
          to: app.session.mark.to,
        });
        return;
      }
      const s = app.session.span,
        c =
          s &&
          app.act
            .workingClips()
            .find((/** @type {Clip} */ o) => o.start <= s.from && o.start + o.length >= s.to && !app.doc.sources.get(o.source)?.bed);
      if (!s || !c) {
        app.page.tell("Mark a stretch of a source, or a span in one clip, with room tone alone.");
        return;
      }
      await this.keepQuiet({
        source: c.source,
        name: app.doc.sources.get(c.source)?.name,
        from: s.from - c.start + c.offset,
        to: s.to - c.start + c.offset,
      });
      app.listen.clearSpan();
      app.page.hint = "Saved as a swatch, under Room";
    },
    /** @param {any} s @param {string} v */
    nameSwatch(s, v) {
      if (v.trim() && v !== s.name) void app.mend.edit("setSwatch", { swatch: s.id, name: v });
    },
    /** @param {any} s */
    async dropSwatch(s) {
      await app.mend.edit("removeSwatch", { swatch: s.id });
    },
    /** Lays tone of a swatch or a made-up room in the span, or in the gap at the playhead. @param {any} s */
    async laySwatch(s) {
      const sp = app.session.span,
        track = [...app.session.working][0] ?? app.session.target,
        rate = app.doc.props.sampleRate;
      const tone = s.source ? { source: s.source, from: s.from, to: s.to, seed: 1 } : { room: s.name, seed: 1 };
      const c = await app.mend.edit("layTone", {
        track,
        from: sp?.from ?? Math.round(app.timeline.playhead),
        to: sp?.to ?? 0,
        tone,
        blend: Math.round(0.08 * rate),
        fade: Math.round(0.5 * rate),
        name: s.name,
      });
      if (c) app.listen.clearSpan();
    },
    /** Covers what is struck with a swatch or a made-up room. @param {any} s */
    async coverWith(s) {
      const k = app.strike.strikeMeant();
      if (k)
        await app.mend.edit("cover", {
          strike: k.id,
          tone: s.source ? { source: s.source, from: s.from, to: s.to, seed: 1 } : { room: s.name, seed: 1 },
          gainDB: k.cover?.gainDB ?? 0,
        });
      else app.page.tell("Select a strike first.");
    },
  });
