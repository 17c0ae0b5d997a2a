// The reel as this page knows it: kept in step with the server by the changes
// that edits make here and elsewhere.

import { Problem, away, get, insist, send } from "./api.js";
import { byClip, copied, lanesOf, lay, linesOf, thingsOf } from "./laid.js";
import { listen } from "./line.js";
import { notice } from "./notices.js";
import { SeamList } from "./seamlist.js";

/**
 * Events: "quiet" (detail: name, progress) while sources are searched, "change" (detail: Changed) after any change, "seams" when the list of
 * seams was read anew, "rated" when more of them is measured, "sweep" (detail: name, progress), "import" (detail: ImportJob), "state" when saving or the
 * connection changes, "trial" (detail: the name of what is to be heard meanwhile, or ""), "open" when the line to the server is there (again).
 */
export class Doc extends SeamList {
  /** @param {number} id */
  constructor(id) {
    super(id);
    /** @type {Props} */
    this.props = { name: "", sampleRate: 48000, frameRate: { num: 25, den: 1, drop: false }, startFrame: 0 };
    const none = thingsOf(null);
    this.tracks = none.tracks;
    this.sources = none.sources;
    this.clips = none.clips;
    this.blends = none.blends;
    this.markers = none.markers;
    this.strikes = none.strikes;
    this.points = none.points;
    this.treatments = none.treatments;
    this.swatches = none.swatches;
    this.ties = none.ties;
    /** @type {Set<number>} sources that were recorded here once and that nobody has any more */
    this.gone = new Set();
    /** @type {Map<number, Strike[]>} by clip */
    this.struck = new Map();
    /** @type {Map<number, Point[]>} gain lines, by clip or track */
    this.lines = new Map();
    this.undoLabel = "";
    this.redoLabel = "";
    this.saving = 0;
    this.connected = true;
    /** Whether the server is there and its database is not. */
    this.databaseAway = false;
    /** Whether something is asked for again, as no answer came. */
    this.waiting = false;
    this.uid = "";
    /** What counts where the reel says nothing itself. @type {Defaults | null} */
    this.usual = null;
    /** @type {Map<number, Clip[]>} */
    this.lanes = new Map();
    /** Whether a seam is being listened to in a loop; the page knows. */
    this.looping = () => false;
    /** @type {ReturnType<typeof setTimeout> | undefined} */
    this.trouble = undefined;
    /** @type {EventSource | null} */
    this.stream = null;
    /** @type {Promise<unknown>} what is being sent */
    this.line = Promise.resolve();
    /** @type {Promise<void>} the list of seams that is being read */
    this.reading = Promise.resolve();
  }

  /** Reads the reel whole. */
  async load() {
    // The list of seams comes beside the reel; where an edit came between, it is read anew.
    const [v, list] = await Promise.all([/** @type {Promise<Version>} */ (get(`/reels/${this.id}`)), get(`/reels/${this.id}/seams`)]);
    // An edit that was told of while the answers were on their way is newer than they are.
    if (v.uid === this.uid && v.revision < this.revision) return this.readSeams();
    this.revision = v.revision;
    this.uid = v.uid;
    this.usual = v.usual;
    this.props = v.reel.props;
    Object.assign(this, thingsOf(v.reel));
    this.struck = byClip(this.strikes);
    this.lines = linesOf(this.points);
    this.undoLabel = v.undo;
    this.redoLabel = v.redo;
    this.lanes = lanesOf(this.clips);
    if (list.revision === v.revision) this.takeSeams(list);
    else await this.readSeams();
  }

  /** What would lie on the tracks after a change. @param {Change} change @returns {Laid} */
  after(change) {
    const lie = { ...copied(this), struck: this.struck, lines: this.lines, lanes: this.lanes };
    lay(lie, change);
    return lie;
  }

  /** Tracks as they are shown. @returns {Track[]} */
  order() {
    return [...this.tracks.values()].sort((a, b) => a.place - b.place || a.id - b.id);
  }

  /** Markers in the order in which they come. @returns {Marker[]} */
  marks() {
    return [...this.markers.values()].sort((a, b) => a.at - b.at);
  }

  /** The tracks of pictures, as shown. @returns {Track[]} */
  pictureTracks() {
    return this.order().filter((t) => t.role === "picture");
  }

  /** Whether a clip is a shot. @param {Clip | undefined | null} c */
  shows(c) {
    return Boolean(c && this.tracks.get(c.track)?.role === "picture");
  }

  /** The tie of a clip of sound. @param {number} clip */
  tieOf(clip) {
    for (const t of this.ties.values()) if (t.clip === clip) return t;
    return undefined;
  }

  /** Whether nobody has what a source plays. @param {Source | undefined} src */
  lacks(src) {
    return Boolean(src && !src.bed && (!src.recording || this.gone.has(src.id)));
  }

  /** Whether anything is tied to a clip, or it to a shot. @param {number} id */
  isTied(id) {
    for (const t of this.ties.values()) if (t.clip === id || t.shot === id) return true;
    return false;
  }

  /** The blend between two clips. @param {number} left @param {number} right */
  blendOf(left, right) {
    for (const b of this.blends.values()) if (b.left === left && b.right === right) return b;
    return undefined;
  }

