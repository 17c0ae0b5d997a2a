// Gain of clips: by number, by key and by drag, and how high they peak with it.

import { panel } from "../lib/panel.js";
import { get } from "../app/api.js";
import { decibels, silent, typedDecibels } from "../lib/decibels.js";

/** @param {import("../app/app.js").App} app */
export const levels = (app) =>
  panel({
    /** How high the chosen clips peak, in words. */
    peakWords: "",
    over: false,
    peakFor: "",
    /** The gain of the chosen clips, as a field shows it; none where they differ. */
    gain: "",

    /** Takes what is chosen, and what has become of it. */
    take() {
      const [first, ...rest] = this.clips();
      this.gain = first && rest.every((c) => c.gainDB === first.gainDB) ? decibels(first.gainDB) : "";
      void this.readPeaks();
    },

    /** The chosen clips that have a gain. @returns {Clip[]} */
    clips() {
      return [...app.session.chosen]
        .map((id) => app.doc.clips.get(id))
        .filter((c) => c !== undefined)
        .filter((c) => !app.doc.shows(c));
    },

    /** Asks how high the chosen clips peak, when they or their gain have changed. */
    async readPeaks() {
      const clips = this.clips(),
        key = clips.map((c) => [c.id, c.source, c.offset, c.length, c.gainDB].join()).join(" ");
      if (this.peakFor === key) return;
      this.peakFor = key;
      if (!clips.length || clips.length > 500) {
        [this.peakWords, this.over] = ["", false];
        return;
      }
      try {
        const found = /** @type {Peaks} */ (await get(`/reels/${app.doc.id}/peaks?clips=${clips.map((c) => c.id).join(",")}`));
        if (this.peakFor === key) this.takePeaks(found);
      } catch {
        if (this.peakFor === key) [this.peakWords, this.over, this.peakFor] = ["", false, ""];
      }
    },
    /** @param {Peaks} peaks */
    takePeaks(peaks) {
      this.peakWords = peaks.words;
      this.over = peaks.over;
    },

    /** Sets the gain that is typed. @param {HTMLInputElement} field */
    typeGain(field) {
      const text = field.value;
      field.value = this.gain; // what is, until it is another
      this.set(text, "toDB");
    },
    /** Raises or lowers by what is typed. @param {HTMLInputElement} field */
    typeBy(field) {
      const text = field.value;
      field.value = "";
      this.set(text, "byDB");
    },
    /** @param {string} text @param {"toDB" | "byDB"} how */
    set(text, how) {
      const db = typedDecibels(text),
        clips = this.clips();
      if (!clips.length || text.trim() === "") return;
      if (Number.isNaN(db) || (how === "byDB" && db <= silent)) app.page.tell(`“${text}” is not a gain. Type −3.5, +6 or −∞.`);
      else void app.mend.edit("gain", { clips: clips.map((c) => c.id), [how]: db });
    },
    /** By key. @param {number} by dB */
    nudge(by) {
      const clips = this.clips();
      if (clips.length) void app.mend.edit("gain", { clips: clips.map((c) => c.id), byDB: by });
      else app.page.tell("No clip of sound is selected.");
    },
  });
