// Loudness of a span or of the whole reel, held against the reel's target; places
// outside of it are listed and gone to.

import { el, panel } from "../lib/panel.js";
import { get, say } from "../app/api.js";
import { isHeard } from "../app/laid.js";
import { ask, nothingAsked } from "../app/asking.js";
import { shortAt, typed } from "../lib/timecode.js";
import { count } from "../lib/words.js";

/** @param {number} v @param {number} [digits] */
const num = (v, digits = 1) => v.toFixed(digits).replace("-", "−");

/** @param {import("../app/app.js").App} app */
export const loudness = (app) =>
  panel({
    /** @type {any} */ now: null,
    open() {
      this.now = { scope: app.session.span ? "span" : "reel", found: null, rows: [], places: [], ...nothingAsked() };
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
        s = w.scope === "span" ? app.session.span : null;
      [w.found, w.rows, w.places] = [null, [], []];
      const found = await ask(
        w,
        () => this.now === w,
        async (name, signal) => {
          await app.doc.settled();
          const at = s ? `from=${s.from}&to=${s.to}&` : "";
          return /** @type {Loudness} */ (await get(`/reels/${app.doc.id}/loudness?${at}name=${name}`, signal));
        },
      );
      if (!found) return;
      w.found = found;
      w.rows = this.rowsOf(found);
      w.places = (found.places ?? []).map((p) => ({ ...p, key: `${p.from}-${p.what}`, time: shortAt(p.from, app.doc.props) }));
      if (w.scope === "reel") this.takeLine(found);
    },

    // ——— The line beside the tracks ———

    /** Whether the strip shows the loudness rather than the room. */
    line: false,
    /** How many places are outside the target; none while it is measured. @type {number | null} */
    outside: null,
    /** Why it could not be measured. */
    failed: "",
    /** @type {ReturnType<typeof setTimeout> | undefined} */ soon: undefined,
    /** @type {AbortController | undefined} */ reading: undefined,
    /** While something plays, the short-term loudness of where it is. */
    live: "",
    /** @param {number} [at] the place that is heard; none where nothing plays */
    takeLive(at) {
      const course = this.line && at !== undefined ? app.strip.loud?.course : undefined,
        v = course?.[Math.round(((at ?? 0) / app.doc.props.sampleRate - 3) * 2)]; // of the 3 s up to there
      const text = v === undefined ? "" : v <= -70 ? "S –" : `S ${num(v)}`;
      if (text !== this.live) this.live = text;
    },
    lineText() {
      return this.failed || (this.outside === null ? "measuring…" : count(this.outside, "place"));
    },
    toggleLine() {
      this.line = !this.line;
      app.strip.showLoudness(this.line);
      if (this.line) void this.readLine();
      app.page.hint = this.line ? "Loudness of 3 s through the reel, about its target" : "The room through the reel";
    },
    /** After a change of what is heard the line is measured again, once no other follows at once. @param {Change | undefined} change */
    touch(change) {
      clearTimeout(this.soon);
      if (!this.line || (change && !isHeard(change))) return;
      this.outside = null;
      this.soon = setTimeout(() => void this.readLine(), 1500);
    },
    async readLine() {
      this.reading?.abort();
      const mine = (this.reading = new AbortController());
      [this.outside, this.failed] = [null, ""];
      try {
        const found = /** @type {Loudness} */ (await get(`/reels/${app.doc.id}/loudness`, mine.signal));
        if (mine === this.reading) this.takeLine(found);
      } catch {
        if (mine === this.reading) this.failed = "not measured";
      }
    },
    /** @param {Loudness} found of the whole reel */
    takeLine(found) {
      [this.outside, this.failed] = [found.places?.length ?? 0, ""];
      app.strip.takeLoudness(found);
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
      this.come(next);
      app.page.hint = `${next.words}, at ${shortAt(next.from, app.doc.props)}`;
    },
    /** Shows a place. The clip that it is about is selected, so that keys and fields of gain act on it. @param {{from: number, to: number, clip?: number}} place */
    come({ from, to, clip }) {
      app.listen.seek(from);
      if (clip && app.doc.clips.has(clip)) app.clips.chooseClips([clip]);
      app.timeline.show(from - app.doc.props.sampleRate, to + app.doc.props.sampleRate);
    },

    /** What is told, each with what it is held against. @param {Loudness} l */
    rowsOf(l) {
      return [
        {
          name: "Integrated loudness",
          value: l.verdict === "unknown" ? "" : `${num(l.integrated)} LUFS`,
          mark: l.verdict,
          note: l.says,
        },
        {
          name: "True peak",
          value: l.truePeak <= -144 ? "silent" : `${num(l.truePeak)} dBTP`,
          mark: l.peakOver ? "mend" : "fine",
          note: `at most ${num(l.target.truePeak)} dBTP`,
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
    /** The targets to choose from. */
    targets() {
      return app.doc.usual?.targets ?? [];
    },
    /** Which of them is in force; −1 for another. */
    chosen() {
      const t = JSON.stringify(this.now?.found?.target);
      return this.targets().findIndex((o) => JSON.stringify(o.target) === t);
    },
    /** @param {string} i */
    async setTarget(i) {
      const t = this.targets()[Number(i)]?.target;
      if (t && (await app.mend.edit("setReel", { target: t }))) void this.read();
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
      this.come(place);
      // The key for the next place goes on from here.
      if (app.strip.loud?.revision === app.doc.revision && !this.line) {
        this.line = true;
        app.strip.showLoudness(true);
      }
      app.page.hint = `${place.words}, at ${place.time} · ${app.keys.keyOf("nextHole")} goes to the next`;
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
