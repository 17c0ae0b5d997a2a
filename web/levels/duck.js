// Ducking: a track that goes down under speech and comes back.

import { panel } from "../lib/panel.js";
import { get, say, send } from "../app/api.js";
import { typed } from "../lib/timecode.js";
import { typedDecibels } from "../lib/decibels.js";

/** @typedef {"down" | "hold" | "up" | "ahead" | "bridge"} Span */

/** @param {import("../app/app.js").App} app */
export const ducking = (app) =>
  panel({
    busy: "",
    /** The tracks whose duck no longer follows the speech. @type {number[]} */
    stale: [],
    /** The fields of a way of ducking, with their names and what they mean. @type {[Span, string, string][]} */
    spans: [
      ["down", "Slope down, s", "How long it takes to go down"],
      ["ahead", "Before, s", "How long before speech it begins to go down"],
      ["hold", "Hold, s", "How long it stays down after speech"],
      ["up", "Slope up, s", "How long it takes to come back"],
      ["bridge", "Bridge, s", "Pauses shorter than this do not count"],
    ],

    /** The settings that are shown: of the track, or what is usual. @returns {Ducking | null} */
    like() {
      return app.session.track?.duck ?? app.doc.usual?.duck ?? null;
    },
    /** @param {Span} which */
    seconds(which) {
      const d = this.like();
      return d ? String(Math.round((d[which] / app.doc.props.sampleRate) * 1000) / 1000) : "";
    },
    depth() {
      return this.like()?.byDB ?? "";
    },
    /** Whether the track that is shown goes down under speech. */
    on() {
      const t = app.session.track;
      return Boolean(t && app.doc.lines.has(-t.id));
    },

    /** Sets one field, and makes the duck so. @param {Span | "byDB"} which @param {HTMLInputElement} field */
    type(which, field) {
      const d = this.like(),
        text = field.value,
        n = which === "byDB" ? Math.abs(typedDecibels(text)) : typed(text);
      field.value = which === "byDB" ? String(this.depth()) : this.seconds(which);
      if (Number.isNaN(n) || n < 0) app.page.tell(`“${text}” is not ${which === "byDB" ? "a number of dB" : "a number of seconds"}.`);
      else if (d && app.session.track)
        void this.make(app.session.track.id, { ...d, [which]: which === "byDB" ? n : Math.round(n * app.doc.props.sampleRate) });
    },

    /** Ducks the track that is shown. Else what no longer follows the speech is brought up to date, wherever one works; else of the active tracks that hold no dialogue the first is ducked, music before others. */
    here() {
      if (!app.session.track && this.stale.length) {
        void this.update();
        return;
      }
      const active = app.clips.tracks.filter((o) => app.session.working.has(o.id) && o.role !== "dialogue" && o.role !== "picture"),
        music = (/** @type {Track} */ o) => o.role === "music";
      const t = app.session.track ?? active.find(music) ?? active[0] ?? app.clips.tracks.find(music);
      if (t) void this.make(t.id);
      else app.page.tell("Activate the track that is to go down under speech.");
    },
    /** @param {number} track @param {Ducking} [like] */
    make(track, like) {
      return this.ask({ track, ...(like ? { like } : {}) });
    },
    /** Brings all ducks up to date that no longer follow the speech. */
    update() {
      return this.ask({});
    },
    /** @param {{track?: number, like?: Ducking}} what */
    async ask(what) {
      await app.doc.settled();
      this.busy = "Listening for speech…";
      try {
        const found = /** @type {DuckProposal} */ (await send("POST", `/reels/${app.doc.id}/duck`, what));
        if (found.edit) await app.mend.edit(found.edit.do, /** @type {any} */ (found.edit.with));
      } catch (err) {
        app.page.tell(say(err));
      } finally {
        this.busy = "";
      }
    },
    lift() {
      if (app.session.track) void app.mend.edit("liftDuck", { track: app.session.track.id });
    },

    /** Where somebody speaks is read for tracks that go down under it, when a change may have moved that. @param {Change | undefined} change none where the reel was read anew */
    touch(change) {
      if (change && !change.clips && !change.shifts && !change.tracks && !change.strikes && !change.points) return;
      clearTimeout(this.soon);
      if (![...app.doc.tracks.values()].some((t) => t.duck)) this.stale = [];
      else this.soon = setTimeout(() => void this.read(), 600);
    },
    /** @type {ReturnType<typeof setTimeout> | undefined} */ soon: undefined,
    async read() {
      const found = /** @type {Speech | null} */ (await get(`/reels/${app.doc.id}/speech`).catch(() => null));
      if (!found) return; // it is shown as it was
      app.timeline.speech = found.speech ?? [];
      this.stale = found.stale ?? [];
      app.timeline.redraw();
    },
  });
