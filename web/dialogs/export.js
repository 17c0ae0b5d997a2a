// Export at the bench.

import { el, panel } from "../lib/panel.js";
import { get, say, send } from "../app/api.js";
import { span, at as timecode, typed } from "../lib/timecode.js";
import { count } from "../lib/words.js";

/** Limiting by more than this is often heard (common practice), in dB. */
const hardDB = 6;

/** A level with a real minus. @param {number} v */
const signed = (v) => `${v < 0 ? "−" : "+"}${Math.abs(v).toFixed(1)}`;

/** @param {import("../app/app.js").App} app */
export const exporting = (app) =>
  panel({
    form: {
      from: "",
      to: "",
      fromAt: 0,
      toAt: 0,
      bits: 24,
      channels: 2,
      file: "wav",
      kbits: 0,
      each: "",
      part: "all",
      handles: 0, // seconds
      chosenOnly: false,
      rate: 0,
      lufs: "",
      ceiling: -1,
      tags: /** @type {Record<string, string>} */ ({}),
      coverName: "",
      preset: "",
      turn: 0,
      survey: /** @type {any} */ (null),
      problem: "",
      busy: false,
    },

    /** What was exported last, for the key that does it again. @type {Record<string, any> | null} */
    last: null,
    /** The settings of the form that are kept from one export to the next. */
    settings() {
      const { bits, channels, file, kbits, each, handles, part, fromAt, toAt, rate, lufs, ceiling, tags, coverName } = this.form;
      return { bits, channels, file, kbits, each, handles, part, fromAt, toAt, rate, lufs, ceiling, tags: { ...tags }, coverName };
    },
    /** Exports once more as it was done last: the same part, as the reel is now. */
    again() {
      if (!this.last || !app.doc.length) {
        app.page.tell(
          this.last
            ? "Nothing to export: this reel has no clips yet. Insert a source first."
            : "Nothing was exported yet. Export once, then this key does it again.",
        );
        return;
      }
      Object.assign(this.form, this.last);
      if (this.form.part === "span" && !app.session.span) {
        app.page.tell("The last export was of a span, and none is marked. Mark one, or export anew.");
        return;
      }
      this.place(this.form.part);
      this.form.chosenOnly = this.form.each === "clip" && app.levels.clips().length > 0;
      void this.write();
      app.page.hint = `Exporting again: ${this.form.from} to ${this.form.to} as ${this.form.file.toUpperCase()}`;
    },
    openExport() {
      const s = app.session.span,
        p = app.doc.props;
      if (!app.doc.length) {
        app.page.tell("Nothing to export: this reel has no clips yet. Insert a source first.");
        return;
      }
      const x = this.form;
      [x.fromAt, x.toAt] = s ? [s.from, Math.min(s.to, app.doc.length)] : [0, app.doc.length];
      x.part = s ? "span" : "all";
      x.from = timecode(x.fromAt, p);
      x.to = timecode(x.toAt, p);
      x.chosenOnly = x.each === "clip" && app.levels.clips().length > 0;
      el("export").showModal();
      void this.readPresets();
      this.chooseExport(x.file); // sound, or a list where one was written last
    },
    /** @param {"from" | "to"} end @param {string} text */
    async setExport(end, text) {
      const x = this.form;
      try {
        const place = await this.readTimecode(text);
        if (end === "from") x.fromAt = place.sample;
        else x.toAt = Math.min(place.sample, app.doc.length);
        x.part = "typed";
        await this.survey();
      } catch (err) {
        x.survey = null;
        x.problem = say(err);
      }
    },
    /** Has the server read a timecode: where it lies in the reel. @param {string} text @returns {Promise<{sample: number, text: string}>} */
    readTimecode(text) {
      return get(`/reels/${app.doc.id}/timecode?text=${encodeURIComponent(text)}`);
    },
    /** Sound in a file, or the edit as a list. @param {string} what */
    chooseExport(what) {
      this.form.file = what;
      if (what === "edl" || what === "otio" || what === "adl") void app.lists.lookAtWriting(what);
      else {
        app.lists.writing = { lost: [], format: "", busy: false, problem: "" };
        void this.survey();
      }
    },
    /** Whether the file holds less than what was heard. */
    coded() {
      return ["mp3", "opus", "aac"].includes(this.form.file);
    },
    /** What of the reel is written: all of it, the marked span, or from one marker to the next about the playhead. @param {string} which */
    setPart(which) {
      this.place(which);
      void this.survey();
    },
    /** @param {string} which */
    place(which) {
      this.form.part = which;
      const x = this.form,
        s = app.session.span,
        marks = [0, ...[...app.doc.markers.values()].map((m) => m.at).sort((a, b) => a - b), app.doc.length],
        at = Math.min(app.timeline.playhead, app.doc.length - 1);
      if (which === "span" && s) [x.fromAt, x.toAt] = [s.from, Math.min(s.to, app.doc.length)];
      else if (which === "markers")
        [x.fromAt, x.toAt] = [Math.max(...marks.filter((m) => m <= at)), Math.min(...marks.filter((m) => m > at))];
      else if (which === "typed") [x.fromAt, x.toAt] = [Math.min(x.fromAt, app.doc.length - 1), Math.min(x.toAt, app.doc.length)];
      else [x.fromAt, x.toAt] = [0, app.doc.length];
      x.from = timecode(x.fromAt, app.doc.props);
      x.to = timecode(x.toAt, app.doc.props);
    },
    /** How many seams are still to be mended, in words. */
    toMend() {
      const n = app.ledger.countOf("mend");
      return n ? `${count(n, "seam")} to mend` : "";
    },
    /** To the seams that are still to be mended. */
    showMends() {
      el("export").close();
      app.sources.showTab("seams");
      app.ledger.filter = "mend";
    },
    showLoudness() {
      el("export").close();
      app.loud.open();
    },
    /** @param {string} each */
    setEach(each) {
      this.form.each = each;
      this.form.chosenOnly = each === "clip" && app.levels.clips().length > 0;
      void this.survey();
    },
    /** @param {boolean} only */
    setChosenOnly(only) {
      this.form.chosenOnly = only;
      void this.survey();
    },
    /** @param {HTMLInputElement} field */
    setHandles(field) {
      const n = typed(field.value);
      if (n >= 0) {
        this.form.handles = n;
        void this.survey();
      }
      field.value = String(this.form.handles);
    },
    /** What is wanted, for the server. */
    order() {
      const x = this.form,
        ofClips = x.each === "clip";
      return {
        from: x.fromAt,
        to: x.toAt,
        bits: x.bits,
        channels: x.channels,
        file: x.file,
        kbits: this.coded() ? x.kbits : 0,
        each: x.each,
        clips: ofClips && x.chosenOnly ? app.levels.clips().map((c) => c.id) : [],
        handles: ofClips ? Math.round(x.handles * app.doc.props.sampleRate) : 0,
        rate: x.rate,
        ...(x.lufs !== "" && !x.each ? { loudness: { lufs: Number(x.lufs), ceilingDB: x.ceiling } } : {}),
        tags: Object.fromEntries(Object.entries(x.tags).filter(([, v]) => v)),
      };
    },
    exportQuery() {
      const { clips, loudness, ...rest } = this.order(),
        query = Object.entries(rest)
          .filter(([k]) => k !== "tags")
          .map(([k, v]) => `${k}=${v}`);
      if (clips.length) query.push(`clips=${clips}`);
      if (loudness) query.push(`lufs=${loudness.lufs}`, `ceiling=${loudness.ceilingDB}`);
      return query.join("&");
    },
    /** @param {string} lufs */
    setLoudness(lufs) {
      this.form.lufs = lufs;
      void this.survey();
    },
    /** @param {HTMLInputElement} field */
    setCeiling(field) {
      const n = typed(field.value);
      if (n >= -12 && n <= 0) {
        this.form.ceiling = n;
        void this.survey();
      }
      field.value = String(this.form.ceiling).replace("-", "−");
    },
    /** Takes a picture for a cover. @param {HTMLInputElement} input */
    async takeCover(input) {
      const [file] = input.files ?? [];
      input.value = "";
      if (!file) return;
      if (file.size > 2 << 20) {
        app.page.tell(`“${file.name}” is larger than 2 MB. Choose a smaller picture.`);
        return;
      }
      const bytes = new Uint8Array(await file.arrayBuffer());
      let text = "";
      for (const b of bytes) text += String.fromCharCode(b);
      this.form.tags = { ...this.form.tags, cover: globalThis.btoa(text) };
      this.form.coverName = file.name;
    },
    dropCover() {
      this.form.tags = { ...this.form.tags, cover: "" };
      this.form.coverName = "";
    },

    // ——— Named ways to export ———

    presets: /** @type {{name: string, order: any}[]} */ ([]),
    async readPresets() {
      const found = await get("/export-presets").catch(() => null);
      if (found) this.presets = found.presets;
    },
    /** @param {string} name */
    takePreset(name) {
      const o = this.presets.find((p) => p.name === name)?.order,
        x = this.form;
      x.preset = name;
      if (!o) return;
      [x.bits, x.channels, x.kbits, x.each, x.rate] = [o.bits || 24, o.channels, o.kbits, o.each, o.rate ?? 0];
      x.handles = (o.handles ?? 0) / app.doc.props.sampleRate;
      [x.lufs, x.ceiling] = o.loudness ? [String(o.loudness.lufs), o.loudness.ceilingDB] : ["", x.ceiling];
      x.tags = { ...(o.tags ?? {}) };
      x.coverName = x.tags.cover ? "kept with the preset" : "";
      this.chooseExport(o.file);
    },
    async savePreset() {
      const name = this.form.preset.trim();
      if (!name) {
        this.form.problem = "Type a name for the preset first.";
        return;
      }
      try {
        await send("PUT", `/export-presets/${encodeURIComponent(name)}`, this.order());
        await this.readPresets();
        app.page.hint = `Preset “${name}” saved`;
      } catch (err) {
        this.form.problem = say(err);
      }
    },
    async removePreset() {
      try {
        await send("DELETE", `/export-presets/${encodeURIComponent(this.form.preset.trim())}`);
        this.form.preset = "";
        await this.readPresets();
      } catch (err) {
        this.form.problem = say(err);
      }
    },
    async survey() {
      const x = this.form;
      const turn = ++x.turn; // only the newest look counts
      x.busy = true;
      x.problem = "";
      x.survey = null;
      try {
        const s = /** @type {Survey} */ (await get(`/reels/${app.doc.id}/export/survey?${this.exportQuery()}`));
        if (turn !== x.turn) return;
        x.survey = {
          length: span(s.length, app.doc.props),
          size:
            s.bytes === 0 || s.files?.length ? "" : s.bytes > 1e6 ? `${(s.bytes / 1e6).toFixed(1)} MB` : `${Math.ceil(s.bytes / 1000)} kB`,
          loudness: s.lufs <= -70 ? "below the gate" : `${signed(s.lufs)} LUFS`,
          truePeak: s.truePeakDB <= -144 ? "silence" : `${signed(s.truePeakDB)} dBTP`,
          peak: s.peakDB <= -144 ? "silence" : `${signed(s.peakDB)} dBFS`,
          over: s.over,
          exact: s.exact && x.bits !== 32,
          off: s.off,
          finish: s.finish
            ? `Gain ${signed(s.finish.gainDB)} dB${s.finish.limits ? `, peaks limited by up to ${s.finish.downDB.toFixed(1)} dB` : ", no limiting needed"}${
                s.finish.downDB > hardDB ? ": often heard. Choose less loudness, or ride the loud places." : ""
              }`
            : "",
          hard: (s.finish?.downDB ?? 0) > hardDB,
          files: s.files?.length ?? 0,
          filesText: s.files?.length
            ? `${count(s.files.length, "file")} in a ZIP: ${s.files.slice(0, 3).join(", ")}${s.files.length > 3 ? " …" : ""}`
            : "",
          missing: s.missing
            ? `${s.missing === 1 ? "1 clip has" : `${s.missing} clips have`} no recording and will be silent. Locate the media under Sources.`
            : "",
          holes: s.holes.length,
          holesText: s.holes.length
            ? `${s.holes.length === 1 ? "One hole" : `${s.holes.length} holes`} of digital silence: ${s.holes
                .slice(0, 3)
                .map(([a, b]) => `${span(b - a, app.doc.props)} at ${timecode(a, app.doc.props)}`)
                .join(", ")}${s.holes.length > 3 ? " …" : ""}`
            : "",
        };
      } catch (err) {
        if (turn !== x.turn) return;
        x.problem = say(err);
      }
      x.busy = false;
    },
    async doExport() {
      if (app.lists.writing.format) {
        app.lists.doWrite();
        return;
      }
      if (this.form.problem) return;
      this.last = this.settings();
      if (await this.write()) el("export").close();
    },
    /** Has the file written as a job, and downloaded when it is there. @returns {Promise<boolean>} */
    async write() {
      try {
        await app.jobs.begin(`/reels/${app.doc.id}/exports`, this.order());
        return true;
      } catch (err) {
        if (el("export").open) this.form.problem = say(err);
        else app.page.tell(say(err));
        return false;
      }
    },
    /** Shows a report of the reel, to print or as CSV. @param {string} what */
    report(what) {
      window.open(`/reels/${app.doc.id}/print/${what}`, "_blank", "noopener");
    },
    /** Saves the reel with its sound, its history and versions as one file, as a job. */
    async bundle() {
      await app.doc.settled();
      try {
        await app.jobs.begin(`/reels/${app.doc.id}/bundles`, { history: true, versions: true });
        app.page.hint = "Saving as a bundle; its file comes under Jobs";
        this.showJobs();
      } catch (err) {
        app.page.tell(say(err));
      }
    },
    /** The jobs of this reel, with their files. */
    showJobs() {
      void app.jobs.read();
      el("jobs").showModal();
    },
  });
