// The sweep: one action over many seams, shown with figures before and after,
// and done as one step.

import { el, panel } from "../lib/panel.js";
import { say, send } from "../app/api.js";
import { ask, nothingAsked } from "../app/asking.js";
import { listed } from "./listed.js";
import { shortAt } from "../lib/timecode.js";
import { count } from "../lib/words.js";

/** @param {import("../app/app.js").App} app */
export const sweeping = (app) =>
  panel({
    /** @type {any} */ now: null,

    /** Which seams a sweep can go over. */
    sweepScopes() {
      const seams = app.ledger.seams;
      const s = app.session.span,
        working = app.session.working;
      const tracks = [...working]
        .map((id) => app.doc.tracks.get(id)?.name)
        .filter(Boolean)
        .join(", ");
      return [
        { id: "mend", name: "all to mend", seams: seams.filter((/** @type {any} */ o) => app.ledger.asks(o) && o.verdict === "mend") },
        { id: "asks", name: "all to mend or to check", seams: seams.filter((/** @type {any} */ o) => app.ledger.asks(o)) },
        ...(s
          ? [
              {
                id: "span",
                name: "all in the span",
                seams: seams.filter((/** @type {any} */ o) => o.at >= s.from && o.at <= s.to && working.has(o.track)),
              },
            ]
          : []),
        { id: "track", name: `all on ${tracks || "the track"}`, seams: seams.filter((/** @type {any} */ o) => working.has(o.track)) },
        { id: "all", name: "all of the reel", seams },
      ];
    },
    /** How many seams the sweep of the ledger's button goes over. */
    sweepCount() {
      return listed(app.ledger.seams).counts.asks;
    },
    openSweep() {
      const scopes = this.sweepScopes(),
        first =
          scopes.find((/** @type {any} */ o) => o.id === "span" && o.seams.length) ??
          scopes.find((/** @type {any} */ o) => o.id === "asks" && o.seams.length) ??
          scopes.find((/** @type {any} */ o) => o.id === "all");
      this.now = {
        scopes: scopes.map((/** @type {any} */ o) => ({ id: o.id, name: `${o.name} (${o.seams.length})`, seams: o.seams })),
        scope: first?.id ?? "all",
        rows: [],
        revision: 0,
        ...nothingAsked(),
      };
      el("sweep").showModal();
      void this.propose();
    },
    /** @param {string} id */
    setScope(id) {
      this.now.scope = id;
      void this.propose();
    },
    async propose() {
      const w = this.now,
        scope = w.scopes.find((/** @type {any} */ o) => o.id === w.scope);
      w.rows = [];
      w.problem = scope.seams.length ? "" : "There are no such seams.";
      if (w.problem) return;
      const got = await ask(
        w,
        () => this.now === w,
        async (name, signal) => {
          await app.doc.settled();
          const seams = scope.seams.map((/** @type {Seam} */ s) => ({ left: s.left, right: s.right }));
          return send("POST", `/reels/${app.doc.id}/sweep`, { name, seams }, signal);
        },
      );
      if (!got) return;
      w.revision = got.revision;
      w.rows = got.rows
        .map((/** @type {SweepRow} */ r, /** @type {number} */ i) => this.sweepRow(r, i))
        .sort(
          (/** @type {any} */ a, /** @type {any} */ b) => Number(b.can) - Number(a.can) || b.before.score - a.before.score || a.at - b.at,
        );
    },
    /** @param {SweepRow} r @param {number} i */
    sweepRow(r, i) {
      const s = app.ledger.rowFor(r);
      const can = Boolean(r.edit) && !r.worse;
      const brief = (/** @type {Judged | undefined} */ j) => (!j ? "" : j.verdict === "fine" ? "fine" : j.brief);
      return {
        ...r,
        i,
        key: `${r.left}-${r.right}`,
        at: s?.at ?? 0,
        title: s?.title ?? "",
        time: s ? shortAt(s.at, app.doc.props) : "",
        can,
        take: (can && r.before.verdict !== "fine") || (can && this.now.scope !== "all"),
        was: brief(r.before),
        then: brief(r.after),
        says: can ? r.says : r.why,
      };
    },
    /** How many rows are taken, and what becomes of them. */
    sweepSays() {
      const w = this.now;
      if (!w || w.busy || w.problem) return "";
      const taken = w.rows.filter((/** @type {any} */ r) => r.take),
        worse = w.rows.filter((/** @type {any} */ r) => r.worse);
      const left = (/** @type {string} */ v) =>
        w.rows.filter((/** @type {any} */ r) => (r.take && r.after ? r.after.verdict : r.before.verdict) === v).length;
      const then = `after it ${left("mend")} to mend, ${left("check")} to check`;
      return `${taken.length} of ${count(w.rows.length, "seam")} mended · ${then}${worse.length ? ` · left out as it would make them worse: ${worse.map((/** @type {any} */ r) => r.title).join(", ")}` : ""}`;
    },
    sweepTaken() {
      return this.now?.rows.filter((/** @type {any} */ r) => r.take).length ?? 0;
    },
    /** @param {any} row */
    toggleRow(row) {
      if (row.can) row.take = !row.take;
    },
    /** Hears a row as it would be, before anything is done. @param {any} row */
    async hearRow(row) {
      if (!row.edit) return;
      try {
        const r = await app.doc.dryRun(row.edit.do, row.edit.with, undefined, false, true),
          s = app.ledger.rowFor(row);
        if (s) {
          app.ledger.setSeam(s);
          void app.listen.playSeam("blend", r.trial);
        }
      } catch (err) {
        this.now.problem = say(err);
      }
    },
    async doSweep() {
      const w = this.now,
        taken = w.rows.filter((/** @type {any} */ r) => r.take && r.edit);
      if (!taken.length) return;
      /** @type {Edit[]} */
      const edits = taken
        .sort((/** @type {any} */ a, /** @type {any} */ b) => a.i - b.i)
        .flatMap((/** @type {any} */ r) => (r.edit.do === "together" ? r.edit.with.edits : [r.edit]));
      try {
        await app.doc.edit("together", { label: `sweep ${taken.length} ${taken.length === 1 ? "seam" : "seams"}`, edits });
        el("sweep").close();
        app.page.hint = `Swept ${count(taken.length, "seam")} as one step`;
      } catch (err) {
        w.problem = say(err);
      }
    },
    dropSweep() {
      el("sweep").close();
    },
    closeSweep() {
      this.now?.abort?.abort();
      app.listen.heardAs = "";
      if (app.session.playing) app.player.stop();
      this.now = null;
    },
  });
