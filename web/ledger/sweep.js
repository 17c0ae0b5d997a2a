// The sweep: one action over many seams, shown with figures before and after,
// and done as one step.

import { say, send } from "../app/api.js";
import { listed } from "./listed.js";
import { shortAt } from "../lib/timecode.js";
import { count } from "../lib/words.js";

/** @param {string} id @returns {any} */
const el = (id) => document.getElementById(id);

/**
 * @param {import("../app/bench.js").Tools} tools
 * @returns {object & ThisType<any>}
 */
export const sweeping = (tools) => ({
  /** @type {any} */ sweep: null,

  /** Which seams a sweep can go over. */
  sweepScopes() {
    /** @type {any[]} */
    const seams = this.seams;
    const s = tools.timeline.span, working = tools.timeline.working;
    const tracks = [...working].map((id) => tools.doc.tracks.get(id)?.name).filter(Boolean).join(", ");
    return [
      { id: "mend", name: "all to mend", seams: seams.filter((/** @type {any} */ o) => this.asks(o) && o.verdict === "mend") },
      { id: "asks", name: "all to mend or to check", seams: seams.filter((/** @type {any} */ o) => this.asks(o)) },
      ...(s ? [{ id: "span", name: "all in the span", seams: seams.filter((/** @type {any} */ o) => o.at >= s.from && o.at <= s.to && working.has(o.track)) }] : []),
      { id: "track", name: `all on ${tracks || "the track"}`, seams: seams.filter((/** @type {any} */ o) => working.has(o.track)) },
      { id: "all", name: "all of the reel", seams },
    ];
  },
  /** How many seams the sweep of the ledger's button goes over. */
  sweepCount() {
    return listed(this.seams).counts.asks;
  },
  openSweep() {
    const scopes = this.sweepScopes(), first = scopes.find((/** @type {any} */ o) => o.id === "span" && o.seams.length) ?? scopes.find((/** @type {any} */ o) => o.id === "asks" && o.seams.length) ?? scopes.find((/** @type {any} */ o) => o.id === "all");
    this.sweep = { scopes: scopes.map((/** @type {any} */ o) => ({ id: o.id, name: `${o.name} (${o.seams.length})`, seams: o.seams })), scope: first?.id ?? "all", rows: [], busy: false, progress: 0, problem: "", turn: 0, revision: 0, abort: null };
    el("sweep").showModal();
    void this.propose();
  },
  /** @param {string} id */
  setScope(id) {
    this.sweep.scope = id;
    void this.propose();
  },
  async propose() {
    const w = this.sweep, scope = w.scopes.find((/** @type {any} */ o) => o.id === w.scope), turn = ++w.turn;
    w.abort?.abort();
    w.abort = new AbortController();
    w.rows = [];
    w.problem = scope.seams.length ? "" : "There are no such seams.";
    if (w.problem) return;
    w.busy = true;
    w.progress = 0;
    w.name = `${Date.now()}-${turn}`;
    try {
      await tools.doc.settled();
      const got = await send("POST", `/reels/${tools.doc.id}/sweep`, { name: w.name, seams: scope.seams.map((/** @type {Seam} */ s) => ({ left: s.left, right: s.right })) }, w.abort.signal);
      if (this.sweep !== w || turn !== w.turn) return;
      w.revision = got.revision;
      w.rows = got.rows.map((/** @type {SweepRow} */ r, /** @type {number} */ i) => this.sweepRow(r, i)).sort((/** @type {any} */ a, /** @type {any} */ b) => Number(b.can) - Number(a.can) || b.before.score - a.before.score || a.at - b.at);
    } catch (err) {
      if (this.sweep === w && turn === w.turn) w.problem = say(err);
    } finally {
      if (this.sweep === w && turn === w.turn) w.busy = false;
    }
  },
  /** @param {SweepRow} r @param {number} i */
  sweepRow(r, i) {
    const s = this.rowFor(r);
    const can = Boolean(r.edit) && !r.worse;
    const brief = (/** @type {Judged | undefined} */ j) => (!j ? "" : j.verdict === "fine" ? "fine" : j.brief);
    return { ...r, i, key: `${r.left}-${r.right}`, at: s?.at ?? 0, title: s?.title ?? "", time: s ? shortAt(s.at, tools.doc.props) : "", can, take: can && r.before.verdict !== "fine" || can && this.sweep.scope !== "all", was: brief(r.before), then: brief(r.after), says: can ? r.says : r.why };
  },
  /** How many rows are taken, and what becomes of them. */
  sweepSays() {
    const w = this.sweep;
    if (!w || w.busy || w.problem) return "";
    const taken = w.rows.filter((/** @type {any} */ r) => r.take), worse = w.rows.filter((/** @type {any} */ r) => r.worse);
    const left = (/** @type {string} */ v) => w.rows.filter((/** @type {any} */ r) => (r.take && r.after ? r.after.verdict : r.before.verdict) === v).length;
    const then = `after it ${left("mend")} to mend, ${left("check")} to check`;
    return `${taken.length} of ${count(w.rows.length, "seam")} mended · ${then}${worse.length ? ` · left out as it would make them worse: ${worse.map((/** @type {any} */ r) => r.title).join(", ")}` : ""}`;
  },
  sweepTaken() {
    return this.sweep?.rows.filter((/** @type {any} */ r) => r.take).length ?? 0;
  },
  /** @param {any} row */
  toggleRow(row) {
    if (row.can) row.take = !row.take;
  },
  /** Hears a row as it would be, before anything is done. @param {any} row */
  async hearRow(row) {
    if (!row.edit) return;
    try {
      const r = await tools.doc.dryRun(row.edit.do, row.edit.with, undefined, false, true), s = this.rowFor(row);
      if (s) {
        this.setSeam(s);
        void this.playSeam("blend", r.trial);
      }
    } catch (err) {
      this.sweep.problem = say(err);
    }
  },
  async doSweep() {
    const w = this.sweep, taken = w.rows.filter((/** @type {any} */ r) => r.take && r.edit);
    if (!taken.length) return;
    /** @type {Edit[]} */
    const edits = taken.sort((/** @type {any} */ a, /** @type {any} */ b) => a.i - b.i).flatMap((/** @type {any} */ r) => (r.edit.do === "together" ? r.edit.with.edits : [r.edit]));
    try {
      await tools.doc.edit("together", { label: `sweep ${taken.length} ${taken.length === 1 ? "seam" : "seams"}`, edits });
      el("sweep").close();
      this.hint = `Swept ${count(taken.length, "seam")} as one step`;
    } catch (err) {
      w.problem = say(err);
    }
  },
  dropSweep() {
    el("sweep").close();
  },
  closeSweep() {
    this.sweep?.abort?.abort();
    this.heardAs = "";
    if (this.playing) tools.player.stop();
    this.sweep = null;
  },
});
