// The timeline's places: which stretch of the reel is in view, where its tracks
// lie, and what is chosen there.

/** Pixels of a clip's tab, between tracks, and of the tracks' heads. */
export const tab = 16,
  gap = 4,
  head = 118;
/** Height of a clip's ribbon, its lower strip. */
export const ribbon = 9;
/** Pixels between pictures and sound, where split edits are drawn. */
export const step = 17;

/** Events: "view" when another stretch is looked at, "layout" when the tracks' places changed, "hint". */
export class Sheet extends EventTarget {
  /**
   * @param {import("../app/doc.js").Doc} doc
   * @param {import("../app/session.js").Session} session
   * @param {import("./waves.js").Waves} waves
   * @param {{tracks: HTMLElement, lanes: HTMLCanvasElement, ruler: HTMLCanvasElement, over: HTMLCanvasElement, scroll: HTMLElement}} parts
   */
  constructor(doc, session, waves, parts) {
    super();
    this.doc = doc;
    this.session = session;
    this.waves = waves;
    this.parts = parts;
    this.from = 0;
    this.perPixel = 4800;
    this.playhead = 0;
    /** @type {Laid | null} what an edit that is tried would leave */
    this.trial = null;
    /** @type {Set<number>} clips that the trial changes in more than their place */
    this.tried = new Set();
    /** @type {{x: number, y: number, lines: string[], stops: string} | null} words beside the pointer */
    this.words = null;
    /** @type {{x0: number, y0: number, x1: number, y1: number} | null} */
    this.box = null;
    /** @type {{y: number} | null} where a track would be put */
    this.slot = null;
    /** @type {{track: number, start: number, length: number, name: string, bad: boolean, words: string}[]} */
    this.ghosts = [];
    /** What is drawn in clips besides their names. */
    this.shown = { waves: true, curves: true, rides: true };
    /** @type {{clip: number, end: string, fade: Fade} | null} */
    this.fading = null;
    /** Where somebody speaks, for tracks that go down under it. @type {{from: number, to: number}[]} */
    this.speech = [];
    this.follow = true;
    this.dirty = true;
    /** @type {ReturnType<typeof setTimeout> | undefined} */
    this.soon = undefined;
    /** Whether something is dragged. */
    this.dragging = false;
    session.subscribe(["seam", "chosen", "points", "track", "working", "span"], () => this.redraw());
    parts.tracks.addEventListener("scroll", () => {
      this.redraw();
      this.dispatchEvent(new Event("view"));
    });
    // Asking a page for sizes makes it lay itself out: they are kept.
    this.width = 10;
    /** Pixels from the top of the ruler to that of the tracks. */
    this.below = 26;
    const size = () => {
      this.width = Math.max(parts.tracks.clientWidth - head, 10);
      this.below = parts.tracks.getBoundingClientRect().top - parts.over.getBoundingClientRect().top;
    };
    size();
    new ResizeObserver(() => {
      size();
      this.redraw();
      this.dispatchEvent(new Event("layout"));
    }).observe(parts.tracks);
  }

  redraw() {
    this.dirty = true;
  }

  /** Draws within a moment, once for all that comes until then: news of seams comes in several pieces after each edit. */
  redrawSoon() {
    this.soon ??= setTimeout(() => {
      this.soon = undefined;
      this.redraw();
    }, 80);
  }

  get seam() {
    return this.session.seam;
  }
  get chosen() {
    return this.session.chosen;
  }
  get working() {
    return this.session.working;
  }
  get span() {
    return this.session.span;
  }

  /** @param {string} text */
  hint(text) {
    this.dispatchEvent(new CustomEvent("hint", { detail: text }));
  }

  /** @param {Track} t */
  heightOf(t) {
    if (t.role === "picture") return (46 * (t.height || 100)) / 100;
    return ((t.role === "dialogue" ? 70 : 50) * (t.height || 100)) / 100;
  }

