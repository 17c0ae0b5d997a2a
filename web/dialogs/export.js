// Export at the bench.

import { el, panel } from "../lib/panel.js";
import { get, say } from "../app/api.js";
import { span, at as timecode } from "../lib/timecode.js";

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
      turn: 0,
      survey: /** @type {any} */ (null),
      problem: "",
      busy: false,
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
      x.from = timecode(x.fromAt, p);
      x.to = timecode(x.toAt, p);
      el("export").showModal();
      this.chooseExport(x.file); // sound, or a list where one was written last
    },
    /** @param {"from" | "to"} end @param {string} text */
    async setExport(end, text) {
      const x = this.form;
      try {
        const place = await this.readTimecode(text);
        if (end === "from") x.fromAt = place.sample;
        else x.toAt = Math.min(place.sample, app.doc.length);
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
      if (what === "edl" || what === "otio") void app.lists.lookAtWriting(what);
      else {
        app.lists.writing = { lost: [], format: "", busy: false, problem: "" };
        void this.survey();
      }
    },
    exportQuery() {
      return `from=${this.form.fromAt}&to=${this.form.toAt}&bits=${this.form.bits}&channels=${this.form.channels}&file=${this.form.file}`;
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
          size: s.bytes === 0 ? "" : s.bytes > 1e6 ? `${(s.bytes / 1e6).toFixed(1)} MB` : `${Math.ceil(s.bytes / 1000)} kB`,
          loudness: s.lufs <= -70 ? "below the gate" : `${signed(s.lufs)} LUFS`,
          truePeak: s.truePeakDB <= -144 ? "silence" : `${signed(s.truePeakDB)} dBTP`,
          peak: s.peakDB <= -144 ? "silence" : `${signed(s.peakDB)} dBFS`,
          over: s.over,
          exact: s.exact && x.bits !== 32,
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
    doExport() {
      if (app.lists.writing.format) {
        app.lists.doWrite();
        return;
      }
      if (this.form.problem) return;
      const a = document.createElement("a");
      a.href = `/api/v1/reels/${app.doc.id}/export?${this.exportQuery()}`;
      a.download = "";
      a.click();
      el("export").close();
    },
  });
