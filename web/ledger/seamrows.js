// The rows of the list of seams: what each tells, made anew only where that may
// have changed.

import { frames, shortAt, span } from "../lib/timecode.js";

/** Rows and what they were made of. @type {WeakMap<Seam, {row: any, i: number, off: unknown, of: unknown[]}>} */
const made = new WeakMap();

/** Verdicts in words, for those who do not see the marks. */
const words = { fine: "fine", muted: "not heard", unknown: "room not known", check: "to check", mend: "to mend", "": "being measured" };

export class SeamRows {
  /** @param {import("../app/app.js").App} app */
  constructor(app) {
    this.app = app;
    /** @type {Set<number> | null} clips and strikes that have changed since the rows were looked through; null for all */
    this.touched = null;
  }

  /** All rows, frozen, so that the page does not watch each of thousands. */
  all() {
    const rows = Object.freeze(this.app.doc.seams.map((s, i) => this.kept(s, i)));
    this.touched = new Set();
    return rows;
  }

  /** Notes what a change may mean for rows. @param {Change | undefined} change none where the reel was read anew */
  touch(change) {
    if (!change || change.tracks || change.props) this.touched = null;
    if (!this.touched || !change) return;
    const things = [...(change.clips ?? []), ...(change.strikes ?? [])];
    for (const { before, after } of things) this.touched.add(/** @type {any} */ (before ?? after).id);
    for (const { before, after } of change.blends ?? []) for (const b of [before, after]) if (b) this.touched.add(b.left).add(b.right);
  }
  /** @param {Seam} s */
  isTouched(s) {
    return !this.touched || this.touched.has(s.left) || this.touched.has(s.right);
  }

  /** The row of a seam, made anew only where the seam, its place, or what it tells of is another. @param {Seam} s @param {number} i */
  kept(s, i) {
    const { doc } = this.app,
      was = made.get(s);
    if (was && was.i === i && was.off === doc.off && !this.isTouched(s)) return was.row; // most of them, by far
    const left = doc.clips.get(s.left),
      right = doc.clips.get(s.right);
    const of = [
      s,
      i,
      left?.name,
      right?.name,
      left?.fadeOut,
      right?.fadeIn,
      doc.blends.get(s.blend),
      doc.strikes.get(s.right),
      doc.off.get(s.right),
      doc.off.get(s.left),
      doc.tracks.get(s.track)?.role,
    ];
    const row = was && was.of.every((v, k) => v === of[k]) ? was.row : Object.freeze(this.rowOf(s, i));
    made.set(s, { row, i, off: doc.off, of });
    return row;
  }
  /** A seam as the list shows it. @param {Seam} s @param {number} i */
  rowOf(s, i) {
    const doc = this.app.doc,
      p = doc.props;
    const left = doc.clips.get(s.left)?.name ?? "",
      right = doc.clips.get(s.right)?.name ?? "";
    const b = doc.blends.get(s.blend),
      c = doc.clips.get(s.right || s.left),
      f = s.kind === "head" ? c?.fadeIn : c?.fadeOut;
    const fr = (/** @type {number} */ n) => frames(n, p).toFixed(1).replace(/\.0$/, "");
    if (s.kind === "struck") return this.struckRow(s, i, left);
    let note = "hard cut";
    if (b) note = `blend ${fr(b.before + b.after)} fr${s.to ? ", over two tracks" : ""}`;
    else if (s.kind !== "cut")
      note = f?.length ? `fade ${s.kind === "head" ? "in" : "out"} ${fr(f.length)} fr` : s.kind === "head" ? "begins hard" : "ends hard";
    if (s.kind === "tail" && s.gap) note += `, then ${span(s.gap, p)} of gap`;
    if (s.cut?.words) note = `${s.cut.words}, ${note}`;
    const off = doc.off.get(s.right) ?? doc.off.get(s.left);
    const title = s.kind === "cut" ? `${left} → ${right}` : s.kind === "head" ? `${right}, start` : `${left}, end`;
    const judged = s.accepted && s.verdict !== "fine" ? "accepted" : s.verdict || "measuring";
    const why = off
      ? `${off.words}${s.brief && s.verdict !== "fine" ? ` · ${s.brief}` : ""}`
      : s.brief && s.verdict !== "fine"
        ? (s.accepted ? `accepted, ${s.brief}` : s.brief) + (s.cut?.words ? ` · ${s.cut.words}` : "")
        : note;
    return {
      ...s,
      number: i + 1,
      title,
      note,
      why,
      judged,
      word: s.accepted && s.verdict !== "fine" ? "accepted" : words[s.verdict],
      time: shortAt(s.at, p),
      role: doc.tracks.get(s.track)?.role,
    };
  }

  /** A struck span as the list shows it. @param {Seam} s @param {number} i @param {string} name of its clip */
  struckRow(s, i, name) {
    const k = this.app.doc.strikes.get(s.right),
      p = this.app.doc.props;
    const note = `${k?.lowerDB ? `lowered by ${k.lowerDB} dB` : "struck"}, ${span(s.gap, p)}${k?.cover ? ", covered" : ""}`;
    const judged = s.accepted && s.verdict !== "fine" ? "accepted" : s.verdict || "measuring";
    const why = s.brief && s.verdict !== "fine" ? (s.accepted ? `accepted, ${s.brief}` : s.brief) : note;
    return {
      ...s,
      number: i + 1,
      title: `${name}, ${k?.lowerDB ? "lowered" : "struck"}`,
      note,
      why,
      judged,
      word: s.accepted && s.verdict !== "fine" ? "accepted" : words[s.verdict],
      time: shortAt(s.at, p),
      role: this.app.doc.tracks.get(s.track)?.role,
    };
  }
}
