// The ledger: every seam with its verdict, the worst first or by time; going
// from one to the next, marking one as heard, and playing through them.

import { say, send } from "../app/api.js";
import { leadWords } from "../picture/split.js";
import { asks, keyOf, listed, worstOf } from "./listed.js";
import { frames, shortAt, span } from "../lib/timecode.js";

/** Height of a row of the ledger, as in app.css. */
const rowHeight = 46;

/** Rows by the seams that they were made of. @type {WeakMap<Seam, {row: any, number: number, revision: number}>} */
const made = new WeakMap();

/** @param {string} id @returns {any} */
const el = (id) => document.getElementById(id);

/** Verdicts in words, for those who do not see the marks. */
const words = { fine: "fine", muted: "not heard", unknown: "room not known", check: "to check", mend: "to mend", "": "being measured" };

/**
 * @param {import("../app/bench.js").Tools} tools
 * @returns {object & ThisType<any>}
 */
export const ledger = (tools) => ({
  filter: "all",
  order: "worst",
  ledgerTop: 0,
  ledgerHeight: 600,
  measuring: "",
  /** @type {{worst: number} | null} how bad the chosen seam was when one came to it */
  held: null,
  /** @type {{list: Seam[], at: number} | null} seams that are played one after the other */
  walking: null,

  /** The row of a seam, made anew only where the seam, its place or the reel has changed. @param {Seam} s @param {number} i */
  rowKept(s, i) {
    const was = made.get(s);
    if (was && was.number === i + 1 && was.revision === tools.doc.revision) return was.row;
    const row = Object.freeze(this.rowOf(s, i));
    made.set(s, { row, number: i + 1, revision: tools.doc.revision });
    return row;
  },
  /** A seam as the list shows it. @param {Seam} s @param {number} i */
  rowOf(s, i) {
    const doc = tools.doc, p = doc.props;
    const left = doc.clips.get(s.left)?.name ?? "", right = doc.clips.get(s.right)?.name ?? "";
    const b = doc.blends.get(s.blend), c = doc.clips.get(s.right || s.left), f = s.kind === "head" ? c?.fadeIn : c?.fadeOut;
    const fr = (/** @type {number} */ n) => frames(n, p).toFixed(1).replace(/\.0$/, "");
    if (s.kind === "struck") return this.struckRow(s, i, left);
    let note = "hard cut";
    if (b) note = `blend ${fr(b.before + b.after)} fr${s.to ? ", over two tracks" : ""}`;
    else if (s.kind !== "cut") note = f?.length ? `fade ${s.kind === "head" ? "in" : "out"} ${fr(f.length)} fr` : s.kind === "head" ? "begins hard" : "ends hard";
    if (s.kind === "tail" && s.gap) note += `, then ${span(s.gap, p)} of gap`;
    if (s.cut && Math.abs(s.cut.lag) > 1) note = `${leadWords(-frames(s.cut.lag, p))}, ${note}`;
    const off = doc.off.get(s.right) ?? doc.off.get(s.left);
    const title = s.kind === "cut" ? `${left} → ${right}` : s.kind === "head" ? `▸ ${right}` : `${left} ▪`;
    const judged = s.accepted && s.verdict !== "fine" ? "accepted" : s.verdict || "measuring";
    const why = off ? `${off.words}${s.brief && s.verdict !== "fine" ? ` · ${s.brief}` : ""}` : s.brief && s.verdict !== "fine" ? (s.accepted ? `accepted, ${s.brief}` : s.brief) + (s.cut && Math.abs(s.cut.lag) > 1 ? ` · ${leadWords(-frames(s.cut.lag, p))}` : "") : note;
    return { ...s, number: i + 1, title, note, why, judged, word: s.accepted && s.verdict !== "fine" ? "accepted" : words[s.verdict], time: shortAt(s.at, p), role: doc.tracks.get(s.track)?.role };
  },

  /** A struck span as the list shows it. @param {Seam} s @param {number} i @param {string} name of its clip */
  struckRow(s, i, name) {
    const k = tools.doc.strikes.get(s.right), p = tools.doc.props;
    const note = `${k?.lowerDB ? `lowered by ${k.lowerDB} dB` : "struck"}, ${span(s.gap, p)}${k?.cover ? ", covered" : ""}`;
    const judged = s.accepted && s.verdict !== "fine" ? "accepted" : s.verdict || "measuring";
    const why = s.brief && s.verdict !== "fine" ? (s.accepted ? `accepted, ${s.brief}` : s.brief) : note;
    return { ...s, number: i + 1, title: `${name} ╱╱ ${k?.lowerDB ? "lowered" : "struck"}`, note, why, judged, word: s.accepted && s.verdict !== "fine" ? "accepted" : words[s.verdict], time: shortAt(s.at, p), role: tools.doc.tracks.get(s.track)?.role };
  },

  /** Whether a seam still asks for something. @param {Seam} s */
  asks(s) {
    return asks(s);
  },
  /** The row of a seam, or undefined. @param {{left: number, right: number} | null} s */
  rowFor(s) {
    return s ? listed(this.seams).rows.get(keyOf(s)) : undefined;
  },

  /** Seams that the filter lets through, by time. */
  get along() {
    return listed(this.seams).through(this.filter).along;
  },
  /** The same in the order of the list. The chosen seam keeps its place while it is mended, and sinks when one goes on. */
  get shown() {
    if (this.order === "time") return this.along;
    const s = this.seam;
    return listed(this.seams).through(this.filter).sorted(s ? keyOf(s) : "", s ? this.held?.worst : undefined);
  },
  /** Remembers how bad the chosen seam was when one came to it. */
  holdSeam() {
    const s = this.rowFor(this.seam);
    this.held = s && s.verdict ? { worst: worstOf(s) } : null;
  },
  /** @param {string} kind */
  countOf(kind) {
    return listed(this.seams).counts[kind];
  },
  toggleOrder() {
    this.order = this.order === "worst" ? "time" : "worst";
    this.$nextTick(() => this.bringRow());
  },

  // Only the rows in sight are made, so that thousands of seams stay light.
  get firstRow() {
    return Math.max(Math.floor(this.ledgerTop / rowHeight) - 4, 0);
  },
  get rows() {
    return this.shown.slice(this.firstRow, this.firstRow + Math.ceil(this.ledgerHeight / rowHeight) + 8);
  },
  get padTop() {
    return `${this.firstRow * rowHeight}px`;
  },
  get padBottom() {
    return `${Math.max(this.shown.length - this.firstRow - this.rows.length, 0) * rowHeight}px`;
  },

  /** What was measured meanwhile comes into the rows. */
  takeRated() {
    const place = () => this.placeShown(), was = place(), box = el("ledger");
    const seen = was >= 0 && was * rowHeight >= box.scrollTop - rowHeight && was * rowHeight < box.scrollTop + box.clientHeight;
    // Frozen, so that the page does not watch each of thousands of rows: they are always made anew.
    this.seams = Object.freeze(tools.doc.seams.map((s, i) => this.rowKept(s, i)));
    this.tellMeasuring();
    if (!this.held) this.holdSeam();
    // What one looks at stays where it is, however the others are ordered anew.
    const now = place();
    // At the top of the list the worst stay in sight, as long as it is there too.
    const atTop = box.scrollTop === 0 && (now + 1) * rowHeight <= box.clientHeight;
    if (seen && now >= 0 && now !== was && !atTop) this.$nextTick(() => (box.scrollTop += (now - was) * rowHeight));
    tools.timeline.redraw();
  },
  tellMeasuring() {
    const left = tools.doc.seams.filter((s) => !s.verdict || s.stale).length;
    this.measuring = left ? `measuring ${left} of ${tools.doc.seams.length}` : "";
  },

  /** The place of the chosen seam in the list as shown, −1 where it is not. */
  placeShown() {
    const row = this.rowFor(this.seam);
    return row ? this.shown.indexOf(row) : -1;
  },
  /** Scrolls the ledger to the chosen seam. */
  bringRow() {
    const i = this.placeShown(), box = el("ledger");
    if (i < 0) return;
    if (i * rowHeight < box.scrollTop) box.scrollTop = i * rowHeight;
    else if ((i + 1) * rowHeight > box.scrollTop + box.clientHeight) box.scrollTop = (i + 1) * rowHeight - box.clientHeight;
  },

  /**
   * Goes along a list from the chosen seam, or from its place when it has left the list by being mended.
   * @param {any[]} list @param {number} by
   */
  stepAlong(list, by) {
    if (!list.length) return null;
    let i = list.indexOf(this.rowFor(this.seam));
    if (i < 0) {
      const here = this.seam?.at ?? tools.timeline.playhead, next = list.findIndex((s) => s.at >= here);
      i = (next < 0 ? list.length : next) - (by > 0 ? 1 : 0);
    }
    const next = list[Math.min(Math.max(i + by, 0), list.length - 1)];
    this.chooseSeam(next);
    if (["blend", "hard"].includes(this.hearing)) void this.playSeam(this.hearing);
    return next;
  },
  /** By time, through the seams that the filter shows. @param {number} by */
  stepSeam(by) {
    this.stepAlong(this.along, by);
  },
  /** Down the list as it stands. @param {number} by */
  stepRow(by) {
    this.stepAlong(this.shown, by);
  },
  /** To the next or previous seam that is not fine, by time, and round again. @param {number} by */
  stepBad(by) {
    /** @type {any[]} */
    const all = this.seams, list = all.filter((s) => this.asks(s));
    if (!list.length) {
      this.tell(this.measuring ? "No seam to check or mend so far. Some are still being measured." : "No seam to check or mend: all are fine or accepted.");
      return;
    }
    const here = this.rowFor(this.seam)?.number ?? 0;
    const next = by > 0 ? list.find((s) => s.number > here) ?? list[0] : list.findLast((s) => s.number < here) ?? list[list.length - 1];
    this.chooseSeam(next);
    if (["blend", "hard"].includes(this.hearing)) void this.playSeam(this.hearing);
  },

  /** Marks the chosen seam as heard and found good, or takes the mark off. */
  async accept() {
    const row = this.rowFor(this.seam);
    if (!row) return;
    if (!row.verdict || row.stale) {
      this.tell("This seam is still being measured. Try again in a moment.");
      return;
    }
    if (row.verdict === "fine" && !row.accepted) {
      this.tell("This seam is fine: nothing to accept.");
      return;
    }
    try {
      await send("POST", `/reels/${tools.doc.id}/accept`, { print: row.print, good: !row.accepted });
      tools.doc.takeAccepted({ print: row.print, good: !row.accepted });
      this.hint = row.accepted ? `${row.title}: no longer accepted` : `${row.title}: accepted, until something near it changes`;
    } catch (err) {
      this.tell(say(err));
    }
  },

  /** Marks the chosen seam as heard and good, and goes on to the next that asks for something. */
  async acceptOn() {
    const row = this.rowFor(this.seam);
    if (row && this.asks(row)) await this.accept();
    this.stepBad(1);
  },

  /** Plays every seam that is not fine, one after another with its surroundings; once more stops. */
  walk() {
    if (this.walking) {
      this.walking = null;
      tools.player.stop();
      return;
    }
    const list = this.seams.filter((/** @type {any} */ s) => this.asks(s));
    if (!list.length) {
      this.tell("Nothing to play through: no seam to check or mend.");
      return;
    }
    // From here on, and round to the ones before.
    const here = this.seam?.at ?? 0, at = Math.max(list.findIndex((/** @type {any} */ s) => s.at >= here), 0);
    this.walking = { list: [...list.slice(at), ...list.slice(0, at)], at: 0 };
    this.looping = false;
    this.chooseSeam(list[at]);
    void this.playSeam("blend");
  },
  /** The seam that was played has ended: the next one. */
  walkOn() {
    const w = this.walking;
    if (!w) return;
    // What was mended or accepted meanwhile is passed over.
    for (w.at++; w.at < w.list.length; w.at++) {
      const s = this.rowFor(w.list[w.at]);
      if (!s || !this.asks(s)) continue;
      this.chooseSeam(s);
      void this.playSeam("blend");
      return;
    }
    this.walking = null;
    this.hint = "Played through: that was the last seam to check";
  },
});
