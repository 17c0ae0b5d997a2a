// What is told of a list of seams: reckoned once for each list, as the page asks
// for it at every step and with thousands of rows. Lists are frozen, so that the
// page does not watch each row.

/** @param {{left: number, right: number}} s */
export const keyOf = (s) => `${s.left}-${s.right}`;

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
    /** @type {Map<string, number> | null} */
    this.places = null;
    /** @type {readonly any[] | null} */
    this.byWorst = null;
    /** @type {{key: string, worst: number, list: readonly any[]} | null} */
    this.held = null;
  }

  /** The place of a seam by time, −1 where it is not. @param {string} key */
  place(key) {
    this.places ??= new Map(this.along.map((s, i) => [keyOf(s), i]));
    return this.places.get(key) ?? -1;
  }

  /** The worst first. One seam may keep the place that it had with another badness. @param {string} key @param {number | undefined} worst */
  sorted(key, worst) {
    this.byWorst ??= Object.freeze([...this.along].sort((a, b) => worstOf(b) - worstOf(a) || a.number - b.number));
    const at = worst === undefined ? -1 : this.place(key),
      row = this.along[at];
    if (!row || worstOf(row) === worst) return this.byWorst;
    if (this.held?.key === key && this.held.worst === worst) return this.held.list;
    const list = this.byWorst.filter((s) => s !== row),
      w = /** @type {number} */ (worst);
    const to = list.findIndex((s) => worstOf(s) < w || (worstOf(s) === w && s.number > row.number));
    list.splice(to < 0 ? list.length : to, 0, row);
    this.held = { key, worst: w, list: Object.freeze(list) };
    return this.held.list;
  }
}

/** A list of seams with what is told of it. */
class Listed {
  /** @param {readonly any[]} seams */
  constructor(seams) {
    this.rows = new Map(seams.map((s) => [keyOf(s), s]));
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

/** @type {WeakMap<readonly any[], Listed>} */
const known = new WeakMap();

/** @param {readonly any[]} seams a list that is never written to @returns {Listed} */
export function listed(seams) {
  let l = known.get(seams);
  if (!l) known.set(seams, (l = new Listed(seams)));
  return l;
}
