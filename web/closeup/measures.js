// What was measured at the chosen seam, the limits it is held against, and
// better cuts nearby.

import { el, panel } from "../lib/panel.js";
import { get, say } from "../app/api.js";
import { ms, shift, typed } from "../lib/timecode.js";

/** A number with a true minus sign. @param {number} v @param {number} [digits] */
const num = (v, digits = 1) =>
  v
    .toFixed(digits)
    .replace(/^-(0\.?0*)$/, "$1")
    .replace("-", "−");
/** The same with a plus where it is one. @param {number} v @param {number} [digits] */
const signed = (v, digits = 1) => (Number(v.toFixed(digits)) > 0 ? "+" : "") + num(v, digits);
/** A level, or a dash for silence. @param {number | undefined} v */
const level = (v) => (v === undefined || v <= -143 ? "–" : num(v));
/** @param {Finding | undefined} f */
const limits = (f) => (f ? [f.hear, f.mend].map((v) => (v < 0 ? "–" : String(Number(v.toFixed(1))))).join("/") : "");

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
        return;
      }
      const of = (/** @type {string} */ what) => j.findings?.find((f) => f.what === what),
        p = app.doc.props;
      const title = (/** @type {Finding | undefined} */ f) =>
        f
          ? `to check from ${f.hear < 0 ? "never" : `${f.hear} ${f.unit}`}, to mend from ${f.mend < 0 ? "never" : `${f.mend} ${f.unit}`}`
          : "not judged here";
      /** @type {any[]} */
      const rows = [];
      const row = (
        /** @type {string} */ name,
        /** @type {string} */ out,
        /** @type {string} */ into,
        /** @type {string} */ step,
        /** @type {Finding | undefined} */ f,
        /** @type {string} */ more,
      ) => rows.push({ name, out, in: into, step, limit: limits(f), verdict: f?.verdict ?? "none", title: `${more}; ${title(f)}` });
      const cut = s.kind === "cut",
        air = j.role === "dialogue" || j.role === "roomTone";
      if (j.hole) row("Hole", "", "", `${Math.round(ms(j.hole, p))} ms`, of("hole"), "digital silence from here on");
      const room = (/** @type {SeamSide | undefined} */ side) =>
        side && !side.known ? "?" : side?.gated && side.heard <= -79 ? "gated" : level(side?.heard);
      const step = j.known || s.kind === "head" || s.kind === "tail" ? `${signed(j.step)} dB` : "not known";
      if (air && s.kind === "struck") {
        row(
          "Room",
          room(j.out),
          level(j.in?.heard),
          step,
          of("struck"),
          `dBFS with all that sounds, around it and in it; this track alone ${level(j.out?.room)} and ${level(j.in?.room)}`,
        );
      }
      if (air && s.kind !== "struck")
        row(
          "Room tone",
          room(j.out),
          room(j.in),
          step,
          of("room"),
          j.unknown ??
            `±${num(j.unsure)} dB; dBFS above 188 Hz with all that sounds; alone ${level(j.out?.room)} and ${level(j.in?.room)}; ${signed(j.glide)} dB of it within 200 ms`,
        );
      if (cut && j.role !== "spots" && j.role !== "roomTone") {
        const step = j.out?.voiced && j.in?.voiced ? `${signed(j.in.voice - j.out.voice)} LU` : "";
        row(
          j.role === "music" ? "Music level" : "Voice level",
          j.out?.voiced ? num(j.out.voice) : "–",
          j.in?.voiced ? num(j.in.voice) : "–",
          step,
          of("voice"),
          "LUFS, ITU-R BS.1770, gated",
        );
      }
      row(
        "Click",
        "",
        "",
        j.click > -60 ? `${num(j.click, 0)} dB` : "none",
        of("click"),
        "peak above what is predicted from the sound around it",
      );
      if (cut && s.blend)
        row("Dip, swell", "", "", `${signed(j.dip)} dB`, of("dip"), "power through the blend against the line between its ends");
      if (cut && of("colour") && of("colour")?.verdict !== "fine")
        row("Spectrum", "", "", `${num(j.colour)} dB`, of("colour"), "distance of the rooms' third-octave spectra");
      if (of("word") && of("word")?.verdict !== "fine")
        row("Into sound", num(j.out?.edge ?? 0, 0), num(j.in?.edge ?? 0, 0), "", of("word"), "dB over the room on both sides");
      const seconds = (/** @type {number | undefined} */ n) => (n === undefined ? "" : (n / p.sampleRate).toFixed(2));
      // With a blend they are told in the close-up.
      if (cut && !s.blend) row("Handles", seconds(j.out?.handle), seconds(j.in?.handle), "s", undefined, "material beyond the edges");
      else if (!cut && s.kind !== "struck")
        row(
          "Peak",
          j.out && s.kind === "tail" ? level(j.out.peak) : "",
          j.in && s.kind === "head" ? level(j.in.peak) : "",
          "dBFS",
          undefined,
          "over a second",
        );
      const r = j.like && cut ? num(j.like.r, 2) : "";
      this.measured = {
        ...j,
        rows,
        mark: j.verdict,
        alike: r && `corr. ${r}${j.like?.held ? ", held" : ""}`,
        alikeTitle: `Correlation of the two sides${s.blend ? " over the blend" : " about the cut"}${j.like?.held ? ": the matched law reckons with −0.5, as less would ask for gains that grow without end" : ""}`,
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
