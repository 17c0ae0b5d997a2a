// The seams of a reel as this page knows them: the list, what was measured of
// them, and what changes mean for them.

import { get } from "./api.js";
import { patched } from "./patch.js";

/** How long is waited for news of the seams before they are read, in milliseconds. */
const patience = 1500;

/** Events: "seams" when the list is another, "rated" when more of it is measured. */
export class SeamList extends EventTarget {
  /** @param {number} id */
  constructor(id) {
    super();
    this.id = id;
    /** The revision of the reel that the page knows. */
    this.revision = 0;
    /** @type {Map<string, Rated & {revision: number}>} what was measured of the list's revision and later ones, by print */
    this.rated = new Map();
    this.seamsRevision = 0;
    /** The revision at which the whole list was read: what was measured before that was judged by other limits. */
    this.readRevision = 0;
    this.length = 0;
    /** @type {Seam[]} */
    this.seams = [];
    /** @type {Set<number>} struck spans that are fine by their verdict */
    this.atEase = new Set();
    /** @type {Map<number, {by: number, words: string}>} clips of sound that stand off their pictures */
    this.off = new Map();
  }

  /** Whether there is a line on which news comes. */
  hears() {
    return false;
  }

  /** Reads the list of seams, unless a newer reading is under way. */
  async readSeams() {
    const asked = this.revision;
    const list = await get(`/reels/${this.id}/seams`);
    if (list.revision < this.seamsRevision || (list.revision < this.revision && asked !== this.revision)) return;
    this.takeSeams(list);
  }

  /**
   * Waits for what a change means for the seams, which is told on the line; where it does not come, all are read.
   * @param {number} revision
   */
  async awaitSeams(revision) {
    if (this.hears() && this.seamsRevision < revision)
      await new Promise((done) => {
        const over = new AbortController();
        const end = () => (over.abort(), clearTimeout(late), done(true));
        const late = setTimeout(end, patience);
        this.addEventListener("seams", () => this.seamsRevision >= revision && end(), { signal: over.signal });
      });
    if (this.seamsRevision < revision) await this.readSeams().catch(() => {}); // the line tells when the server is away
  }

  /** What a change means for the seams. @param {Patch} p */
  patchSeams(p) {
    if (p.revision <= this.seamsRevision) return;
    if (!p.from || p.from !== this.seamsRevision) {
      if (p.revision === this.revision) void this.readSeams().catch(() => {});
      return;
    }
    this.seamsRevision = p.revision;
    const was = new Map(this.seams.map((s) => [`${s.left}-${s.right}`, s]));
    const seams = patched(this.seams, p, (s) => this.knownOf(s, was.get(`${s.left}-${s.right}`)));
    // Where one has edited on meanwhile, what that means is on its way; it is shown then.
    if (p.revision === this.revision) this.setSeams(seams, p.length, p.off);
    else this.seams = seams;
  }

  /** A seam with what was known of it until now, while it is measured anew. @param {Seam} s @param {Seam | undefined} was @returns {Seam} */
  knownOf(s, was) {
    if (s.verdict && !s.stale) return s;
    const known = this.rated.get(s.print),
      o = known ?? was;
    if (!o?.verdict || (s.verdict && !known)) return s;
    const { verdict, brief, what, score } = o;
    return { ...s, verdict, brief, what, score, accepted: known ? known.accepted : s.accepted, stale: !known };
  }

  /** @param {Seam[]} seams @param {number} length of the reel @param {{clip: number, by: number, words: string}[]} off */
  setSeams(seams, length, off) {
    // News comes in any order: of a seam that no change has touched it may have come before this list.
    this.seams = seams.map((s) => this.knownOf(s, undefined));
    for (const [print, s] of this.rated) if (s.revision < this.seamsRevision) this.rated.delete(print);
    this.takeVerdicts();
    this.length = length;
    if (off.length || this.off.size) this.off = new Map(off.map((o) => [o.clip, o]));
    this.dispatchEvent(new Event("seams"));
  }

  /** @param {{revision: number, seams: Seam[], length: number, off?: {clip: number, by: number, words: string}[]}} list */
  takeSeams(list) {
    this.seamsRevision = this.readRevision = list.revision;
    for (const [print, s] of this.rated) if (s.revision < list.revision) this.rated.delete(print);
    // What is being measured anew shows what was known of it until then; what
    // was measured while the list was on its way is known by its print.
    const was = new Map(this.seams.map((s) => [`${s.left}-${s.right}`, s]));
    this.setSeams(
      list.seams.map((s) => this.knownOf(s, was.get(`${s.left}-${s.right}`))),
      list.length,
      list.off ?? [],
    );
  }

  /**
   * What was measured meanwhile. A seam is what its print says, in whichever revision it was measured.
   * @param {{revision: number, seams: Rated[] | null}} news
   */
  takeMeasured(news) {
    const found = new Map((news.seams ?? []).map((s) => [s.print, { ...s, revision: news.revision }]));
    if (news.revision < this.readRevision) return; // it was judged by what counted then, and is told again
    // The list may be read once more in this revision, by an answer that left before this was known.
    if (news.revision >= this.seamsRevision) for (const [print, s] of found) this.rated.set(print, s);
    // What is not in the news stays the very same, so that its row need not be made anew.
    this.seams = this.seams.map((s) => {
      const now = found.get(s.print);
      if (!now) return s;
      const { verdict, brief, what, score, accepted } = now;
      return { ...s, verdict, brief, what, score, accepted, stale: false };
    });
    this.takeVerdicts();
    this.dispatchEvent(new Event("rated"));
  }

  /** Keeps which struck spans are fine as they are, for those who draw them. */
  takeVerdicts() {
    this.atEase = new Set(this.seams.flatMap((s) => (s.kind === "struck" && (s.verdict === "fine" || s.accepted) ? [s.right] : [])));
  }

  /** @param {{print: string, good: boolean}} news */
  takeAccepted(news) {
    this.seams = this.seams.map((s) => (s.print === news.print ? { ...s, accepted: news.good } : s));
    const told = this.rated.get(news.print);
    if (told) this.rated.set(news.print, { ...told, accepted: news.good });
    this.dispatchEvent(new Event("rated"));
  }

  /** Whether every seam is measured as it is now. */
  get measured() {
    return this.seams.every((s) => s.verdict && !s.stale);
  }
}
