// The bench: one reel, its ledger of seams, the close-up and the timeline.

import { Problem, get, say, send } from "./api.js";
import { CloseView } from "./closeup.js";
import { toggleTheme, watchColours } from "./colours.js";
import { Doc } from "./doc.js";
import { commandOf, commands, keyName } from "./keys.js";
import { Player } from "./player.js";
import { SourceView, drawMini } from "./sourceview.js";
import { at as timecode, frameLength, frameOf, frames, ms, rateName, sampleOf, shortAt, span } from "./timecode.js";
import { Timeline } from "./timeline.js";
import { Uploads, dropped } from "./uploads.js";
import { Waves } from "./waves.js";

/** Height of a row of the ledger, as in app.css. */
const rowHeight = 46;
/** The default blend: a quarter of a second across the cut, constant power. */
const usual = { seconds: 0.24, law: "constantPower", lean: 0.5 };

/** @param {string} id @returns {any} */
const el = (id) => document.getElementById(id);

function bench() {
  const reelID = Number(document.body.dataset.reel);
  const doc = new Doc(reelID);
  /** @type {Waves} */ let waves;
  /** @type {Timeline} */ let timeline;
  /** @type {CloseView} */ let close;
  /** @type {SourceView} */ let sourceView;
  /** @type {Player} */ let player;
  /** @type {Uploads} */ let uploads;
  /** @type {ReturnType<typeof setTimeout> | undefined} */ let toastTimer;
  let trialBusy = false;
  /** @type {(() => void) | null} */ let trialNext = null;

  const page = {
    ready: false,
    name: "",
    rateText: "",
    tab: "seams",
    filter: "all",
    /** @type {any[]} */ seams: [],
    ledgerTop: 0,
    ledgerHeight: 600,
    /** @type {Seam | null} */ seam: null,
    seamNumber: 0,
    seamTitle: "",
    /** @type {any} */ blend: null,
    /** @type {any} */ fade: null,
    /** @type {any} */ room: null,
    aroundText: "",
    scaleText: "",
    /** @type {any[]} */ tracks: [],
    sheetHeight: 0,
    /** @type {Clip | null} */ clip: null,
    chosenCount: 0,
    clipInfo: "",
    /** @type {any} */ track: null,
    /** @type {Listed[]} */ sources: [],
    /** @type {Listed | null} */ source: null,
    stage: "seam",
    mark: { from: 0, to: 0, text: "" },
    target: 0,
    /** @type {ImportJob[]} */ imports: [],
    /** @type {any} */ choosing: null,
    over: false,
    playing: false,
    hearing: "",
    looping: false,
    timecode: "",
    undo: "",
    redo: "",
    saveState: "Saved",
    revision: 0,
    hint: "",
    /** @type {{text: string, action: string, run: (() => void) | null} | null} */ toast: null,
    limit: "",
    /** @type {{from: number, to: number} | null} */ spanAt: null,
    spanText: "",
    length: 0,
    preRoll: 1,
    postRoll: 1,
    exporting: { from: "", to: "", fromAt: 0, toAt: 0, bits: 24, channels: 2, survey: /** @type {any} */ (null), problem: "", busy: false },

    async init() {
      try {
        await doc.load();
      } catch (err) {
        this.tell(say(err));
        return;
      }
      waves = new Waves(doc.props.sampleRate, () => {
        timeline.redraw();
        close.redraw();
        sourceView.redraw();
        this.drawMinis();
      });
      timeline = new Timeline(doc, waves, { tracks: el("tracks"), lanes: el("lanes"), ruler: el("ruler"), over: el("playhead"), scroll: el("scroll") });
      close = new CloseView(doc, waves, el("closeup"), el("closeup-over"));
      sourceView = new SourceView(doc, waves, el("source-wave"));
      player = new Player(doc.props.sampleRate);
      uploads = new Uploads(reelID, (_, detail) => this.tell(detail));
      watchColours(() => {
        timeline.redraw();
        close.redraw();
        sourceView.redraw();
        this.drawMinis();
      });
      await document.fonts.ready;
      this.wire();
      this.takeDoc();
      this.takeSeams();
      timeline.whole();
      doc.watch();
      await this.readSources();
      this.imports = (await get(`/reels/${reelID}/imports`)).imports;
      this.fromAddress();
      this.ready = true;
      const tick = () => {
        this.tick();
        requestAnimationFrame(tick);
      };
      requestAnimationFrame(tick);
    },

    wire() {
      doc.addEventListener("change", (e) => {
        this.takeDoc();
        player.refresh();
        const c = /** @type {CustomEvent<Changed>} */ (e).detail;
        if (c.change?.sources || c.change?.clips) void this.readSources();
      });
      doc.addEventListener("seams", () => this.takeSeams());
      doc.addEventListener("state", () => this.takeState());
      doc.addEventListener("import", (e) => this.takeImport(/** @type {CustomEvent<ImportJob>} */ (e).detail));
      for (const part of [timeline, close, sourceView]) part.addEventListener("hint", (e) => (this.hint = /** @type {CustomEvent<string>} */ (e).detail));
      timeline.addEventListener("playhead", (e) => this.seek(/** @type {CustomEvent<number>} */ (e).detail));
      timeline.addEventListener("choose-seam", (e) => this.chooseSeam(/** @type {CustomEvent<Seam>} */ (e).detail));
      timeline.addEventListener("choose-clip", (e) => {
        const { clip, more } = /** @type {CustomEvent} */ (e).detail;
        this.chooseClip(clip, more);
      });
      timeline.addEventListener("show-source", (e) => {
        const { source, clip } = /** @type {CustomEvent} */ (e).detail;
        this.showSource(source, { from: clip.offset, to: clip.offset + clip.length });
      });
      timeline.addEventListener("layout", () => this.takeLayout());
      timeline.addEventListener("span", () => this.takeSpan());
      timeline.addEventListener("view", () => this.takeSpan());
      timeline.addEventListener("edit", (e) => {
        const { kind, what, offer } = /** @type {CustomEvent} */ (e).detail;
        void this.edit(kind, what, offer);
      });
      close.addEventListener("edit", (e) => {
        const { kind, what } = /** @type {CustomEvent} */ (e).detail;
        void this.edit(kind, what);
      });
      close.addEventListener("playhead", (e) => this.seek(/** @type {CustomEvent<number>} */ (e).detail));
      close.addEventListener("info", () => this.takeInfo());
      close.addEventListener("scale", () => (this.scaleText = `×${close.scale < 10 ? close.scale.toFixed(1).replace(".0", "") : Math.round(close.scale)}`));
      close.addEventListener("limit", (e) => (this.limit = /** @type {CustomEvent<string>} */ (e).detail));
      sourceView.addEventListener("mark", () => this.takeMark());
      player.addEventListener("state", (e) => {
        this.playing = player.playing;
        if (!player.playing) {
          this.hearing = "";
          el("meter-left").style.height = el("meter-right").style.height = "0";
          if (/** @type {CustomEvent} */ (e).detail === "ended" && player.route?.name !== "reel") this.rest();
        }
      });
      player.addEventListener("trouble", (e) => this.tell(say(/** @type {CustomEvent} */ (e).detail)));
      player.addEventListener("meter", (e) => this.meter(/** @type {CustomEvent<number[]>} */ (e).detail));
      addEventListener("keydown", (e) => this.key(e));
      new ResizeObserver(() => (this.ledgerHeight = el("ledger").clientHeight)).observe(el("ledger"));
      addEventListener("dragover", (e) => {
        if (!e.dataTransfer?.types.includes("Files")) return;
        e.preventDefault();
        this.over = true;
      });
      addEventListener("dragleave", (e) => {
        if (!e.relatedTarget) this.over = false;
      });
      addEventListener("drop", (e) => {
        e.preventDefault();
        this.over = false;
        this.bringIn(dropped(e));
      });
    },

    // ——— What is known ———

    takeLayout() {
      const rows = timeline.layout();
      this.tracks = rows.map((r) => ({ ...r.track, top: r.top, height: r.height }));
      this.sheetHeight = rows.reduce((h, r) => Math.max(h, r.top + r.height + 4), 0);
    },

    takeDoc() {
      this.takeLayout();
      this.name = doc.props.name;
      this.rateText = `${rateName(doc.props.frameRate)} fps`;
      this.undo = doc.undoLabel;
      this.redo = doc.redoLabel;
      this.revision = doc.revision;
      if (!doc.tracks.has(this.target)) this.target = this.tracks[0]?.id ?? 0;
      if (this.track) this.track = doc.tracks.get(this.track.id) ? { ...doc.tracks.get(this.track.id) } : null;
      for (const id of [...timeline.chosen]) if (!doc.clips.has(id)) timeline.chosen.delete(id);
      this.takeChosen();
      this.takeState();
      timeline.redraw();
      void close.read();
      close.redraw();
    },

    takeState() {
      this.saveState = !doc.connected ? "No connection" : doc.saving > 0 ? "Saving" : "Saved";
    },

    takeSeams() {
      this.length = doc.length;
      const p = doc.props;
      this.seams = doc.seams.map((s, i) => {
        const left = doc.clips.get(s.left)?.name ?? "", right = doc.clips.get(s.right)?.name ?? "";
        const b = doc.blends.get(s.blend);
        const c = doc.clips.get(s.right || s.left), f = s.kind === "head" ? c?.fadeIn : c?.fadeOut;
        let note = "hard cut";
        if (b) note = `blend ${frames(b.before + b.after, p).toFixed(1).replace(/\.0$/, "")} fr`;
        else if (s.kind !== "cut") note = f?.length ? `fade ${s.kind === "head" ? "in" : "out"} ${frames(f.length, p).toFixed(1).replace(/\.0$/, "")} fr` : s.kind === "head" ? "begins hard" : "ends hard";
        if (s.kind === "tail" && s.gap) note += `, then ${span(s.gap, p)} of gap`;
        const title = s.kind === "cut" ? `${left} → ${right}` : s.kind === "head" ? `▸ ${right}` : `${left} ▪`;
        return { ...s, number: i + 1, title, note, time: shortAt(s.at, p), track: s.track, role: doc.tracks.get(s.track)?.role };
      });
      const mine = this.seam;
      if (mine) {
        const still = doc.seams.find((s) => s.left === mine.left && s.right === mine.right)
          ?? doc.seams.find((s) => s.kind === "cut" && (s.left === mine.left && mine.left !== 0 || s.right === mine.right && mine.right !== 0))
          ?? doc.seams.find((s) => (s.left === mine.left && mine.left !== 0) || (s.right === mine.right && mine.right !== 0));
        if (still) this.setSeam(still);
        else this.setSeam(doc.seams.find((s) => s.at >= mine.at) ?? doc.seams.at(-1) ?? null);
      } else if (doc.seams.length && !this.ready) {
        this.setSeam(doc.seams.find((s) => s.kind === "cut") ?? doc.seams[0]);
      }
      timeline.redraw();
    },

    /** Seams that the filter lets through. */
    get shown() {
      if (this.filter === "hard") return this.seams.filter((s) => s.kind === "cut" && !s.blend);
      if (this.filter === "blend") return this.seams.filter((s) => s.blend);
      if (this.filter === "open") return this.seams.filter((s) => s.kind !== "cut");
      return this.seams;
    },

    /** @param {string} kind */
    countOf(kind) {
      if (kind === "hard") return this.seams.filter((s) => s.kind === "cut" && !s.blend).length;
      if (kind === "blend") return this.seams.filter((s) => s.blend).length;
      if (kind === "open") return this.seams.filter((s) => s.kind !== "cut").length;
      return this.seams.length;
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

    /** @param {any} s */
    isSeam(s) {
      return Boolean(this.seam && s.left === this.seam.left && s.right === this.seam.right);
    },

    /** @param {Seam | null} s */
    setSeam(s) {
      const other = !s || !this.seam || s.left !== this.seam.left || s.right !== this.seam.right || s.at !== this.seam.at;
      this.seam = s ? { kind: s.kind, at: s.at, track: s.track, left: s.left, right: s.right, blend: s.blend, gap: s.gap } : null;
      timeline.seam = this.seam;
      const row = this.seams.find((r) => this.isSeam(r));
      this.seamNumber = row?.number ?? 0;
      this.seamTitle = row?.title ?? "";
      if (other) {
        this.limit = "";
        void close.look(this.seam);
      } else {
        close.seam = this.seam;
        void close.read();
      }
      timeline.redraw();
    },

    /** Shows a seam everywhere. @param {Seam} s */
    chooseSeam(s) {
      this.setSeam(s);
      this.stage = "seam";
      this.source = null;
      timeline.chosen.clear();
      this.track = null;
      this.takeChosen();
      if (!this.playing) this.seek(s.at);
      const reach = doc.props.sampleRate * 2;
      timeline.show(s.at - reach, s.at + reach);
      this.bringRow();
      this.toAddress();
    },

    /** Scrolls the ledger to the chosen seam. */
    bringRow() {
      const i = this.shown.findIndex((r) => this.isSeam(r)), box = el("ledger");
      if (i < 0) return;
      if (i * rowHeight < box.scrollTop) box.scrollTop = i * rowHeight;
      else if ((i + 1) * rowHeight > box.scrollTop + box.clientHeight) box.scrollTop = (i + 1) * rowHeight - box.clientHeight;
    },

    /** @param {number} by */
    stepSeam(by) {
      const list = this.shown;
      if (!list.length) return;
      let i = list.findIndex((s) => this.isSeam(s));
      if (i < 0) i = by > 0 ? list.findIndex((s) => s.at > timeline.playhead) - 1 : list.findIndex((s) => s.at >= timeline.playhead);
      const next = list[Math.min(Math.max(i + by, 0), list.length - 1)];
      if (next) {
        this.chooseSeam(next);
        if (this.hearing === "blend" || this.hearing === "hard") void this.playSeam(this.hearing);
      }
    },

    takeInfo() {
      const i = close.info, p = doc.props;
      this.aroundText = `${span(close.around, p)} each side`;
      if (!i) {
        this.blend = this.fade = this.room = null;
        return;
      }
      const say2 = (/** @type {number} */ n) => `${span(n, p)} · ${frames(n, p).toFixed(1)} fr`;
      this.room = i.room ? { out: say2(i.room.handleOut), in: say2(i.room.handleIn), before: i.room.before, after: i.room.after, any: i.room.before + i.room.after > 0 } : null;
      if (i.blend) {
        const b = i.blend, n = b.before + b.after, lie = b.after === 0 ? "before" : b.before === 0 ? "after" : "across";
        const most = i.room ? this.mostOf(lie, i.room) : n;
        this.blend = { ...b, length: n, lie, ms: Number(ms(n, p).toFixed(1)), fr: Number(frames(n, p).toFixed(2)), max: Math.max(most, n), slide: Math.round(1000 * Math.cbrt(n / Math.max(most, n))), most: say2(most), leanText: b.lean === 0.5 ? "even" : b.lean < 0.5 ? `${Math.round((0.5 - b.lean) * 200)} % early` : `${Math.round((b.lean - 0.5) * 200)} % late`, sides: `${Math.round(ms(b.before, p))} ms before · ${Math.round(ms(b.after, p))} ms after` };
      } else {
        this.blend = null;
      }
      const s = this.seam, c = s && s.kind !== "cut" ? doc.clips.get(s.right || s.left) : null;
      this.fade = c && s ? this.fadeOf(c, s.kind === "head" ? "head" : "tail", i.fade ?? { length: 0, shape: "constantPower", bend: 0.5 }) : null;
    },

    /** @param {Clip} c @param {string} end @param {Fade} f */
    fadeOf(c, end, f) {
      const p = doc.props;
      return { ...f, clip: c.id, end, ms: Number(ms(f.length, p).toFixed(1)), fr: Number(frames(f.length, p).toFixed(2)), bendText: f.bend === 0.5 ? "even" : f.bend < 0.5 ? `${Math.round((0.5 - f.bend) * 200)} % early` : `${Math.round((f.bend - 0.5) * 200)} % late`, max: Math.min(c.length, doc.props.sampleRate * 10) };
    },

    /** The longest blend that lies so. @param {string} lie @param {{before: number, after: number}} room */
    mostOf(lie, room) {
      return lie === "before" ? room.before : lie === "after" ? room.after : 2 * Math.min(room.before, room.after);
    },

    // ——— Edits ———

    /**
     * Makes an edit; a refusal is told with what would be possible, one click away.
     * @param {string} kind
     * @param {Record<string, any>} what
     * @param {Edit} [offer]
     * @returns {Promise<Changed | null>}
     */
    async edit(kind, what, offer) {
      try {
        const c = await doc.edit(kind, what);
        if (c.outcome.notes?.length) this.tell(c.outcome.notes.join(" "));
        else this.toast = null;
        return c;
      } catch (err) {
        const p = err instanceof Problem ? err : null;
        const better = p?.offer ?? offer;
        if (p && better) this.tell(p.message, this.offerText(better), () => void this.edit(better.do, /** @type {any} */ (better.with)));
        else this.tell(say(err));
        void close.read();
        return null;
      }
    },

    /** @param {Edit} offer */
    offerText(offer) {
      const w = /** @type {any} */ (offer.with), p = doc.props;
      if (offer.do === "setBlend") return `Take ${span(w.before + w.after, p)}`;
      if (offer.do === "setFade") return `Take ${span(w.fade.length, p)}`;
      if (offer.do === "move") return "Move it there";
      if (offer.do === "place") return "Lay it there";
      return "Do that";
    },

    /** Tries an edit while a control is moved, and shows what it would lead to. @param {string} kind @param {Record<string, any>} what */
    rehearse(kind, what) {
      trialNext = async () => {
        try {
          const r = await doc.dryRun(kind, what, close.query);
          if (r.closeUp) close.rehearse(r.closeUp);
          this.limit = "";
        } catch (err) {
          this.limit = say(err);
        }
      };
      if (trialBusy) return;
      trialBusy = true;
      close.trial = true;
      void (async () => {
        while (trialNext) {
          const run = trialNext;
          trialNext = null;
          await run();
        }
        trialBusy = false;
        close.trial = false;
      })();
    },

    /** The blend that is there, or the usual one. */
    blendNow() {
      const s = this.seam, b = s && doc.blendOf(s.left, s.right);
      if (b) return { before: b.before, after: b.after, law: b.law, lean: b.lean };
      const n = Math.round(usual.seconds * doc.props.sampleRate);
      return { before: Math.floor(n / 2), after: n - Math.floor(n / 2), law: usual.law, lean: usual.lean };
    },

    /** @param {Record<string, any>} alter @param {boolean} [trial] */
    setBlend(alter, trial = false) {
      const s = this.seam;
      if (!s || s.kind !== "cut") {
        this.tell("A blend joins two clips that meet. Choose a seam where one clip follows the other; where a clip meets a gap, give it a fade.");
        return;
      }
      const what = { left: s.left, right: s.right, ...this.blendNow(), ...alter };
      if (trial) this.rehearse("setBlend", what);
      else void this.edit("setBlend", what);
    },

    /** Sets the length and keeps where the blend lies. @param {number} n @param {boolean} [trial] */
    setLength(n, trial = false) {
      n = Math.max(Math.round(n), 1);
      const b = this.blendNow(), all = b.before + b.after;
      const before = b.after === 0 ? n : b.before === 0 ? 0 : Math.abs(b.before - b.after) <= 1 ? Math.floor(n / 2) : Math.round((n * b.before) / all);
      this.setBlend({ before, after: n - before }, trial);
    },
    /** @param {string} v */
    lengthMs(v) {
      const n = Number(v);
      if (Number.isFinite(n) && n > 0) this.setLength((n / 1000) * doc.props.sampleRate);
      else this.takeInfo();
    },
    /** @param {string} v */
    lengthFrames(v) {
      const n = Number(v);
      if (Number.isFinite(n) && n > 0) this.setLength(n * frameLength(doc.props));
      else this.takeInfo();
    },
    /** The slider is fine where blends are short. @param {string} v @param {boolean} trial */
    slideLength(v, trial) {
      this.setLength((Number(v) / 1000) ** 3 * this.blend.max, trial);
    },
    /** @param {string} law */
    setLaw(law) {
      this.setBlend({ law });
    },
    /** @param {string} lie */
    setLie(lie) {
      const b = this.blendNow(), n = b.before + b.after;
      this.setBlend(lie === "before" ? { before: n, after: 0 } : lie === "after" ? { before: 0, after: n } : { before: Math.floor(n / 2), after: n - Math.floor(n / 2) });
    },
    /** @param {string} v @param {boolean} trial */
    setLean(v, trial) {
      this.setBlend({ lean: Number(v) }, trial);
    },
    putBlend() {
      if (this.seam && this.seam.kind !== "cut") {
        const s = this.seam, c = doc.clips.get(s.right || s.left);
        if (c && !(s.kind === "head" ? c.fadeIn : c.fadeOut).length) this.setFade(c.id, s.kind === "head" ? "head" : "tail", { length: Math.round(0.08 * doc.props.sampleRate) });
        else this.setBlend({});
        return;
      }
      this.setBlend({});
    },
    takeBlendOff() {
      const s = this.seam, b = s && doc.blendOf(s.left, s.right);
      if (b) void this.edit("removeBlend", { blend: b.id });
      else if (this.fade?.length) this.setFade(this.fade.clip, this.fade.end, { length: 0 });
      else this.tell("There is no blend on this seam.");
    },

    /** @param {number} clip @param {string} end @param {Record<string, any>} alter @param {boolean} [trial] */
    setFade(clip, end, alter, trial = false) {
      const c = doc.clips.get(clip);
      if (!c) return;
      const fade = { ...(end === "head" ? c.fadeIn : c.fadeOut), ...alter };
      if (trial) this.rehearse("setFade", { clip, end, fade });
      else void this.edit("setFade", { clip, end, fade });
    },
    /** @param {any} f @param {string} v */
    fadeMs(f, v) {
      const n = Number(v);
      if (Number.isFinite(n) && n >= 0) this.setFade(f.clip, f.end, { length: Math.round((n / 1000) * doc.props.sampleRate) });
    },
    /** @param {any} f @param {string} v */
    fadeFrames(f, v) {
      const n = Number(v);
      if (Number.isFinite(n) && n >= 0) this.setFade(f.clip, f.end, { length: Math.round(n * frameLength(doc.props)) });
    },

    /** Nudges what is chosen by so many samples. @param {number} by */
    nudge(by) {
      if (timeline.chosen.size) {
        void this.edit("move", { clips: [...timeline.chosen], by });
        return;
      }
      const s = this.seam;
      if (!s) return;
      if (s.kind === "cut") {
        if (!doc.blendOf(s.left, s.right)) this.tell("There is no blend on this seam yet; B puts one there.");
        else this.setLength(this.blendNow().before + this.blendNow().after + by);
      } else {
        const c = doc.clips.get(s.right || s.left), end = s.kind === "head" ? "head" : "tail";
        if (c) this.setFade(c.id, end, { length: Math.max((end === "head" ? c.fadeIn : c.fadeOut).length + by, 0) });
      }
    },

    async undoStep() {
      if (!this.undo) return;
      try {
        const c = await doc.undo();
        this.hint = `Undone: ${c.outcome.label}`;
      } catch (err) {
        this.tell(say(err));
      }
    },
    async redoStep() {
      if (!this.redo) return;
      try {
        const c = await doc.redo();
        this.hint = `Done again: ${c.outcome.label}`;
      } catch (err) {
        this.tell(say(err));
      }
    },

    // ——— Clips and tracks ———

    /** @param {Clip} c @param {boolean} [more] */
    chooseClip(c, more = false) {
      if (!more) timeline.chosen.clear();
      if (more && timeline.chosen.has(c.id)) timeline.chosen.delete(c.id);
      else timeline.chosen.add(c.id);
      this.track = null;
      this.source = null;
      this.stage = "seam";
      this.takeChosen();
      timeline.redraw();
    },

    takeChosen() {
      this.chosenCount = timeline.chosen.size;
      const c = this.chosenCount === 1 ? doc.clips.get([...timeline.chosen][0]) : undefined;
      this.clip = c ? { ...c } : null;
      if (c) {
        const p = doc.props, src = doc.sources.get(c.source);
        this.clipInfo = `${src?.name ?? "?"} from ${span(c.offset, p)} to ${span(c.offset + c.length, p)}`;
      }
    },
    clipTimes() {
      const c = this.clip, p = doc.props;
      return c ? `${timecode(c.start, p)} – ${timecode(c.start + c.length, p)}` : "";
    },
    clipLength() {
      const c = this.clip, p = doc.props;
      return c ? `${span(c.length, p)} · ${frames(c.length, p).toFixed(1)} fr` : "";
    },
    /** @param {string} end */
    clipFade(end) {
      const c = this.clip && doc.clips.get(this.clip.id);
      return c ? this.fadeOf(c, end, end === "head" ? c.fadeIn : c.fadeOut) : null;
    },
    /** @param {string} end */
    clipBlended(end) {
      const c = this.clip;
      return Boolean(c && doc.seams.some((s) => s.blend && (end === "head" ? s.right : s.left) === c.id));
    },
    /** @param {string} v */
    renameClip(v) {
      if (this.clip && v.trim() !== this.clip.name) void this.edit("setClip", { clip: this.clip.id, name: v });
    },
    /** @param {string} v */
    gainClip(v) {
      if (this.clip && Number.isFinite(Number(v))) void this.edit("setClip", { clip: this.clip.id, gainDB: Number(v) });
    },
    takeOut() {
      if (timeline.chosen.size) void this.edit("remove", { clips: [...timeline.chosen] });
      else this.tell("No clip is chosen. Click a clip, or press 1 or 2 for the clips of this seam; then delete takes it out.");
    },
    showClipSource() {
      const c = this.clip;
      if (c) this.showSource(c.source, { from: c.offset, to: c.offset + c.length });
    },
    /** @param {"left" | "right"} side */
    chooseSide(side) {
      const c = this.seam && doc.clips.get(this.seam[side]);
      if (c) this.chooseClip(c);
    },

    /** @param {Track} t */
    chooseTrack(t) {
      this.track = { ...(doc.tracks.get(t.id) ?? t) };
      this.source = null;
      this.stage = "seam";
      timeline.chosen.clear();
      this.takeChosen();
      timeline.redraw();
    },
    /** @param {number} id @param {Record<string, any>} alter */
    setTrack(id, alter) {
      void this.edit("setTrack", { track: id, ...alter });
    },
    /** @param {any} t */
    toggleMute(t) {
      this.setTrack(t.id, { mute: !t.mute });
    },
    /** @param {any} t */
    toggleSolo(t) {
      this.setTrack(t.id, { solo: !t.solo });
    },
    /** @param {string} v */
    renameTrack(v) {
      if (v.trim() && v !== this.track.name) this.setTrack(this.track.id, { name: v });
    },
    /** @param {string} v */
    gainTrack(v) {
      this.setTrack(this.track.id, { gainDB: Number(v) });
    },
    /** @param {string} v */
    panTrack(v) {
      this.setTrack(this.track.id, { pan: Number(v) });
    },
    /** @param {string} v */
    roleTrack(v) {
      this.setTrack(this.track.id, { role: v });
    },
    panText() {
      const v = Number(this.track?.pan ?? 0);
      return v === 0 ? "centre" : `${Math.round(Math.abs(v) * 100)} % ${v < 0 ? "left" : "right"}`;
    },
    async removeTrack() {
      const t = this.track;
      if (!t) return;
      this.track = null;
      await this.edit("removeTrack", { track: t.id });
    },
    async addTrack() {
      const c = await this.edit("addTrack", { name: `Track ${doc.tracks.size + 1}`, role: "dialogue" });
      const t = c?.outcome.made && doc.tracks.get(c.outcome.made[0]);
      if (t) this.chooseTrack(t);
    },
    /** @param {any} t */
    trackGain(t) {
      return `${t.gainDB < 0 ? "−" : ""}${Math.abs(t.gainDB).toFixed(1)} dB`;
    },
    /** @param {any} t */
    trackPan(t) {
      return t.pan === 0 ? "C" : `${t.pan < 0 ? "L" : "R"}${Math.round(Math.abs(t.pan) * 100)}`;
    },

    // ——— Sources ———

    async readSources() {
      this.sources = (await get(`/reels/${reelID}/sources`)).sources;
      if (this.source) this.source = this.sources.find((s) => s.id === this.source?.id) ?? null;
      if (!this.source) this.stage = "seam";
      queueMicrotask(() => this.drawMinis());
    },
    drawMinis() {
      if (this.tab !== "sources") return;
      requestAnimationFrame(() => {
        for (const c of document.querySelectorAll("canvas.mini")) {
          const s = doc.sources.get(Number(/** @type {HTMLElement} */ (c).dataset.source));
          if (s) drawMini(/** @type {HTMLCanvasElement} */ (c), s, waves);
        }
      });
    },
    showTab(/** @type {string} */ tab) {
      this.tab = tab;
      if (tab === "sources") setTimeout(() => this.drawMinis());
    },
    /** @param {Listed} s */
    sourceNote(s) {
      const d = s.details;
      return `${span(s.length, doc.props)} · ${s.right >= 0 ? "stereo" : "mono"} · ${d.nativeRate / 1000} kHz`;
    },
    /** @param {number} id @param {{from: number, to: number}} [stretch] */
    showSource(id, stretch) {
      const s = this.sources.find((x) => x.id === id);
      if (!s) return;
      this.showTab("sources");
      this.source = s;
      this.stage = "source";
      this.track = null;
      timeline.chosen.clear();
      this.takeChosen();
      timeline.redraw();
      setTimeout(() => sourceView.show(doc.sources.get(id) ?? null, stretch));
    },
    closeSource() {
      this.stage = "seam";
      this.source = null;
      if (player.route?.name === "source") player.stop();
      close.redraw();
    },
    takeMark() {
      const p = doc.props, n = sourceView.out - sourceView.in;
      this.mark = { from: sourceView.in, to: sourceView.out, text: `${span(n, p)} · ${frames(n, p).toFixed(1)} fr` };
    },
    /** @param {string} which @param {string} v */
    setMark(which, v) {
      const n = Math.round(Number(v) * doc.props.sampleRate);
      if (!Number.isFinite(n)) return;
      if (which === "in") sourceView.mark(n, Math.max(this.mark.to, n + 1));
      else sourceView.mark(Math.min(this.mark.from, n - 1), n);
    },
    markSeconds(/** @type {number} */ n) {
      return (n / doc.props.sampleRate).toFixed(3);
    },
    async layIn() {
      const s = this.source;
      if (!s) return;
      const length = this.mark.to - this.mark.from;
      const start = Math.round(timeline.playhead);
      const c = await this.edit("place", { source: s.id, track: this.target, start, offset: this.mark.from, length });
      if (c) this.laid(c);
    },
    /** Goes to a clip that was laid in. @param {Changed} c */
    laid(c) {
      const clip = c.outcome.made && doc.clips.get(c.outcome.made[0]);
      if (!clip) return;
      this.seek(clip.start + clip.length);
      timeline.show(clip.start, clip.start + clip.length);
      this.hint = `Laid in at ${timecode(clip.start, doc.props)}; the playhead stands behind it.`;
    },
    /** Drags a source from the list onto a track. @param {PointerEvent} e @param {Listed} s */
    takeHold(e, s) {
      if (e.button !== 0) return;
      const from = { x: e.clientX, y: e.clientY }, stretch = this.source?.id === s.id ? { offset: this.mark.from, length: this.mark.to - this.mark.from } : { offset: 0, length: s.length };
      let moved = false;
      /** @type {{track: number, start: number} | null} */
      let to = null;
      const stop = new AbortController(), signal = stop.signal;
      addEventListener("pointermove", (m) => {
        if (!moved && Math.hypot(m.clientX - from.x, m.clientY - from.y) < 6) return;
        moved = true;
        const box = el("lanes").getBoundingClientRect(), y = m.clientY - box.top + el("tracks").scrollTop;
        const row = timeline.layout().find((r) => y >= r.top && y < r.top + r.height);
        to = row && m.clientX >= box.left ? { track: row.track.id, start: Math.max(timeline.sample(m.clientX - box.left), 0) } : null;
        timeline.ghosts = to ? [{ ...to, length: stretch.length, name: s.name, bad: false, words: `${s.name} at ${timecode(to.start, doc.props)}` }] : [];
        this.hint = to ? "Let go to lay it in" : "Drag onto a track";
        timeline.redraw();
      }, { signal });
      const end = (/** @type {boolean} */ kept) => {
        stop.abort();
        timeline.ghosts = [];
        timeline.redraw();
        if (!kept) return;
        if (!moved) this.showSource(s.id);
        else if (to) void this.edit("place", { source: s.id, ...to, ...stretch }).then((c) => c && this.laid(c));
      };
      addEventListener("pointerup", () => end(true), { signal });
      addEventListener("keydown", (k) => k.key === "Escape" && end(false), { signal });
    },
    listenSource() {
      const s = this.source;
      if (!s) return;
      if (this.playing && player.route?.name === "source") {
        player.stop();
        return;
      }
      const from = sourceView.playhead >= this.mark.from && sourceView.playhead < this.mark.to - 100 ? sourceView.playhead : this.mark.from;
      this.hearing = "source";
      void player.play({
        name: "source", from, to: this.mark.to, ...(this.looping ? { loopFrom: this.mark.from } : {}),
        address: (a, b) => `/recordings/${s.recording}/${doc.props.sampleRate}/pcm?left=${s.left}&right=${s.right}&from=${a}&to=${b}`,
      });
    },
    /** @param {Listed} s */
    async removeSource(s) {
      try {
        doc.take(await send("DELETE", `/reels/${reelID}/sources/${s.id}`));
        this.closeSource();
        this.tell(`“${s.name}” is off the list.`, "Put it back", () => void send("POST", `/reels/${reelID}/sources/${s.id}/restore`).then((c) => doc.take(c)));
      } catch (err) {
        this.tell(say(err));
      }
    },

    // ——— Bringing in ———

    /** @param {File[] | FileList | null} files */
    bringIn(files) {
      if (!files?.length) return;
      this.showTab("sources");
      uploads.add(files);
    },
    /** @param {Event} e */
    pickFiles(e) {
      const input = /** @type {HTMLInputElement} */ (e.target);
      this.bringIn(input.files);
      input.value = "";
    },
    /** @param {ImportJob} j */
    takeImport(j) {
      const i = this.imports.findIndex((o) => o.id === j.id);
      if (i < 0) this.imports.push(j);
      else this.imports[i] = j;
    },
    get openImports() {
      return this.imports.filter((j) => j.state !== "done" || j.detail);
    },
    /** @param {ImportJob} j */
    importNote(j) {
      const part = j.progress >= 0 ? ` ${Math.round(j.progress * 100)} %` : "";
      return { receiving: `arriving${part}`, waiting: "waiting its turn", reading: `being read${part}`, choose: "choose channels", done: "taken in", failed: "not taken in", cancelled: "stopped" }[j.state] ?? j.state;
    },
    /** @param {ImportJob} j */
    importWidth(j) {
      return { width: `${Math.round(Math.max(j.progress, 0) * 100)}%` };
    },
    /** @param {ImportJob} j */
    cancelImport(j) {
      void uploads.cancel(j.id).catch((err) => this.tell(say(err)));
    },
    /** @param {ImportJob} j */
    dismiss(j) {
      this.imports = this.imports.filter((o) => o.id !== j.id);
    },
    /** @param {ImportJob} j */
    chooseChannels(j) {
      this.choosing = { id: j.id, name: j.name, channels: Array.from({ length: j.channels ?? 0 }, (_, i) => ({ n: i, take: false })), pair: false };
      el("channels").showModal();
    },
    get chosenChannels() {
      return (this.choosing?.channels ?? []).filter((/** @type {any} */ c) => c.take).map((/** @type {any} */ c) => c.n);
    },
    async takeChannels() {
      const j = this.choosing, picked = this.chosenChannels, stem = j.name.replace(/\.[^.]*$/, "");
      const picks = j.pair && picked.length === 2
        ? [{ left: picked[0], right: picked[1], name: stem }]
        : picked.map((/** @type {number} */ n) => ({ left: n, right: -1, name: `${stem} ch ${n + 1}` }));
      try {
        await send("POST", `/reels/${reelID}/imports/${j.id}/channels`, { picks });
        el("channels").close();
      } catch (err) {
        this.tell(say(err));
      }
    },

    // ——— Listening ———

    /** @param {number} at */
    seek(at) {
      timeline.movePlayhead(Math.max(Math.round(at), 0));
      if (this.playing && player.route?.name === "reel") void this.playFrom(timeline.playhead);
      else if (this.playing) player.stop();
      this.takeTime();
      close.movePlayhead(timeline.playhead);
    },
    takeTime() {
      this.timecode = timecode(timeline.playhead, doc.props);
    },
    /** @param {string} extra @returns {(a: number, b: number) => string} */
    address(extra) {
      return (a, b) => `/reels/${reelID}/pcm?from=${a}&to=${b}&revision=${doc.revision}${extra}`;
    },
    /** @param {number} from */
    async playFrom(from) {
      this.hearing = "reel";
      const s = timeline.span, loop = this.looping && s;
      const to = s && (loop || from < s.to) && from >= s.from ? s.to : Math.max(doc.length + doc.props.sampleRate, from + doc.props.sampleRate);
      await player.play({ name: "reel", from, to, ...(loop ? { from: s.from, to: s.to, loopFrom: s.from } : {}), address: this.address("") });
    },
    playStop() {
      if (this.stage === "source" && this.source) {
        this.listenSource();
        return;
      }
      if (this.playing) {
        const here = player.route?.name === "reel" ? player.position() : timeline.playhead;
        player.stop();
        timeline.movePlayhead(Math.round(here));
        this.takeTime();
      } else {
        void this.playFrom(Math.round(timeline.playhead));
      }
    },
    /** Plays the chosen seam with its surroundings. @param {string} how */
    async playSeam(how) {
      const s = this.seam;
      if (!s) {
        this.tell("Choose a seam first: N goes to the next one.");
        return;
      }
      const rate = doc.props.sampleRate, from = Math.max(s.at - Math.round(this.preRoll * rate), 0), to = s.at + Math.round(this.postRoll * rate);
      // Asked anew at each fetch: the blend may be put there while it loops.
      const extra = () => {
        const b = doc.blendOf(s.left, s.right)?.id ?? 0;
        if (how === "hard") return b ? `&hardCut=${b}` : "";
        if (how === "out") return `&silent=${s.right}`;
        if (how === "in") return `&silent=${s.left}`;
        return "";
      };
      this.hearing = how;
      await player.play({ name: how, from, to, ...(this.looping ? { loopFrom: from } : {}), address: (a, b) => this.address(extra())(a, b) });
    },
    toggleLoop() {
      this.looping = !this.looping;
      if (this.playing && this.hearing === "reel") void this.playFrom(Math.round(player.position()));
      else if (this.playing && this.hearing === "source") this.listenSource();
      else if (this.playing) void this.playSeam(this.hearing);
    },
    /** The playhead goes back to where a listening began. */
    rest() {
      close.movePlayhead(timeline.playhead);
      timeline.drawOver();
    },
    tick() {
      if (!player.playing) return;
      const at = player.position();
      if (player.route?.name === "source") {
        sourceView.playhead = at;
        sourceView.redraw();
        return;
      }
      if (player.route?.name === "reel") {
        timeline.movePlayhead(at, true);
        this.takeTime();
      } else {
        // A listened seam moves the line, not the place where one works.
        const place = timeline.playhead;
        timeline.movePlayhead(at, true);
        timeline.playhead = place;
        this.timecode = timecode(Math.round(at), doc.props);
      }
      close.movePlayhead(at);
    },
    /** @param {number[]} peaks */
    meter(peaks) {
      ["left", "right"].forEach((side, i) => {
        const db = 20 * Math.log10(Math.max(peaks[i], 1e-6)), bar = el(`meter-${side}`);
        bar.style.height = `${Math.min(Math.max((db + 60) / 60, 0), 1) * 100}%`;
        bar.classList.toggle("hot", db > -0.1);
      });
    },

    // ——— Span, export, keys ———

    takeSpan() {
      const s = timeline.span;
      this.spanAt = s ? { ...s } : null;
      this.spanText = s ? `${span(s.to - s.from, doc.props)} · ${frames(s.to - s.from, doc.props).toFixed(1)} fr` : "";
      const bar = el("spanbar");
      if (s) bar.style.left = `${Math.min(Math.max(118 + timeline.x(s.from), 122), timeline.width - 190)}px`;
    },
    clearSpan() {
      timeline.span = null;
      timeline.redraw();
      this.takeSpan();
    },
    playSpan() {
      if (timeline.span) void this.playFrom(timeline.span.from);
    },
    /** @param {"from" | "to"} end */
    setSpan(end) {
      const at = Math.round(timeline.playhead), s = timeline.span ?? { from: 0, to: doc.length };
      const next = { ...s, [end]: at };
      timeline.span = next.to > next.from ? next : end === "from" ? { from: at, to: Math.max(doc.length, at + 1) } : { from: 0, to: Math.max(at, 1) };
      timeline.redraw();
      this.takeSpan();
    },

    openExport() {
      const s = timeline.span, p = doc.props;
      if (!doc.length) {
        this.tell("This reel has no clips yet, so there is nothing to export. Lay in a source first.");
        return;
      }
      const x = this.exporting;
      [x.fromAt, x.toAt] = s ? [s.from, Math.min(s.to, doc.length)] : [0, doc.length];
      x.from = timecode(x.fromAt, p);
      x.to = timecode(x.toAt, p);
      el("export").showModal();
      void this.survey();
    },
    /** @param {"from" | "to"} end @param {string} text */
    async setExport(end, text) {
      const x = this.exporting;
      try {
        const place = await this.readTimecode(text);
        if (end === "from") x.fromAt = place.sample;
        else x.toAt = Math.min(place.sample, doc.length);
        await this.survey();
      } catch (err) {
        x.survey = null;
        x.problem = say(err);
      }
    },
    /** Has the server read a timecode: where it lies in the reel. @param {string} text @returns {Promise<{sample: number, text: string}>} */
    readTimecode(text) {
      return get(`/reels/${reelID}/timecode?text=${encodeURIComponent(text)}`);
    },
    exportQuery() {
      return `from=${this.exporting.fromAt}&to=${this.exporting.toAt}&bits=${this.exporting.bits}&channels=${this.exporting.channels}`;
    },
    async survey() {
      const x = this.exporting;
      x.busy = true;
      x.problem = "";
      x.survey = null;
      try {
        const s = /** @type {Survey} */ (await get(`/reels/${reelID}/export/survey?${this.exportQuery()}`));
        x.survey = {
          length: span(s.length, doc.props), size: s.bytes > 1e6 ? `${(s.bytes / 1e6).toFixed(1)} MB` : `${Math.ceil(s.bytes / 1000)} kB`,
          peak: s.peakDB <= -144 ? "silence" : `${s.peakDB < 0 ? "−" : "+"}${Math.abs(s.peakDB).toFixed(1)} dBFS`, over: s.over, exact: s.exact && x.bits !== 32,
        };
      } catch (err) {
        x.problem = say(err);
      }
      x.busy = false;
    },
    doExport() {
      if (this.exporting.problem) return;
      const a = document.createElement("a");
      a.href = `/api/v1/reels/${reelID}/export?${this.exportQuery()}`;
      a.download = "";
      a.click();
      el("export").close();
    },

    groups: [...new Set(commands.map((c) => c.group))].map((group) => ({ group, commands: commands.filter((c) => c.group === group).map((c) => ({ name: c.name, keys: c.keys.map(keyName) })) })),
    /** The keys of a command, for tooltips. @param {string} id */
    keyOf(id) {
      const c = commands.find((k) => k.id === id);
      return c ? keyName(c.keys[0]) : "";
    },
    /** A tooltip with the keys in force. @param {string} text @param {string} id */
    tip(text, id) {
      return `${text} (${this.keyOf(id)})`;
    },
    help() {
      el("help").showModal();
    },

    /** @param {KeyboardEvent} e */
    key(e) {
      if (e.defaultPrevented || document.querySelector("dialog[open]")) return;
      const target = /** @type {HTMLElement} */ (e.target);
      const writing = target.matches?.("input:not([type=range]):not([type=checkbox]), select, textarea");
      const id = commandOf(e);
      if (writing) {
        if (e.key === "Escape" || e.key === "Enter") target.blur();
        return;
      }
      if (!id) return;
      // A button keeps its own keys, a slider its arrows, the ledger its up and down.
      if (target.matches?.("button, a, summary, [role=option]") && (e.key === " " || e.key === "Enter") && !e.shiftKey && target.dataset.keys !== "pass") return;
      if (target.matches?.("input[type=range], [role=radio]") && e.key.startsWith("Arrow")) return;
      if (this.run(id)) e.preventDefault();
    },

    /** @param {string} id @returns {boolean} whether it is a command */
    run(id) {
      const p = doc.props, frame = Math.round(frameLength(p)), rate = p.sampleRate;
      const step = (/** @type {number} */ n) => this.seek(sampleOf(Math.max(frameOf(Math.round(timeline.playhead), p) + n, 0), p));
      /** @type {Record<string, () => void>} */
      const does = {
        play: () => this.playStop(),
        playBlend: () => void this.playSeam("blend"),
        playHard: () => void this.playSeam("hard"),
        playOut: () => void this.playSeam("out"),
        playIn: () => void this.playSeam("in"),
        loop: () => this.toggleLoop(),
        nextSeam: () => this.stepSeam(1),
        prevSeam: () => this.stepSeam(-1),
        frameLeft: () => step(-1), frameRight: () => step(1), tenLeft: () => step(-10), tenRight: () => step(10),
        toStart: () => this.seek(0), toEnd: () => this.seek(doc.length),
        spanIn: () => (this.stage === "source" ? sourceView.mark(Math.max(sourceView.playhead, 0), this.mark.to) : this.setSpan("from")),
        spanOut: () => (this.stage === "source" ? sourceView.mark(this.mark.from, Math.max(sourceView.playhead, 1)) : this.setSpan("to")),
        zoomIn: () => (this.stage === "source" ? sourceView.zoom(0.6) : timeline.zoom(0.6)),
        zoomOut: () => (this.stage === "source" ? sourceView.zoom(1 / 0.6) : timeline.zoom(1 / 0.6)),
        zoomSeam: () => {
          if (!this.seam) return;
          timeline.look(this.seam.at - rate * 1.5, (rate * 3) / timeline.width);
        },
        zoomWhole: () => timeline.whole(),
        blend: () => this.putBlend(), hardCut: () => this.takeBlendOff(),
        longer: () => this.nudge(frame), shorter: () => this.nudge(-frame),
        longerTen: () => this.nudge(10 * frame), shorterTen: () => this.nudge(-10 * frame),
        longerMs: () => this.nudge(Math.round(rate / 1000)), shorterMs: () => this.nudge(-Math.round(rate / 1000)),
        chooseOut: () => this.chooseSide("left"), chooseIn: () => this.chooseSide("right"),
        chooseCut: () => this.seam && this.chooseSeam(this.seam),
        takeOut: () => this.takeOut(),
        undo: () => void this.undoStep(), redo: () => void this.redoStep(),
        export: () => this.openExport(), help: () => this.help(),
        back: () => this.backOut(),
      };
      does[id]?.();
      return id in does;
    },

    /** Escape backs out of what is going on, the nearest first. */
    backOut() {
      if (timeline.backOut) timeline.backOut(new KeyboardEvent("keydown"));
      else if (close.backOut) close.backOut();
      else if (this.playing) player.stop();
      else if (this.toast) this.toast = null;
      else if (timeline.span) this.clearSpan();
      else if (this.stage === "source") this.closeSource();
      else if (timeline.chosen.size || this.track) {
        timeline.chosen.clear();
        this.track = null;
        this.takeChosen();
        timeline.redraw();
      }
    },

    /** @param {number} factor */
    zoomClose(factor) {
      close.zoom(factor);
    },
    /** @param {string} v */
    async gotoTime(v) {
      try {
        const place = await this.readTimecode(v);
        this.seek(place.sample);
        timeline.show(place.sample, place.sample);
      } catch (err) {
        this.tell(say(err));
        this.takeTime();
      }
    },
    theme() {
      toggleTheme();
    },

    // ——— Messages and addresses ———

    /** @param {string} text @param {string} [action] @param {(() => void) | null} [run] */
    tell(text, action = "", run = null) {
      clearTimeout(toastTimer);
      this.toast = { text, action, run };
      if (!action) toastTimer = setTimeout(() => (this.toast = null), 9000);
    },
    toastRun() {
      const run = this.toast?.run;
      this.toast = null;
      run?.();
    },

    toAddress() {
      const s = this.seam;
      if (s) history.replaceState(null, "", `?seam=${s.left}-${s.right}`);
    },
    /** Opens a deep link: a seam, or a time in samples. */
    fromAddress() {
      const q = new URLSearchParams(location.search), pair = /^(\d+)-(\d+)$/.exec(q.get("seam") ?? "");
      const s = pair && doc.seams.find((x) => x.left === Number(pair[1]) && x.right === Number(pair[2]));
      if (s) this.chooseSeam(s);
      else if (this.seam) this.chooseSeam(this.seam);
      const at = Number(q.get("at"));
      if (q.has("at") && Number.isFinite(at)) {
        this.seek(at);
        timeline.show(at, at);
      }
      const src = Number(q.get("source"));
      if (src) this.showSource(src);
      if (!s && !q.has("at")) timeline.whole();
      this.takeTime();
    },
  };
  return page;
}

document.addEventListener("alpine:init", () => Alpine.data("bench", bench));
