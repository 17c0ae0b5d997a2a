// What was measured at the chosen seam, the limits it is held against, and
// better cuts nearby.

import { el, panel } from "../lib/panel.js";
import { measuredRows, num } from "./rows.js";
import { get, say } from "../app/api.js";
import { shift, typed } from "../lib/timecode.js";

/** What the limits are of, and in which unit. */
const kinds = [
  ["click", "Click", "dB over prediction"],
  ["room", "Room tone step", "dB within 200 ms"],
  ["colour", "Room spectrum", "dB between spectra"],
  ["voice", "Voice level step", "LU"],
  ["dip", "Dip or swell", "dB through the blend"],
  ["hole", "Hole", "ms of digital silence"],
  ["word", "Cut into sound", "dB over the room"],
];
/** As core ships them. */
const shipped = /** @type {Record<string, Tolerance>} */ (JSON.parse(document.body.dataset.limits ?? "{}"));

/** @param {import("../app/app.js").App} app */
export const measures = (app) =>
  panel({
    /** @type {any} */ measured: null,
    /** @type {any[]} what the card shows: while a seam is measured, the rows of the one before without figures, so that the card stands still */
    rows: [],
    /** Whether the server could not be asked about the chosen seam. */
    unread: false,
    /** What stands over the close-up. */
    verdictText() {
      return this.measured?.why ?? (this.unread ? "Not measured: the server does not answer. Trying again…" : "Measuring…");
    },
    view: "wave",
    /** @type {any} */ better: null,
    /** @type {any[]} */ limitRows: [],
    limitsProblem: "",

    /** Takes what was measured at the seam, or what an edit would make of it. */
    takeMeasured() {
      const j = app.close.info?.judged,
        s = app.session.seam;
      this.unread = app.close.unread;
      if (!j || !s) {
        this.measured = null;
        this.rows = this.unread ? [] : this.rows.map((r) => ({ ...r, out: "", in: "", step: "", verdict: "measuring" }));
        return;
      }
      const r = j.like && s.kind === "cut" ? num(j.like.r, 2) : "",
        held = j.like?.held;
      this.rows = measuredRows(j, s, app.doc.props);
      this.measured = {
        ...j,
        mark: j.verdict,
        alike: r && `corr. ${r}${held ? ", held" : ""}`,
        alikeTitle: `Correlation of the two sides${s.blend ? " over the blend" : " about the cut"}${held ? ": the matched law reckons with −0.5, as less would ask for gains that grow without end" : ""}`,
      };
    },

    /** Whether the chosen seam is marked as heard and found good. */
    acceptedNow() {
      return Boolean(app.ledger.rowFor(app.session.seam)?.accepted);
    },
    /** @param {string} view */
    setView(view) {
      this.view = view;
      if (view !== "picture") app.close.setView(view);
      app.picture.drawn = {};
      setTimeout(() => {
        app.splitLine.redraw();
        app.close.redraw();
        void app.lead.readLeads();
      });
    },

    // ——— Limits ———

    openLimits() {
      const own = /** @type {Record<string, Tolerance | undefined>} */ (app.doc.props.limits ?? {});
      this.limitsProblem = "";
      this.limitRows = kinds.map(([id, name, unit]) => {
        const text = (/** @type {"hear" | "mend"} */ k) => {
          const v = own[id]?.[k] || shipped[id][k];
          return v < 0 ? "" : String(v);
        };
        return { id, name, unit, hear: text("hear"), mend: text("mend") };
      });
      el("limits").showModal();
    },
    restoreLimits() {
      this.limitRows = this.limitRows.map((/** @type {any} */ r) => ({
        ...r,
        hear: shipped[r.id].hear < 0 ? "" : String(shipped[r.id].hear),
        mend: shipped[r.id].mend < 0 ? "" : String(shipped[r.id].mend),
      }));
    },
    async saveLimits() {
      /** @type {Record<string, Tolerance>} */
      const out = {};
      for (const r of this.limitRows) {
        const read = (/** @type {string} */ v) => (String(v).trim() === "" ? -1 : typed(v)),
          hear = read(r.hear),
          mend = read(r.mend);
        if (![hear, mend].every((v) => Number.isFinite(v) && (v > 0 || v === -1))) {
          this.limitsProblem = `${r.name}: a limit is a number above 0, or nothing for never.`;
          return;
        }
        if (hear !== shipped[r.id].hear || mend !== shipped[r.id].mend) out[r.id] = { hear, mend };
      }
      try {
        await app.doc.edit("setReel", { limits: out });
        el("limits").close();
      } catch (err) {
        this.limitsProblem = say(err);
      }
    },

    // ——— Better cuts ———

    /** Looks within a few frames for places where the join is quieter and more alike. */
    async findBetter() {
      const s = app.session.seam;
      if (!s || s.kind !== "cut") {
        app.page.tell("Select a seam where two clips meet to look for a better cut.");
        return;
      }
      try {
        const { places } = await get(`/reels/${app.doc.id}/better?left=${s.left}&right=${s.right}&frames=4`),
          p = app.doc.props;
        /** @type {any[]} */
        const rows = places.map((/** @type {BetterCut} */ b, /** @type {number} */ i) => ({
          ...b,
          n: i,
          name: i === 0 ? "As it is" : [b.by ? shift(b.by, p) : "", b.slip ? `slip ${shift(b.slip, p)}` : ""].filter(Boolean).join(", "),
          columns: [num(b.level, 0), num(20 * Math.log10(Math.max(b.jump, 1e-6)), 0), num(b.r, 2), b.click > -60 ? num(b.click, 0) : "–"],
          figures: [
            `${num(b.level, 0)} dBFS`,
            `a step of ${num(20 * Math.log10(Math.max(b.jump, 1e-6)), 0)} dB`,
            `correlation ${num(b.r, 2)}`,
            b.click > -60 ? `click ${num(b.click, 0)}` : "no click",
          ].join(" · "),
        }));
        this.better = { rows, at: 0, left: s.left, right: s.right };
        if (rows.length === 1) app.page.tell("No better cut within four frames.");
        else Alpine.nextTick(() => el("better")?.focus());
      } catch (err) {
        app.page.tell(say(err));
      }
    },
    /** Chooses a place and lets it be heard before it is taken. @param {number} n */
    async hearBetter(n) {
      const b = this.better;
      if (!b) return;
      b.at = Math.min(Math.max(n, 0), b.rows.length - 1);
      const edit = b.rows[b.at].edit;
      if (!edit) {
        app.listen.heardAs = "";
        app.close.trial = false;
        void app.close.read();
        void app.listen.playSeam("blend");
        return;
      }
      try {
        app.close.trial = true;
        const r = await app.doc.dryRun(edit.do, edit.with, app.close.query, false, true);
        if (this.better !== b) return;
        if (r.closeUp) app.close.rehearse(r.closeUp, r.change);
        void app.listen.playSeam("blend", r.trial);
      } catch (err) {
        app.page.tell(say(err));
      }
    },
    /** @param {number} n */
    async takeBetter(n) {
      const edit = this.better?.rows[n]?.edit;
      this.closeBetter();
      if (edit) await app.mend.edit(edit.do, edit.with);
    },
    /** Better cuts are of one seam: going on leaves them. */
    leaveBetter() {
      if (!this.better) return false;
      this.better = null;
      app.listen.heardAs = "";
      app.close.trial = false;
      return true;
    },
    closeBetter() {
      if (!this.leaveBetter()) return;
      void app.close.read();
      app.timeline.parts.tracks.focus({ preventScroll: true });
    },
  });