  /**
   * Watches for changes made elsewhere. A page that stays hidden lets go of its
   * line, as a browser has only a few for all its pages, and takes it up again
   * where it left off.
   */
  watch() {
    this.listen();
    /** @type {ReturnType<typeof setTimeout> | undefined} */
    let timer;
    document.addEventListener("visibilitychange", () => {
      clearTimeout(timer);
      if (document.hidden) timer = setTimeout(() => this.hush(), 20_000);
      else this.listen();
    });
    addEventListener("pagehide", () => this.hush());
    // What no answer came for yet would be left behind.
    addEventListener("beforeunload", (e) => {
      if (this.waiting) e.preventDefault();
    });
    addEventListener("pageshow", () => this.listen());
  }

  hears() {
    return this.stream?.readyState === EventSource.OPEN;
  }

  listen() {
    this.stream ??= listen(this);
  }

  /** Reads everything anew, as something may have been missed. */
  anew() {
    this.reading = this.load()
      .then(() => void this.dispatchEvent(new CustomEvent("change", {})))
      .catch(() => {}); // it is tried again when the line is there
  }

  hush() {
    this.stream?.close();
    this.stream = null;
  }

  /** @param {() => void} alter */
  tellState(alter) {
    alter();
    const trouble = this.databaseAway
      ? "The database does not answer. Edits are safe; trying again…"
      : this.connected && !this.waiting
        ? ""
        : away;
    // A line that comes again at once, as when a page goes, is not worth a word.
    clearTimeout(this.trouble);
    if (trouble && !this.waiting) this.trouble = setTimeout(() => notice("server", trouble), 700);
    else notice("server", trouble);
    this.dispatchEvent(new Event("state"));
  }

  /**
   * Takes a change, from here or from elsewhere, in order and once.
   * @param {Changed} c
   */
  take(c) {
    if (c.revision <= this.revision) return;
    if (c.revision > this.revision + 1) {
      this.anew(); // something between was missed
      return;
    }
    this.revision = c.revision;
    if (c.change.props?.after) this.props = c.change.props.after;
    lay(this, c.change);
    this.undoLabel = c.undo;
    this.redoLabel = c.redo;
    this.dispatchEvent(new CustomEvent("change", { detail: c }));
    this.reading = this.awaitSeams(c.revision);
  }

  /** Waits until all that was sent is done, and its seams are known. */
  async settled() {
    await this.line;
    await this.reading;
  }

  /**
   * Makes an edit and saves it.
   * @param {string} kind
   * @param {Record<string, unknown>} what
   * @returns {Promise<Changed>}
   */
  edit(kind, what) {
    return this.step(`/reels/${this.id}/edits`, () => ({ base: this.revision, edit: { do: kind, with: what } }));
  }

  undo() {
    return this.step(`/reels/${this.id}/undo`, () => ({ base: this.revision }));
  }

  /** Goes to the state after a step, 0 for the beginning. @param {number} revision */
  go(revision) {
    return this.step(`/reels/${this.id}/go`, () => ({ revision }));
  }

  /** Goes back to a named version. @param {number} version */
  goToVersion(version) {
    return this.step(`/reels/${this.id}/versions/${version}/go`);
  }

  redo() {
    return this.step(`/reels/${this.id}/redo`, () => ({ base: this.revision }));
  }

  /**
   * Sends what changes the reel, one after the other, each against the revision
   * that the one before led to: keys that are held down do not trip over each other.
   * @param {string} path
   * @param {() => unknown} [body] made when its turn has come
   * @returns {Promise<Changed>}
   */
  step(path, body) {
    const turn = this.line.then(() => this.send(path, body?.()));
    this.line = turn.catch(() => {});
    return turn;
  }

  /** @param {string} path @param {unknown} [body] @returns {Promise<Changed>} */
  async send(path, body) {
    this.tellState(() => this.saving++);
    try {
      const c = await insist(path, body, (waiting) => this.tellState(() => (this.waiting = waiting)));
      this.take(c);
      return c;
    } catch (err) {
      if (err instanceof Problem && err.kind === "conflict")
        await this.load()
          .then(() => this.dispatchEvent(new CustomEvent("change", {})))
          .catch(() => {});
      throw err;
    } finally {
      this.tellState(() => this.saving--);
    }
  }

  /**
   * Tries an edit without making it.
   * @param {string} kind
   * @param {Record<string, unknown>} what
   * @param {CloseUpQuery} [closeUp] a seam to show as it would be
   * @param {boolean} [nearest] go as far as it can when it cannot go all the way
   * @param {boolean} [hear] keep it for a while, to be heard
   * @returns {Promise<DryRun>}
   */
  async dryRun(kind, what, closeUp, nearest, hear) {
    // While a seam loops, what anything is moved to is heard at the next pass.
    const along = hear === undefined && this.looping();
    const r = await send("POST", `/reels/${this.id}/dry-run`, {
      base: this.revision,
      edit: { do: kind, with: what },
      closeUp,
      nearest,
      hear: hear || along,
    });
    if (along && r.trial) this.dispatchEvent(new CustomEvent("trial", { detail: r.trial }));
    return r;
  }

  /** What was tried is not made: the reel is heard as it is. */
  dropTrial() {
    this.dispatchEvent(new CustomEvent("trial", { detail: "" }));
  }
}
