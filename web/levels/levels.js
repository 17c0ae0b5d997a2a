// Gain of clips: by number, by key and by drag, and how high they peak with it.

import { panel } from "../lib/panel.js";
import { get, say, send } from "../app/api.js";
import { typed } from "../lib/timecode.js";
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
      this.sided = this.clips().length === 1 && (app.doc.sources.get(first.source)?.right ?? -1) >= 0;
      this.right = this.sided ? decibels(first.rightDB ?? 0) : "";
      void this.readPeaks();
    },

    /** Whether the chosen clip has two sides, and the gain of its right one. */
    sided: false,
    right: "",
    /** How a balance is read: C, or the side and how far towards it. */
    balanceText() {
      const b = app.clips.clip?.balance ?? 0;
      return b ? `${b < 0 ? "L" : "R"}${Math.round(Math.abs(b) * 100)}` : "C";
    },
    /** @param {string | number} v */
    balance(v) {
      if (app.clips.clip) void app.mend.edit("setClip", { clip: app.clips.clip.id, balance: Number(v) });
    },
    /** @param {HTMLInputElement} field */
    typeRight(field) {
      const text = field.value,
        db = typedDecibels(text);
      field.value = this.right;
      if (Number.isNaN(db)) this.unread(text);
      else if (app.clips.clip) void app.mend.edit("setClip", { clip: app.clips.clip.id, rightDB: db });
    },
    /** @param {string} text */
    unread(text) {
      app.page.tell(`“${text}” is not a gain. Type −3.5, +6 or −∞.`);
    },

    /** The chosen clips that have a gain. @returns {Clip[]} */
    clips() {
      return [...app.session.chosen]
        .map((id) => app.doc.clips.get(id))
        .filter((c) => c !== undefined)
        .filter((c) => !app.doc.shows(c));
    },

    /** The clips that keys of gain act on: those that are chosen or, at a seam, the one whose edge is acted on, else the incoming one. @returns {Clip[]} */
    meant() {
      const chosen = this.clips(),
        s = app.session.seam;
      if (chosen.length || app.session.chosen.size || !s || s.kind === "struck") return chosen;
      const c = app.doc.clips.get((app.session.acting === "out" && s.left) || s.right || s.left);
      return c && !app.doc.shows(c) ? [c] : [];
    },

    /** Asks how high the chosen clips peak, when they or their gain have changed. */
    async readPeaks() {
      const clips = this.clips(),
        key = clips.map((c) => [c.id, c.source, c.offset, c.length, c.gainDB, c.balance, c.rightDB].join()).join(" ");
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

    /** An arrow in a field of gain steps it, as the keys do. @param {KeyboardEvent} e */
    arrow(e) {
      const way = { ArrowUp: 1, ArrowDown: -1 }[e.key];
      if (!way) return;
      e.preventDefault();
      this.nudge(way * (e.shiftKey ? 3 : 0.5));
    },
    /** The same for the track whose settings are shown. @param {KeyboardEvent} e */
    arrowTrack(e) {
      const way = { ArrowUp: 1, ArrowDown: -1 }[e.key];
      if (!way || !app.session.track) return;
      e.preventDefault();
      app.clips.setTrackHere({ gainDB: app.session.track.gainDB + way * (e.shiftKey ? 3 : 0.5) });
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
      if (Number.isNaN(db) || (how === "byDB" && db <= silent)) this.unread(text);
      else void app.mend.edit("gain", { clips: clips.map((c) => c.id), [how]: db });
    },
    /** A gain as a field shows it. @param {number} db */
    text: (db) => decibels(db),
    /** The gain of the track whose settings are shown. @param {HTMLInputElement} field */
    typeTrack(field) {
      const text = field.value,
        db = typedDecibels(text);
      field.value = decibels(app.session.track?.gainDB ?? 0);
      if (Number.isNaN(db)) this.unread(text);
      else app.clips.setTrackHere({ gainDB: db });
    },
    /** Ends music and room tone at a place, with a fade. @param {{at?: number, where?: string}} where */
    end(where) {
      void app.mend.edit("endTracks", where);
    },

    // ——— Loudness ———

    /** What is being listened to, in words. */
    matching: "",
    /** Brings the chosen clips to the speech of the first of them, or one alone to that of the clip before. */
    matchLike() {
      if (this.meant().length) void this.match({});
      else app.page.tell("Select a clip of sound, or a cut.");
    },
    /** Brings them to a loudness that is typed. @param {HTMLInputElement} field */
    typeLoudness(field) {
      const lufs = typed(field.value.replace(/\s*lufs$/i, ""));
      if (field.value.trim() !== "" && Number.isNaN(lufs)) app.page.tell(`“${field.value}” is not a loudness. Type −23, for LUFS.`);
      else if (field.value.trim() !== "") void this.match({ lufs });
      field.value = "";
    },
    /** @param {{lufs?: number}} to */
    async match(to) {
      await app.doc.settled();
      this.matching = "Listening to the speech…";
      try {
        const found = /** @type {MatchProposal} */ (
          await send("POST", `/reels/${app.doc.id}/match`, { clips: this.meant().map((c) => c.id), ...to })
        );
        if (found.edit && !(await app.mend.edit(found.edit.do, /** @type {any} */ (found.edit.with)))) return;
        app.page.tell(found.words);
      } catch (err) {
        app.page.tell(say(err));
      } finally {
        this.matching = "";
      }
    },

    /** By key. @param {number} by dB */
    nudge(by) {
      if (app.rides.count) return void app.rides.move({ byDB: by });
      const clips = this.meant();
      if (clips.length) void app.mend.edit("gain", { clips: clips.map((c) => c.id), byDB: by });
      else app.page.tell("Select a clip of sound, or a cut.");
    },
  });