  /** Tracks with the place of each. @returns {{track: Track, top: number, height: number}[]} */
  layout() {
    const tracks = this.doc.order();
    // Few tracks share the room that is there, up to a point.
    const seen = tracks.filter((t) => t.role === "picture").length * (step - gap);
    const least = tracks.reduce((h, t) => h + this.heightOf(t) + gap, 4);
    const stretch = Math.min(
      Math.max((this.parts.tracks.clientHeight - seen - tracks.length * gap - 6) / Math.max(least - tracks.length * gap, 1), 1),
      1.7,
    );
    let top = 2;
    return tracks.map((track) => {
      const height = Math.floor(this.heightOf(track) * (track.role === "picture" ? Math.min(stretch, 1.4) : stretch)),
        row = { track, top, height };
      // Under the pictures there is room for the steps of split edits.
      top += height + (track.role === "picture" ? step : gap);
      return row;
    });
  }

  /** @param {number} sample */
  x(sample) {
    return (sample - this.from) / this.perPixel;
  }

  /** @param {number} x */
  sample(x) {
    return Math.round(this.from + x * this.perPixel);
  }

  /** End of what can be looked at. */
  get end() {
    return Math.max(this.doc.length * 1.02, this.doc.props.sampleRate * 10);
  }

  /** @param {number} from @param {number} [perPixel] */
  look(from, perPixel = this.perPixel) {
    const whole = this.end / this.width;
    this.perPixel = Math.min(Math.max(perPixel, 1 / 24), whole * 1.25);
    this.from = Math.min(Math.max(from, -20 * this.perPixel), Math.max(this.end - this.width * this.perPixel * 0.5, 0));
    this.redraw();
    this.dispatchEvent(new Event("view"));
  }

  /** Zooms around a sample. @param {number} factor @param {number} [around] */
  zoom(factor, around = this.playhead) {
    const visible = around >= this.from && around <= this.from + this.width * this.perPixel;
    if (!visible) around = this.from + (this.width * this.perPixel) / 2;
    const x = this.x(around);
    const before = this.perPixel;
    this.look(this.from, this.perPixel * factor);
    if (this.perPixel !== before) this.look(around - x * this.perPixel);
  }

  whole() {
    this.look(0, this.end / this.width);
    this.look(-8 * this.perPixel);
  }

  /** Brings a stretch into view. @param {number} a @param {number} b */
  show(a, b) {
    const left = this.from,
      right = this.from + this.width * this.perPixel;
    if (a >= left && b <= right) return;
    if (b - a > right - left) this.look(a - (b - a) * 0.1, ((b - a) * 1.2) / this.width);
    else this.look((a + b) / 2 - (right - left) / 2);
  }

  /** What is drawn: the reel, or what an edit that is tried would leave. @returns {Laid} */
  get lie() {
    return this.trial ?? this.doc;
  }

  /** Shows what an edit would lead to. @param {Change | null} change */
  rehearse(change) {
    this.trial = change && this.doc.after(change);
    this.tried = new Set((change?.clips ?? []).flatMap((p) => (p.after ? [p.after.id] : [])));
    this.redraw();
  }

  /** The track at a height of the lanes. @param {number} y */
  rowAt(y) {
    y += this.parts.tracks.scrollTop;
    return this.layout().find((r) => y >= r.top && y < r.top + r.height + (r.track.role === "picture" ? step : gap));
  }

  /** Moves the playhead. @param {number} at @param {boolean} [playing] */
  movePlayhead(at, playing = false) {
    this.playhead = Math.max(at, 0);
    if (playing && this.follow && !this.dragging) {
      const x = this.x(this.playhead);
      if (x > this.width * 0.92 || x < 0) this.look(this.playhead - this.width * this.perPixel * 0.1);
    }
    this.drawOver();
  }

  /** Draws the playhead; the painter's. */
  drawOver() {}
}
