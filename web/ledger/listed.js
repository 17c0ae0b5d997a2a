// What is told of a list of seams: reckoned once for each list, as the page asks
// for it at every step and with thousands of rows. Lists are frozen, so that the
// page does not watch each row.

/** @typedef {{left: number, right: number}} Ends the two clips of a seam, which tell it from all others */

/** Whether a seam still asks for something. @param {any} s */
export const asks = (s) => !s.accepted && (s.verdict === "mend" || s.verdict === "check");

/** How bad a seam is in the order of the list. @param {any} s */
export const worstOf = (s) => (asks(s) ? s.score : -1);

/** @param {any} s @param {string} filter */
function passes(s, filter) {
  if (filter === "all") return true;
  if (filter === "fine") return s.verdict === "fine" || s.accepted;
  return s.verdict === filter && !s.accepted;
}

/** A list through one filter. */
class Filtered {
  /** @param {readonly any[]} along by time */
  constructor(along) {
    this.along = along;
    /** @type {readonly any[] | null} */
    this.byWorst = null;
    /** @type {{row: any, worst: number, list: readonly any[]} | null} */
    this.held = null;
  }

  /** The worst first. One seam may keep the place that it had with another badness. @param {Ends | null} seam @param {number | undefined} worst */
  sorted(seam, worst) {
    this.byWorst ??= Object.freeze([...this.along].sort((a, b) => worstOf(b) - worstOf(a) || a.number - b.number));
    const { left, right } = seam ?? { left: -1, right: -1 },
      row = worst === undefined ? undefined : this.along.find((s) => s.left === left && s.right === right);
    if (!row || worstOf(row) === worst) return this.byWorst;
    const { held } = this;
    if (held && held.row === row && held.worst === worst) return held.list;
    const list = this.byWorst.filter((s) => s !== row),
      w = /** @type {number} */ (worst);
    const to = list.findIndex((s) => worstOf(s) < w || (worstOf(s) === w && s.number > row.number));
    list.splice(to < 0 ? list.length : to, 0, row);
    this.held = { row, worst: w, list: Object.freeze(list) };
    return this.held.list;
  }
}

/** An order that is kept while the list changes: what is new comes last. */
export class Still {
  /** @param {readonly any[]} list in that order */
  constructor(list) {
    this.places = new Map(list.map((s, i) => [`${s.left}-${s.right}`, i]));
    /** @type {{from: readonly any[], list: readonly any[]} | null} */
    this.last = null;
  }

  /** The same rows in the order that is kept. @param {readonly any[]} from */
  of(from) {
    if (this.last?.from === from) return this.last.list;
    const place = (/** @type {Ends} */ s) => this.places.get(`${s.left}-${s.right}`) ?? Infinity;
    const list = Object.freeze([...from].sort((a, b) => (place(a) === place(b) ? 0 : place(a) - place(b))));
    this.last = { from, list };
    return list;
  }
}

/** A list of seams with what is told of it. */
class Listed {
  /** @param {readonly any[]} seams */
  constructor(seams) {
    /** @type {Record<string, number>} */
    this.counts = { all: seams.length, mend: 0, check: 0, unknown: 0, fine: 0, asks: 0 };
    for (const s of seams) {
      if (asks(s)) this.counts.asks++;
      if (s.verdict === "fine" || s.accepted) this.counts.fine++;
      else if (s.verdict in this.counts) this.counts[s.verdict]++;
    }
    this.seams = seams;
    /** @type {Map<string, Filtered>} */
    this.filtered = new Map();
  }

  /** @param {string} filter */
  through(filter) {
    let f = this.filtered.get(filter);
    if (!f)
      this.filtered.set(
        filter,
        (f = new Filtered(filter === "all" ? this.seams : Object.freeze(this.seams.filter((s) => passes(s, filter))))),
      );
    return f;
  }
}

/** @type {WeakMap<readonly any[], {text: string, list: readonly any[]}>} what was looked for last in a list */
const sought = new WeakMap();

/** The seams of a list that have all words of a text, in any order and case; the list itself for no words. @param {readonly any[]} seams @param {string} text @param {(s: any) => string} told what is said of a seam */
export function finding(seams, text, told) {
  const words = text.toLowerCase().split(/\s+/).filter(Boolean);
  if (!words.length) return seams;
  let last = sought.get(seams);
  if (last?.text !== text) {
    const list = Object.freeze(
      seams.filter((s) => {
        const all = told(s).toLowerCase();
        return words.every((w) => all.includes(w));
      }),
    );
    sought.set(seams, (last = { text, list }));
  }
  return last.list;
}

/** @type {WeakMap<readonly any[], Listed>} */
const known = new WeakMap();

/** @param {readonly any[]} seams a list that is never written to @returns {Listed} */
export function listed(seams) {
  let l = known.get(seams);
  if (!l) known.set(seams, (l = new Listed(seams)));
  return l;
}
