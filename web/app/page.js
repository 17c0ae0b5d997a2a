// The page of the bench as a whole: what reel it is, what is saved, messages, and
// the address that leads here.

import { toggleTheme } from "../lib/colours.js";
import { panel } from "../lib/panel.js";
import { rateName } from "../lib/timecode.js";

/** @param {import("./app.js").App} app */
export const page = (app) =>
  panel({
    ready: false,
    name: "",
    rateText: "",
    tab: "seams",
    /** What the panel on the left can show; the key is that of the command. */
    tabs: [
      { id: "seams", name: "Seams", long: "Seams", key: "tabSeams" },
      { id: "sources", name: "Sources", long: "Sources", key: "tabSources" },
      { id: "room", name: "Room", long: "Room tone", key: "tabRoom" },
      { id: "markers", name: "Markers", long: "Markers", key: "tabMarkers" },
      { id: "steps", name: "History", long: "History", key: "tabSteps" },
    ],
    undo: "",
    redo: "",
    saveState: "Saved",
    revision: 0,
    hint: "",
    /** @type {{text: string, action: string, run: (() => void) | null} | null} */ toast: null,
    /** @type {ReturnType<typeof setTimeout> | undefined} */ toastTimer: undefined,
    length: 0,

    takeDoc() {
      app.listen.heardAs = ""; // what is saved is heard
      app.clips.takeLayout();
      app.picture.takePicture();
      this.name = app.doc.props.name;
      this.rateText = `${rateName(app.doc.props.frameRate)} fps`;
      this.undo = app.doc.undoLabel;
      this.redo = app.doc.redoLabel;
      this.revision = app.doc.revision;
      if (!app.doc.tracks.has(app.session.target)) app.session.target = app.clips.tracks[0]?.id ?? 0;
      if (app.session.track) app.session.track = app.doc.tracks.get(app.session.track.id) ?? null;
      if ([...app.session.chosen].some((id) => !app.doc.clips.has(id)))
        app.session.chosen = new Set([...app.session.chosen].filter((id) => app.doc.clips.has(id)));
      app.act.takeWorking();
      app.clips.takeChosen();
      app.history.takeMarkers();
      app.guide.watchGuide();
      this.takeState();
      app.timeline.redraw();
      void app.close.read();
      app.close.redraw();
    },

    takeState() {
      this.saveState = app.doc.waiting
        ? "Waiting"
        : !app.doc.connected || app.doc.databaseAway
          ? "No connection"
          : app.doc.saving > 0
            ? "Saving"
            : "Saved";
    },

    /** @param {number} factor */
    zoomLine(factor) {
      app.timeline.zoom(factor, app.session.seam?.at ?? app.timeline.playhead);
    },
    theme() {
      toggleTheme();
    },

    // ——— Messages and addresses ———

    /** @param {string} text @param {string} [action] @param {(() => void) | null} [run] */
    tell(text, action = "", run = null) {
      clearTimeout(this.toastTimer);
      this.toast = { text, action, run };
      if (!action) this.toastTimer = setTimeout(() => (this.toast = null), 9000);
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
      const s = app.session.seam;
      if (s) history.replaceState(null, "", `?seam=${s.left}-${s.right}`);
    },
    /** Opens a deep link: a seam, or a time in samples. */
    fromAddress() {
      const q = new URLSearchParams(location.search),
        pair = /^(\d+)-(\d+)$/.exec(q.get("seam") ?? "");
      const s = pair && app.doc.seams.find((x) => x.left === Number(pair[1]) && x.right === Number(pair[2]));
      if (s) app.ledger.chooseSeam(s);
      else if (app.session.seam) app.ledger.chooseSeam(app.session.seam);
      const at = Number(q.get("at"));
      if (q.has("at") && Number.isFinite(at)) {
        app.listen.seek(at);
        app.timeline.show(at, at);
      }
      const src = Number(q.get("source"));
      if (src) app.sources.showSource(src);
      if (!s && !q.has("at")) app.timeline.whole();
      app.listen.takeTime();
    },
  });
