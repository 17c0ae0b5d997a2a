// The bench: one reel, its ledger of seams, the close-up and the timeline.

import { say } from "./api.js";
import { acting } from "./acting.js";
import { clips } from "../timeline/clips.js";
import { exporting } from "../dialogs/export.js";
import { filling } from "../room/fill.js";
import { guiding } from "./guide.js";
import { holes } from "../room/holes.js";
import { keys } from "./commands.js";
import { ledger } from "../ledger/ledger.js";
import { listening } from "../audio/listen.js";
import { lists } from "../dialogs/lists.js";
import { measures } from "../closeup/measures.js";
import { mending } from "./mend.js";
import { menus } from "./menu.js";
import { palette } from "./palette.js";
import { picture } from "../picture/picture.js";
import { presets } from "../closeup/presets.js";
import { rooms } from "../room/room.js";
import { sources } from "../sources/sources.js";
import { splitting } from "../picture/split.js";
import { steps } from "../history/history.js";
import { striking } from "../room/strike.js";
import { sweeping } from "../ledger/sweep.js";
import { trimming } from "../timeline/trim.js";
import { viewing } from "./view.js";
import { CloseView } from "../closeup/closeup.js";
import { dye, toggleTheme, watchColours } from "../lib/colours.js";
import { Doc } from "./doc.js";
import { Frames } from "../picture/frames.js";
import { importList, join } from "../sources/imports.js";
import { loadKeys } from "./keys.js";
import { Player } from "../audio/player.js";
import { SourceView } from "../sources/sourceview.js";
import { SplitLine } from "../picture/splitline.js";
import { Strip } from "../timeline/strip.js";
import { frames, ms, rateName, span } from "../lib/timecode.js";
import { Timeline } from "../timeline/timeline.js";
import { Uploads, catchDrops } from "../sources/uploads.js";
import { Waves } from "../timeline/waves.js";

/** @param {string} id @returns {any} */
const el = (id) => document.getElementById(id);

/**
 * What the parts of the bench share.
 * @typedef {object} Tools
 * @property {Doc} doc
 * @property {Waves} waves
 * @property {Timeline} timeline
 * @property {CloseView} close
 * @property {Strip} strip
 * @property {Frames} frames
 * @property {SplitLine} split
 * @property {SourceView} sourceView
 * @property {Player} player
 * @property {Uploads} uploads
 */

