// Loudness of a span or of the whole reel, held against the reel's target; places
// outside of it are listed and gone to.

import { el, panel } from "../lib/panel.js";
import { get, say } from "../app/api.js";
import { shortAt, typed } from "../lib/timecode.js";
import { count } from "../lib/words.js";

/** The target of a reel that says none: EBU R 128, with the usual corridor for speech. @type {Target} */
export const usualTarget = { lufs: -23, within: 0.5, truePeak: -1, low: -12, high: -6 };

/** @param {number} v @param {number} [digits] */
const num = (v, digits = 1) => v.toFixed(digits).replace("-", "−");

/** @param {import("../app/app.js").App} app */
export const loudness = (app) =>
  panel({
    /** @type {any} */ now: null,
    /** Targets that are in use; the rest is set by number. @type {[string, Target | null][]} */
    targets: [
      ["EBU R 128: −23 LUFS ±0.5, −1 dBTP", null],
      ["−24 LUFS ±2, −2 dBTP", { lufs: -24, within: 2, truePeak: -2, low: -12, high: -6 }],
      ["−18 LUFS ±1, −1 dBTP", { lufs: -18, within: 1, truePeak: -1, low: -12, high: -6 }],
      ["−16 LUFS ±1, −1 dBTP", { lufs: -16, within: 1, truePeak: -1, low: -12, high: -6 }],
    ],

    open() {
      this.now = {
        scope: app.session.span ? "span" : "reel",
        found: null,
        rows: [],
        places: [],
        busy: false,
        progress: 0,
        problem: "",
        turn: 0,
        name: "",
        abort: null,
      };
      el("loud").showModal();
      void this.read();
    },
    /** @param {string} scope */
    setScope(scope) {
      this.now.scope = scope;
      void this.read();
    },
    async read() {
      const w = this.now,
        turn = ++w.turn,
        s = w.scope === "span" ? app.session.span : null;
      w.abort?.abort();
      w.abort = new AbortController();
      [w.found, w.rows, w.places, w.problem, w.progress] = [null, [], [], "", 0];
      w.busy = true;
      w.name = `${Date.now()}-${turn}`;
      try {
        await app.doc.settled();
        const at = s ? `from=${s.from}&to=${s.to}&` : "";
        const found = /** @type {Loudness} */ (await get(`/reels/${app.doc.id}/loudness?${at}name=${w.name}`, w.abort.signal));
        if (this.now !== w || turn !== w.turn) return;
        w.found = found;
        w.rows = this.rowsOf(found);
        w.places = (found.places ?? []).map((p) => ({ ...p, key: `${p.from}-${p.what}`, time: shortAt(p.from, app.doc.props) }));
        if (w.scope === "reel") app.strip.takeLoudness(found);
      } catch (err) {
        if (this.now === w && turn === w.turn) w.problem = say(err);
      } finally {
        if (this.now === w && turn === w.turn) w.busy = false;
      }
    },
    // ——— The line beside the tracks ———

    /** Whether the strip shows the loudness rather than the room. */
    line: false,
    /** How many places are outside the target; −1 while it is measured. */
    outside: 0,
    /** @type {ReturnType<typeof setTimeout> | undefined} */ soon: undefined,
    /** @type {AbortController | undefined} */ reading: undefined,
    lineText() {
      return this.outside < 0 ? "…" : count(this.outside, "place");
    },
    toggleLine() {
      this.line = !this.line;
      app.strip.showLoudness(this.line);
      if (this.line) void this.readLine();
      app.page.hint = this.line ? "Loudness of 3 s through the reel, about its target" : "The room through the reel";
    },
    /** After a change the line is measured anew, once no other follows at once. */
    touch() {
      clearTimeout(this.soon);
      if (!this.line) return;
      this.outside = -1;
      this.soon = setTimeout(() => void this.readLine(), 1500);
    },
    async readLine() {
      this.reading?.abort();
      const mine = (this.reading = new AbortController());
      this.outside = -1;
      const found = /** @type {Loudness | null} */ (await get(`/reels/${app.doc.id}/loudness`, mine.signal).catch(() => null));
      if (mine !== this.reading) return;
      this.outside = found?.places?.length ?? 0;
      if (found) app.strip.takeLoudness(found);
    },
    /** To the next or previous place outside the target, and round again. @param {1 | -1} by */
    stepPlace(by) {
      const list = [...(app.strip.loud?.places ?? [])].sort((a, b) => a.from - b.from),
        at = Math.round(app.timeline.playhead);
      const next = by > 0 ? (list.find((p) => p.from > at) ?? list[0]) : (list.findLast((p) => p.from < at) ?? list[list.length - 1]);
      if (!next) {
        app.page.tell("No place outside the target.");
        return;
      }
      app.listen.seek(next.from);
      app.timeline.show(next.from - app.doc.props.sampleRate, next.to + app.doc.props.sampleRate);
      app.page.hint = `${next.words}, at ${shortAt(next.from, app.doc.props)}`;
    },

    /** What is told, each with what it is held against. @param {Loudness} l */
    rowsOf(l) {
      const t = l.target,
        off = l.integrated - t.lufs,
        silent = l.integrated <= -70;
      const meets = Math.abs(off) <= t.within + 0.05;
      return [
        {
          name: "Integrated loudness",
          value: silent ? "nothing to measure" : `${num(l.integrated)} LUFS`,
          mark: silent ? "unknown" : meets ? "fine" : "mend",
          note: silent
            ? ""
            : meets
              ? `meets ${num(t.lufs)} LUFS`
              : `${num(Math.abs(off))} LU ${off > 0 ? "above" : "below"} ${num(t.lufs)} LUFS`,
        },
        {
          name: "True peak",
          value: l.truePeak <= -144 ? "silent" : `${num(l.truePeak)} dBTP`,
          mark: l.truePeak > t.truePeak ? "mend" : "fine",
          note: `at most ${num(t.truePeak)} dBTP`,
        },
        { name: "Loudness range", value: `${num(l.range)} LU`, mark: "", note: "" },
        { name: "Loudest 3 s, short-term", value: `${num(l.shortTerm)} LUFS`, mark: "", note: "" },
        { name: "Loudest 400 ms, momentary", value: `${num(l.momentary)} LUFS`, mark: "", note: "" },
        { name: "Peak, left and right", value: `${num(l.peak[0])} · ${num(l.peak[1])} dBFS`, mark: "", note: "" },
        { name: "RMS, left and right", value: `${num(l.rms[0])} · ${num(l.rms[1])} dBFS`, mark: "", note: "" },
      ];
    },
    says() {
      const w = this.now;
      if (!w?.found) return "";
      return w.places.length ? `${count(w.places.length, "place")} outside the target` : "No place outside the target";
    },
    /** Which of the targets is in force; −1 for another. */
    chosen() {
      const t = app.doc.props?.target;
      return this.targets.findIndex(([, o]) => (o === null ? !t : JSON.stringify(o) === JSON.stringify(t)));
    },
    /** @param {string} i */
    async setTarget(i) {
      const t = this.targets[Number(i)]?.[1] ?? usualTarget;
      if (await app.mend.edit("setReel", { target: t })) void this.read();
    },
    /** One number of the target. @param {"lufs" | "within" | "truePeak" | "low" | "high"} which @param {HTMLInputElement} field */
    async type(which, field) {
      const v = typed(field.value),
        t = this.now?.found?.target;
      if (!t) return;
      if (Number.isNaN(v)) this.now.problem = `“${field.value}” is not a number.`;
      else {
        try {
          await app.doc.edit("setReel", { target: { ...t, [which]: v } });
          void this.read();
          return;
        } catch (err) {
          this.now.problem = say(err);
        }
      }
      field.value = num(t[which]);
    },
    /** @param {"lufs" | "within" | "truePeak" | "low" | "high"} which */
    field(which) {
      const t = this.now?.found?.target;
      return t ? num(t[which]) : "";
    },
    /** Goes to a place and marks it. @param {any} place */
    goTo(place) {
      el("loud").close();
      app.session.span = { from: place.from, to: place.to };
      app.listen.seek(place.from);
      app.timeline.show(place.from - app.doc.props.sampleRate, place.to + app.doc.props.sampleRate);
      app.page.hint = `${place.words}, at ${place.time}`;
    },
    /** @param {{name: string, progress: number}} news */
    tell({ name, progress }) {
      if (this.now?.name === name) this.now.progress = progress;
    },
    drop() {
      el("loud").close();
    },
    closed() {
      this.now?.abort?.abort();
      this.now = null;
    },
  });
