// Evening out: the speech of many clips brought to one loudness, shown row by row
// with what becomes of each, and done as one step.

import { el, panel } from "../lib/panel.js";
import { say, send } from "../app/api.js";
import { ask, nothingAsked } from "../app/asking.js";
import { decibels } from "../lib/decibels.js";
import { shortAt, typed } from "../lib/timecode.js";
import { count } from "../lib/words.js";

/** A loudness as it is read. @param {number} v */
const lufs = (v) => v.toFixed(1).replace("-", "−");

/** @param {import("../app/app.js").App} app */
export const evening = (app) =>
  panel({
    /** @type {any} */ now: null,

    /** The clips that can be evened out: of dialogue. */
    scopes() {
      const s = app.session.span,
        { working } = app.session;
      const all = [...app.doc.clips.values()].filter((c) => app.doc.tracks.get(c.track)?.role === "dialogue"),
        chosen = app.levels.clips();
      const list = [
        ...(chosen.length > 1 ? [{ id: "chosen", name: "the selected clips", clips: chosen }] : []),
        ...(s
          ? [
              {
                id: "span",
                name: "dialogue in the span, on active tracks",
                clips: all.filter((c) => working.has(c.track) && c.start < s.to && c.start + c.length > s.from),
              },
            ]
          : []),
        { id: "all", name: "all dialogue", clips: all },
        { id: "track", name: "dialogue on active tracks", clips: all.filter((c) => working.has(c.track)) },
      ];
      return list.map((o) => ({ ...o, name: `${o.name} (${o.clips.length})` }));
    },
    open() {
      const scopes = this.scopes();
      this.now = { scopes, scope: scopes[0].id, how: "all", lufs: "", rows: [], ...nothingAsked() };
      el("even").showModal();
      void this.propose();
    },
    /** @param {string} id */
    setScope(id) {
      this.now.scope = id;
      void this.propose();
    },
    /** @param {string} how */
    setHow(how) {
      this.now.how = how;
      if (how !== "lufs") this.now.lufs = "";
      else if (this.now.lufs === "") this.now.lufs = "−23";
      void this.propose();
    },
    /** @param {HTMLInputElement} field */
    typeTarget(field) {
      const v = typed(field.value.replace(/\s*lufs$/i, ""));
      if (Number.isNaN(v)) this.now.problem = `“${field.value}” is not a loudness. Type −23, for LUFS.`;
      else {
        this.now.lufs = field.value.trim();
        this.now.how = "lufs";
        void this.propose();
      }
    },
    async propose() {
      const w = this.now,
        { clips } = w.scopes.find((/** @type {any} */ o) => o.id === w.scope);
      w.rows = [];
      w.problem = clips.length ? "" : "There are no such clips.";
      if (w.problem) return;
      const got = await ask(
        w,
        () => this.now === w,
        async (name, signal) => {
          await app.doc.settled();
          const to = w.how === "lufs" ? { lufs: typed(w.lufs) } : w.how === "track" ? { perTrack: true } : {};
          return send("POST", `/reels/${app.doc.id}/even-out`, { name, clips: clips.map((/** @type {Clip} */ c) => c.id), ...to }, signal);
        },
      );
      if (got) w.rows = got.rows.map((/** @type {EvenRow} */ r) => this.row(r));
    },
    /** @param {EvenRow} r */
    row(r) {
      const can = Boolean(r.edit);
      return {
        ...r,
        can,
        take: can && !r.over,
        time: shortAt(r.start, app.doc.props),
        on: app.doc.tracks.get(r.track)?.name ?? "",
        was: r.before < 0 && r.before > -100 ? lufs(r.before) : "",
        then: r.why ? "" : lufs(r.after),
        says: r.why || (r.byDB ? `${decibels(r.byDB)} dB` : "as it is"),
        peakText: r.why ? "" : r.peak <= -200 ? "silent" : decibels(Math.round(10 * r.peak) / 10),
      };
    },
    taken() {
      return this.now?.rows.filter((/** @type {any} */ r) => r.take).length ?? 0;
    },
    says() {
      const w = this.now;
      if (!w || w.busy || w.problem) return "";
      const over = w.rows.filter((/** @type {any} */ r) => r.over).length,
        left = w.rows.filter((/** @type {any} */ r) => r.why).length;
      return [
        `${this.taken()} of ${count(w.rows.length, "clip")} changed`,
        over ? `${over} would reach full scale` : "",
        left ? `${left} left as ${left === 1 ? "it is" : "they are"}` : "",
      ]
        .filter(Boolean)
        .join(" · ");
    },
    /** @param {any} row */
    toggle(row) {
      if (row.can) row.take = !row.take;
    },
    /** Hears a clip as it would be, before anything is done. @param {any} row */
    async hear(row) {
      try {
        const r = row.edit && (await app.doc.dryRun(row.edit.do, row.edit.with, undefined, false, true)),
          c = app.doc.clips.get(row.clip);
        if (c) app.listen.playTrial(c.start, c.start + c.length, r?.trial ?? "");
      } catch (err) {
        this.now.problem = say(err);
      }
    },
    async go() {
      const w = this.now,
        edits = w.rows.flatMap((/** @type {any} */ r) => (r.take ? [r.edit] : []));
      if (!edits.length) return;
      try {
        await app.doc.edit("together", { label: `even out ${count(edits.length, "clip")}`, edits });
        el("even").close();
        app.page.hint = `Evened out ${count(edits.length, "clip")} as one step`;
      } catch (err) {
        w.problem = say(err);
      }
    },
    /** @param {{name: string, progress: number}} news */
    tell({ name, progress }) {
      if (this.now?.name === name) this.now.progress = progress;
    },
    drop() {
      el("even").close();
    },
    closed() {
      this.now?.abort?.abort();
      app.listen.heardAs = "";
      if (app.session.playing) app.player.stop();
      this.now = null;
    },
  });