function bench() {
  const doc = new Doc(Number(document.body.dataset.reel));
  // The rest is made when the reel is here.
  const tools = /** @type {Tools} */ ({ doc });
  /** @type {ReturnType<typeof setTimeout> | undefined} */ let toastTimer;

  const page = /** @type {ThisType<any> & Record<string, any>} */ ({
    ready: false,
    name: "",
    rateText: "",
    tab: "seams",
    /** @type {any[]} */ seams: [],
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
    clipHandles: "",
    acting: "cut",
    later: "stay",
    snapping: true,
    /** @type {number[]} */ working: [],
    stretchName: "",
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
    spanOf: "",
    length: 0,
    exporting: { from: "", to: "", fromAt: 0, toAt: 0, bits: 24, channels: 2, file: "wav", turn: 0, survey: /** @type {any} */ (null), problem: "", busy: false },

    async init() {
      try {
        await Promise.all([doc.load(), loadKeys()]);
      } catch (err) {
        this.tell(say(err));
        return;
      }
      tools.waves = new Waves(doc.props.sampleRate, () => {
        tools.timeline.redraw();
        tools.close.redraw();
        tools.sourceView.redraw();
        tools.split.redraw();
        this.drawMinis();
      });
      tools.timeline = new Timeline(doc, tools.waves, { tracks: el("tracks"), lanes: el("lanes"), ruler: el("ruler"), over: el("playhead"), scroll: el("scroll") });
      tools.frames = new Frames(() => {
        this.tickPicture(); // at once: the next drawing of the page may be a while off
        tools.timeline.redraw();
        tools.sourceView?.redraw();
        this.drawMinis();
      });
      tools.timeline.frames = tools.frames;
      tools.split = new SplitLine(tools, el("splitline"));
      tools.strip = new Strip(tools.timeline, el("strip"));
      tools.close = new CloseView(doc, tools.waves, el("closeup"), el("closeup-over"));
      tools.sourceView = new SourceView(doc, tools.waves, el("source-wave"));
      tools.sourceView.frames = tools.frames;
      tools.player = new Player(doc.props.sampleRate);
      tools.player.readyAtFirstGesture();
      tools.uploads = new Uploads(doc.id, (_, detail) => this.tell(detail));
      watchColours(() => {
        tools.timeline.redraw();
        tools.strip.redraw();
        tools.close.redraw();
        tools.sourceView.redraw();
        tools.split.redraw();
        this.drawn = {};
        this.drawMinis();
      });
      await document.fonts.ready;
      tools.timeline.keyOf = (id) => this.keyOf(id);
      this.wire();
      this.takeDoc();
      this.takeSeams();
      tools.timeline.whole();
      // Each time the line is there: what was told meanwhile is read.
      doc.addEventListener("open", () => void this.readImports());
      doc.watch();
      await Promise.all([this.readSources(), this.readPresets(), this.readMissing()]);
      this.fromAddress();
      this.ready = true;
      void this.readContinuity();
      const tick = () => {
        // What is heard is asked once, so that picture, lines and timecode tell of one moment.
        const heard = tools.player.playing ? tools.player.position() : undefined;
        this.tick(heard);
        this.tickPicture(heard);
        requestAnimationFrame(tick);
      };
      requestAnimationFrame(tick);
    },

    wire() {
      doc.addEventListener("change", (e) => {
        this.takeDoc();
        tools.player.refresh();
        const c = /** @type {CustomEvent<Changed>} */ (e).detail;
        if (!c?.change || c.change.sources || c.change.clips || c.change.shifts) void this.readSources();
        if (!c?.change || c.change.sources || c.change.clips) void this.readMissing();
        void this.readSteps();
        this.wantContinuity();
        if (this.tab === "room" && (!c?.change || c.change.swatches)) void this.readRooms();
      });
      doc.addEventListener("quiet", (e) => {
        const { name, progress } = /** @type {CustomEvent} */ (e).detail;
        if (this.finding.name === name) this.finding.progress = progress;
      });
      doc.addEventListener("seams", () => {
        this.takeSeams();
        tools.strip.redraw();
      });
      // While thousands of seams are measured, news of them comes faster than a page can show it.
      let told = false;
      doc.addEventListener("rated", () => {
        if (told) return;
        told = true;
        setTimeout(() => {
          told = false;
          this.takeRated();
          tools.strip.redraw();
        }, Math.min(doc.seams.length / 10, 300));
      });
      doc.addEventListener("state", () => this.takeState());
      doc.looping = () => this.playing && this.looping && ["blend", "out", "in"].includes(this.hearing);
      doc.addEventListener("trial", (e) => {
        const trial = /** @type {CustomEvent<string>} */ (e).detail;
        if (!doc.looping() || trial === this.heardAs) return;
        this.heardAs = trial;
        tools.player.refresh();
      });
      doc.addEventListener("sweep", (e) => {
        const { name, progress } = /** @type {CustomEvent} */ (e).detail;
        if (this.sweep?.name === name) this.sweep.progress = progress;
      });
      doc.addEventListener("import", (e) => this.takeImport(/** @type {CustomEvent<ImportJob>} */ (e).detail));
      for (const part of [tools.timeline, tools.close, tools.sourceView, tools.split]) part.addEventListener("hint", (e) => (this.hint = /** @type {CustomEvent<string>} */ (e).detail));
      tools.timeline.addEventListener("playhead", (e) => this.seek(/** @type {CustomEvent<number>} */ (e).detail));
      tools.timeline.addEventListener("choose-seam", (e) => {
        const { seam, edge, keep } = /** @type {CustomEvent} */ (e).detail;
        this.chooseSeam(seam, edge, true, keep);
      });
      tools.timeline.addEventListener("choose-clips", (e) => this.chooseClips(/** @type {CustomEvent<number[]>} */ (e).detail));
      tools.timeline.addEventListener("menu", (e) => this.openMenu(/** @type {CustomEvent} */ (e).detail));
      addEventListener("pointerdown", (e) => {
        if (this.menu && !(/** @type {HTMLElement} */ (e.target).closest("#menu"))) this.menu = null;
      }, true);
      tools.timeline.addEventListener("working", () => this.takeWorking());
      tools.timeline.addEventListener("close-up", (e) => {
        const r = /** @type {CustomEvent<DryRun | null>} */ (e).detail;
        tools.close.trial = Boolean(r);
        if (r?.closeUp) tools.close.rehearse(r.closeUp, r.change);
        else void tools.close.read();
      });
      tools.timeline.addEventListener("choose-clip", (e) => {
        const { clip, more } = /** @type {CustomEvent} */ (e).detail;
        this.chooseClip(clip, more);
      });
      tools.timeline.addEventListener("show-source", (e) => {
        const { source, clip } = /** @type {CustomEvent} */ (e).detail;
        this.showSource(source, { from: clip.offset, to: clip.offset + clip.length });
      });
      tools.timeline.addEventListener("layout", () => this.takeLayout());
      tools.timeline.addEventListener("span", () => this.takeSpan());
      tools.timeline.addEventListener("view", () => this.takeSpan());
      tools.timeline.addEventListener("edit", (e) => {
        const { kind, what, offer, nearest } = /** @type {CustomEvent} */ (e).detail;
        void this.edit(kind, what, offer, nearest);
      });
      tools.split.addEventListener("edit", (e) => {
        const { kind, what, nearest } = /** @type {CustomEvent} */ (e).detail;
        void this.edit(kind, what, undefined, nearest);
      });
      tools.close.addEventListener("edit", (e) => {
        const { kind, what, nearest } = /** @type {CustomEvent} */ (e).detail;
        void this.edit(kind, what, undefined, nearest);
      });
      tools.close.addEventListener("playhead", (e) => this.seek(/** @type {CustomEvent<number>} */ (e).detail));
      tools.close.addEventListener("info", () => this.takeInfo());
      tools.close.addEventListener("scale", () => (this.scaleText = `×${tools.close.scale < 10 ? tools.close.scale.toFixed(1).replace(".0", "") : Math.round(tools.close.scale)}`));
      tools.close.addEventListener("limit", (e) => (this.limit = /** @type {CustomEvent<string>} */ (e).detail));
      tools.sourceView.addEventListener("mark", () => this.takeMark());
      tools.player.addEventListener("state", (e) => {
        this.playing = tools.player.playing;
        if (!tools.player.playing) {
          this.dropLeadTrial();
          this.hearing = "";
          this.heardAs = "";
          el("meter-left").style.height = el("meter-right").style.height = "0";
          if (/** @type {CustomEvent} */ (e).detail === "ended" && tools.player.route?.name !== "reel") this.rest();
          if (/** @type {CustomEvent} */ (e).detail === "ended") this.walkOn();
          else this.walking = null;
        }
      });
      tools.player.addEventListener("trouble", (e) => this.tell(say(/** @type {CustomEvent} */ (e).detail)));
      tools.player.addEventListener("meter", (e) => this.meter(/** @type {CustomEvent<number[]>} */ (e).detail));
      // How one likes to listen and what one looks through is kept.
      for (const habit of ["rolls", "filter", "order", "later", "snapping", "pictureOpen", "nudgeBy", "folded", "shownOnLine", "lately", "guideSeen"]) {
        const kept = localStorage.getItem(habit);
        if (kept !== null) this[habit] = JSON.parse(kept);
        if (habit === "filter" && !["all", "mend", "check", "unknown", "fine"].includes(this.filter)) this.filter = "all";
        this.$watch(habit, (/** @type {unknown} */ v) => localStorage.setItem(habit, JSON.stringify(v)));
      }
      this.$watch("target", (/** @type {number} */ id) => {
        if (id && !tools.timeline.working.has(id)) {
          tools.timeline.working = new Set([id]);
          this.takeWorking();
        }
      });
      for (const what of ["seam", "playing", "revision"]) this.$watch(what, () => this.watchGuide());
      this.setLater(this.later);
      this.setSnapping(this.snapping);
      this.takeShown();
      this.hint = "";
      // Another page of this browser may have set other keys.
      addEventListener("storage", (e) => {
        if (e.key === "keys-changed") void loadKeys().then(() => location.reload());
      });
      addEventListener("keydown", (e) => this.key(e));
      // What was clicked gives the keys back: space plays and enter plays the
      // seam, whatever was touched last. Those who go by keys keep their place.
      addEventListener("click", (e) => {
        const target = /** @type {HTMLElement} */ (e.target);
        if (e.detail > 0 && !target.closest("dialog")) target.closest("button")?.blur();
      });
      addEventListener("change", (e) => {
        const target = /** @type {HTMLElement} */ (e.target);
        if (target.matches("input[type=range], select") && !target.closest("dialog") && !target.matches(":focus-visible")) target.blur();
      });
      // A field of the card keeps what is typed, and what is marked to be typed over, whatever arrives meanwhile.
      const field = (/** @type {Event} */ e) => /** @type {HTMLElement} */ (e.target).closest?.(".desk input.field");
      for (const on of ["focusin", "input"]) addEventListener(on, (e) => field(e) && (this.typing = true));
      addEventListener("change", (e) => field(e) && (this.typing = false), true);
      addEventListener("focusout", (e) => {
        if (!field(e) || !this.typing) return;
        this.typing = false;
        this.takeInfo();
        this.takeChosen();
      });
      new ResizeObserver(() => (this.ledgerHeight = el("ledger").clientHeight)).observe(el("ledger"));
      catchDrops((over) => (this.over = over), (files) => this.bringIn(files));
    },

    // ——— What is known ———

    takeLayout() {
      const rows = tools.timeline.layout();
      this.tracks = rows.map((r) => ({ ...r.track, percent: r.track.height, top: r.top, height: r.height, dye: dye(r.track) }));
      this.sheetHeight = rows.reduce((h, r) => Math.max(h, r.top + r.height + 4), 0);
    },

    takeDoc() {
      this.heardAs = ""; // what is saved is heard
      this.takeLayout();
      this.takePicture();
      this.name = doc.props.name;
      this.rateText = `${rateName(doc.props.frameRate)} fps`;
      this.undo = doc.undoLabel;
      this.redo = doc.redoLabel;
      this.revision = doc.revision;
      if (!doc.tracks.has(this.target)) this.target = this.tracks[0]?.id ?? 0;
      if (this.track) this.track = doc.tracks.get(this.track.id) ? { ...doc.tracks.get(this.track.id) } : null;
      for (const id of [...tools.timeline.chosen]) if (!doc.clips.has(id)) tools.timeline.chosen.delete(id);
      this.takeWorking();
      this.takeSpan();
      this.takeChosen();
      this.takeMarkers();
      this.takeState();
      tools.timeline.redraw();
      void tools.close.read();
      tools.close.redraw();
    },

    takeState() {
      this.saveState = doc.waiting ? "Waiting" : !doc.connected || doc.databaseAway ? "No connection" : doc.saving > 0 ? "Saving" : "Saved";
    },

    takeSeams() {
      this.length = doc.length;
      this.takeRated();
      setTimeout(() => void this.readLeads());
      const mine = this.seam;
      if (mine) {
        // After a trim the two may have parted: go with the edge that is acted on. After a split
        // one of them is another clip, at the same place.
        const edge = this.acting === "in" || this.acting === "out", incoming = this.acting === "in";
        // What was struck and is lifted leaves its clip's own seams; they never become a struck span.
        const plain = doc.seams.filter((s) => s.kind !== "struck");
        const along = (/** @type {Seam} */ s) => (incoming ? s.right === mine.right && mine.right !== 0 : s.left === mine.left && mine.left !== 0);
        const here = (/** @type {Seam} */ s) => s.track === mine.track && s.at === mine.at && s.kind === mine.kind;
        const still = doc.seams.find((s) => s.left === mine.left && s.right === mine.right)
          ?? (edge ? plain.find(along) : doc.seams.find(here)) ?? plain.find(along)
          ?? plain.find((s) => s.kind === "cut" && (s.left === mine.left && mine.left !== 0 || s.right === mine.right && mine.right !== 0))
          ?? plain.find((s) => (s.left === mine.left && mine.left !== 0) || (s.right === mine.right && mine.right !== 0));
        if (still) this.setSeam(still);
        else this.setSeam(doc.seams.find((s) => s.at >= mine.at) ?? doc.seams.at(-1) ?? null);
      } else if (doc.seams.length && !this.ready) {
        this.setSeam(doc.seams.find((s) => s.kind === "cut") ?? doc.seams[0]);
      }
      tools.timeline.redraw();
    },

    /** @param {any} s */
    isSeam(s) {
      return Boolean(this.seam && s.left === this.seam.left && s.right === this.seam.right);
    },

    /** @param {Seam | null} s */
    setSeam(s) {
      const another = !s || !this.seam || s.left !== this.seam.left || s.right !== this.seam.right, other = another || s.at !== this.seam.at;
      this.seam = s ? { ...s } : null;
      tools.timeline.seam = tools.split.seam = this.seam;
      void this.readLeads();
      tools.split.redraw();
      const row = this.rowFor(this.seam);
      this.seamNumber = row?.number ?? 0;
      this.seamTitle = row?.title ?? "";
      if (another) {
        this.leaveBetter();
        this.holdSeam();
        this.$nextTick(() => this.bringRow());
      }
      if (other) {
        this.limit = "";
        void tools.close.look(this.seam);
      } else {
        tools.close.seam = this.seam;
        void tools.close.read();
      }
      tools.timeline.redraw();
    },

    /** Shows a seam everywhere. @param {Seam} s @param {string} [edge] which of its edges is meant @param {boolean} [here] it was pointed at: the timeline keeps its view @param {boolean} [keep] clips that are chosen stay so */
    chooseSeam(s, edge, here = false, keep = false) {
      this.setSeam(s);
      if (edge) this.acting = edge;
      else if (["clip", "slip", "slide"].includes(this.acting)) this.acting = "cut";
      tools.timeline.working = new Set([s.track]);
      this.takeWorking();
      this.stage = "seam";
      this.source = null;
      if (!keep) tools.timeline.chosen.clear();
      this.track = null;
      this.takeChosen();
      if (!this.playing) this.seek(s.at);
      const reach = doc.props.sampleRate * 2;
      if (!here) tools.timeline.show(s.at - reach, s.at + reach);
      this.bringRow();
      this.toAddress();
    },

    takeInfo() {
      this.takeMeasured();
      if (this.typing) return; // what one types is not written over; it is taken up afterwards
      this.takeStruck();
      const i = tools.close.info, p = doc.props;
      tools.timeline.around = Math.round(tools.close.around);
      this.aroundText = `±${span(tools.close.around, p)}`;
      if (!i) {
        this.blend = this.fade = this.room = null;
        return;
      }
      const say2 = (/** @type {number} */ n) => `${span(n, p)} · ${frames(n, p).toFixed(1)} fr`;
      this.room = i.room ? { out: say2(i.room.handleOut), in: say2(i.room.handleIn), before: i.room.before, after: i.room.after, any: i.room.before + i.room.after > 0 } : null;
      if (i.blend) {
        const b = i.blend, n = b.before + b.after, lie = /** @type {"before" | "after" | "across"} */ (b.after === 0 ? "before" : b.before === 0 ? "after" : "across");
        const most = i.room ? i.room[lie] : n;
        this.blend = { ...b, base: b.law.replace("Eased", ""), eased: b.law.endsWith("Eased") ? "Eased" : "", matched: b.law === "matched", length: n, lie, ms: Number(ms(n, p).toFixed(1)), fr: Number(frames(n, p).toFixed(2)), max: Math.max(most, n), slide: Math.round(1000 * Math.cbrt(n / Math.max(most, n))), most: span(Math.max(most, n), p), apart: Boolean(b.out?.shape || b.in?.shape), outSide: b.out ?? { shape: "", bend: b.lean }, inSide: b.in ?? { shape: "", bend: b.lean }, leanText: b.lean === 0.5 ? "even" : b.lean < 0.5 ? `${Math.round((0.5 - b.lean) * 200)} % early` : `${Math.round((b.lean - 0.5) * 200)} % late`, sides: `${Math.round(ms(b.before, p))} ms before, ${Math.round(ms(b.after, p))} after` };
      } else {
        this.blend = null;
      }
      const s = this.seam, c = s && s.kind !== "cut" ? doc.clips.get(s.right || s.left) : null;
      this.fade = c && s && s.kind !== "struck" ? this.fadeOf(c, s.kind === "head" ? "head" : "tail", i.fade ?? { length: 0, shape: "constantPower", bend: 0.5 }) : null;
    },

    /** @param {Clip} c @param {string} end @param {Fade} f */
    fadeOf(c, end, f) {
      const p = doc.props;
      return { ...f, clip: c.id, end, ms: Number(ms(f.length, p).toFixed(1)), fr: Number(frames(f.length, p).toFixed(2)), bendText: f.bend === 0.5 ? "even" : f.bend < 0.5 ? `${Math.round((0.5 - f.bend) * 200)} % early` : `${Math.round((f.bend - 0.5) * 200)} % late`, most: span(Math.max(tools.close.info?.fadeRoom ?? c.length, f.length), p) };
    },

    /** @param {number} factor */
    zoomLine(factor) {
      tools.timeline.zoom(factor, this.seam?.at ?? tools.timeline.playhead);
    },
    /** @param {number} factor */
    zoomClose(factor) {
      tools.close.zoom(factor);
    },
    /** @param {string} v */
    gotoTime(v) {
      // What is pressed meanwhile means the place that one goes to.
      const going = (this.going ?? Promise.resolve()).then(() => this.goToTime(v)).then(() => {
        if (this.going === going) this.going = null;
      });
      this.going = going;
    },
    /** @type {Promise<void> | null} */ going: null,
    typing: false,
    /** @param {string} v */
    async goToTime(v) {
      try {
        const place = await this.readTimecode(v);
        this.seek(place.sample);
        tools.timeline.show(place.sample, place.sample);
      } catch (err) {
        this.tell(say(err));
        // What is bound has not changed, so what was typed is put right by hand.
        el("timecode").value = this.timecode;
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
    /** By key: what the message offers, where it does. */
    takeOffer() {
      if (this.toast?.action) this.toastRun();
      else this.hint = "No message offers anything";
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
        tools.timeline.show(at, at);
      }
      const src = Number(q.get("source"));
      if (src) this.showSource(src);
      if (!s && !q.has("at")) tools.timeline.whole();
      this.takeTime();
    },
  });
  return join(page, ledger(tools), picture(tools), splitting(tools), lists(tools), measures(tools), presets(tools), striking(tools), filling(tools), rooms(tools), holes(tools), sweeping(tools), mending(tools), acting(tools), trimming(tools), menus(tools), clips(tools), steps(tools), sources(tools), importList(tools), listening(tools), exporting(tools), viewing(tools), palette(tools), guiding(tools), keys(tools));
}

document.addEventListener("alpine:init", () => Alpine.data("bench", bench));
