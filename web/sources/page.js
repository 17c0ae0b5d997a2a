// The sources of a reel: what they are, where they are used, and listening.

import { get, say, send } from "../app/api.js";
import { toggleTheme, watchColours } from "../lib/colours.js";
import { Doc } from "../app/doc.js";
import { imports } from "./imports.js";
import { panel } from "../lib/panel.js";
import { addShown } from "../lib/shown.js";
import { Player } from "../audio/player.js";
import { drawMini } from "./sourceview.js";
import { at as timecode, format, frameOf } from "../lib/timecode.js";
import { Uploads, catchDrops } from "./uploads.js";
import { Waves } from "../timeline/waves.js";

function sources() {
  const reelID = Number(document.body.dataset.reel);
  const doc = new Doc(reelID);
  /** @type {Waves} */ let waves;
  /** @type {Player} */ let player;
  const app = /** @type {{uploads: Uploads, page: {tell: (text: string) => void}}} */ ({});

  const page = panel({
    ready: false,
    /** @type {Listed[]} */ sources: [],
    imports: imports(app),
    /** @type {{text: string, action: string, run: (() => void) | null} | null} */ toast: null,
    over: false,
    playingID: 0,

    async init() {
      await doc.load();
      waves = new Waves(doc.props.sampleRate, () => this.draw());
      player = new Player(doc.props.sampleRate);
      player.readyAtFirstGesture();
      app.uploads = new Uploads(reelID, (_, detail) => this.tell(detail));
      watchColours(() => this.draw());
      doc.addEventListener("change", () => void this.read());
      doc.addEventListener("import", (e) => {
        this.imports.take(/** @type {CustomEvent<ImportJob>} */ (e).detail);
      });
      player.addEventListener("state", () => {
        if (!player.playing) this.playingID = 0;
      });
      catchDrops(
        (over) => (this.over = over),
        (files) => app.uploads.add(files),
      );
      // Each time the line is there: what was told meanwhile is read.
      doc.addEventListener("open", () => void this.imports.read());
      doc.watch();
      await this.read();
      this.ready = true;
    },
    async read() {
      this.sources = (await get(`/reels/${reelID}/sources`)).sources;
      // The rows are there after Alpine's turn and a layout.
      requestAnimationFrame(() => requestAnimationFrame(() => this.draw()));
    },
    draw() {
      for (const c of document.querySelectorAll("canvas.mini")) {
        const s = this.sources.find((/** @type {Listed} */ o) => o.id === Number(/** @type {HTMLElement} */ (c).dataset.source));
        if (s) drawMini(/** @type {HTMLCanvasElement} */ (c), s, waves);
      }
    },
    theme() {
      toggleTheme();
    },
    /** @param {Listed} s */
    length(s) {
      const sec = s.length / doc.props.sampleRate;
      return sec < 60 ? `${sec.toFixed(2)} s` : `${Math.floor(sec / 60)}:${(sec % 60).toFixed(1).padStart(4, "0")}`;
    },
    /** @param {Listed} s */
    channels(s) {
      const which = s.right >= 0 ? "stereo" : "mono",
        many = s.details.channels > 2 ? `, channel ${s.left + 1}${s.right >= 0 ? ` and ${s.right + 1}` : ""} of ${s.details.channels}` : "";
      return `${which}${many} ${s.details.nativeRate ? ` · ${s.details.nativeRate / 1000} kHz` : ""}${s.details.missing ? " · ends early" : ""}`;
    },
    /** @param {Listed} s */
    starts(s) {
      return s.startTC < 0 ? "—" : format(frameOf(s.startTC, doc.props), doc.props.frameRate);
    },
    /** @param {Listed} s */
    uses(s) {
      return s.used
        .map((id) => doc.clips.get(id))
        .filter((c) => c !== undefined)
        .map((c) => ({ id: c.id, href: `/reels/${reelID}?at=${c.start}`, text: `${c.name} at ${timecode(c.start, doc.props)}` }));
    },
    /** @param {Listed} s */
    open(s) {
      return `/reels/${reelID}?source=${s.id}`;
    },
    /** @param {Listed} s */
    listen(s) {
      if (this.playingID === s.id) {
        player.stop();
        return;
      }
      this.playingID = s.id;
      void player.play({
        name: "source",
        from: 0,
        to: s.length,
        address: (a, b) => `/recordings/${s.recording}/${doc.props.sampleRate}/pcm?left=${s.left}&right=${s.right}&from=${a}&to=${b}`,
      });
    },
    /** @param {Listed} s @param {string} name */
    async rename(s, name) {
      try {
        doc.take(await send("PATCH", `/reels/${reelID}/sources/${s.id}`, { name }));
      } catch (err) {
        this.tell(say(err));
        await this.read();
      }
    },
    /** @param {Listed} s */
    async remove(s) {
      try {
        doc.take(await send("DELETE", `/reels/${reelID}/sources/${s.id}`));
        this.tell(
          `“${s.name}” was removed from the reel.`,
          "Undo",
          () => void send("POST", `/reels/${reelID}/sources/${s.id}/restore`).then((c) => doc.take(c)),
        );
      } catch (err) {
        this.tell(say(err));
      }
    },
    /** @param {Event} e */
    pickFiles(e) {
      const input = /** @type {HTMLInputElement} */ (e.target);
      if (input.files) app.uploads.add(input.files);
      input.value = "";
    },
    /** @param {string} text @param {string} [action] @param {(() => void) | null} [run] */
    tell(text, action = "", run = null) {
      this.toast = { text, action, run };
    },
    toastRun() {
      const run = this.toast?.run;
      this.toast = null;
      run?.();
    },
  });
  app.page = page;
  return page;
}

document.addEventListener("alpine:init", () => {
  addShown();
  Alpine.data("sources", sources);
});
