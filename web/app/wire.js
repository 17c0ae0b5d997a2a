// What is told by the reel, the canvases, the player and the window, and who
// heeds it.

import { say } from "./api.js";
import { loadKeys } from "./keys.js";
import { el } from "../lib/panel.js";
import { catchDrops } from "../sources/uploads.js";

/** @typedef {import("./app.js").App} App */

/** Heeds events with their details. @param {EventTarget} from @param {Record<string, (detail: any) => void>} heeds */
function heed(from, heeds) {
  for (const [name, what] of Object.entries(heeds)) from.addEventListener(name, (e) => what(/** @type {CustomEvent} */ (e).detail));
}

/** @param {App} app */
export function wire(app) {
  wireDoc(app);
  wireTimeline(app);
  wireViews(app);
  wirePlayer(app);
  wireSession(app);
  wireKeys(app);
  wireFields(app);
  new ResizeObserver(() => (app.ledger.ledgerHeight = el("ledger").clientHeight)).observe(el("ledger"));
  catchDrops(
    (over) => (app.sources.over = over),
    (files) => app.sources.bringIn(files),
  );
}

/** @param {App} app */
function wireDoc(app) {
  // While thousands of seams are measured, news of them comes faster than a page can show it.
  let told = false;
  heed(app.doc, {
    change(/** @type {Changed | undefined} */ c) {
      app.ledger.touch(c?.change);
      app.page.takeDoc();
      app.duck.touch(c?.change);
      app.treat.touch(c?.change);
      app.loud.touch(c?.change);
      app.player.refresh();
      if (!c?.change || c.change.sources || c.change.clips || c.change.shifts) void app.sources.readSources();
      if (!c?.change || c.change.sources || c.change.clips) void app.lists.readMissing();
      void app.history.readSteps();
      app.holes.wantContinuity();
      if (app.page.tab === "room" && (!c?.change || c.change.swatches)) void app.room.readRooms();
    },
    quiet({ name, progress }) {
      if (app.room.finding.name === name) app.room.finding.progress = progress;
    },
    seams() {
      app.ledger.takeSeams();
      app.strip.redraw();
    },
    rated() {
      if (told) return;
      told = true;
      setTimeout(
        () => {
          told = false;
          app.ledger.takeRated();
          app.strip.redraw();
        },
        Math.min(app.doc.seams.length / 10, 300),
      );
    },
    state: () => app.page.takeState(),
    trial(trial) {
      if (!app.doc.looping() || trial === app.listen.heardAs) return;
      app.listen.heardAs = trial;
      app.player.refresh();
    },
    sweep({ name, progress }) {
      if (app.sweep.now?.name === name) app.sweep.now.progress = progress;
    },
    loud: (news) => app.loud.tell(news),
    even: (news) => app.even.tell(news),
    import: (job) => app.imports.take(job),
    job: (job) => app.jobs.take(job),
    open: () => void app.jobs.read(),
  });
  app.doc.looping = () => app.session.playing && app.session.looping && ["blend", "out", "in"].includes(app.session.hearing);
}

/** @param {App} app */
function wireTimeline(app) {
  heed(app.timeline, {
    hint: (text) => (app.page.hint = text),
    playhead: (at) => app.listen.seek(at),
    scrub: (at) => app.monitor.scrub(at),
    "choose-seam": ({ seam, edge, keep }) => app.ledger.chooseSeam(seam, edge, true, keep),
    "choose-clips": (ids) => app.clips.chooseClips(ids),
    "choose-clip": ({ clip, more }) => app.clips.chooseClip(clip, more),
    "show-source": ({ source, clip }) => app.sources.showSource(source, { from: clip.offset, to: clip.offset + clip.length }),
    menu: (place) => app.menu.openMenu(place),
    working: () => app.act.takeWorking(),
    "close-up"(/** @type {DryRun | null} */ r) {
      app.close.trial = Boolean(r);
      if (r?.closeUp) app.close.rehearse(r.closeUp, r.change);
      else void app.close.read();
    },
    layout: () => app.clips.takeLayout(),
    view: () => app.listen.placeBar(),
    "choose-points": (ids) => app.rides.choose(ids),
    "add-point": (what) => void app.rides.add(what),
    edit({ kind, what, nearest }) {
      const c = kind === "fit" ? app.doc.clips.get(what.clip) : kind === "fitShot" && app.doc.clips.get(what.shot);
      if (c && kind === "fitShot") void app.fit.askShot(c, what.length, what.later, true);
      else if (c) void app.fit.ask(c, what.length, what);
      else void app.mend.edit(kind, what, nearest);
    },
  });
}

/** @param {App} app */
function wireViews(app) {
  const common = {
    hint: (/** @type {string} */ text) => (app.page.hint = text),
    edit: (/** @type {{kind: string, what: Record<string, unknown>, nearest?: boolean}} */ { kind, what, nearest }) =>
      void app.mend.edit(kind, what, nearest),
  };
  heed(app.splitLine, common);
  heed(app.sourceView, { hint: common.hint, mark: () => app.sources.takeMark() });
  heed(app.close, {
    ...common,
    playhead: (at) => app.listen.seek(at),
    info: () => app.closeup.takeInfo(),
    scale: () =>
      (app.closeup.scaleText = `×${app.close.scale < 10 ? app.close.scale.toFixed(1).replace(".0", "") : Math.round(app.close.scale)}`),
    limit: (text) => (app.closeup.limit = text),
  });
}

/** @param {App} app */
function wirePlayer(app) {
  heed(app.player, {
    state(how) {
      app.session.playing = app.player.playing;
      if (app.player.playing) return;
      app.lead.dropLeadTrial();
      app.session.hearing = "";
      app.listen.heardAs = "";
      app.listen.speed = 1;
      app.meter.rest();
      app.loud.takeLive();
      app.write.end();
      if (how === "ended" && app.player.route?.name !== "reel") app.listen.rest();
      if (how === "ended") app.ledger.walkOn();
      else app.ledger.walking = null;
    },
    trouble: (err) => app.page.tell(say(err)),
    meter: (m) => app.meter.heed(m),
  });
}

/** @param {App} app */
function wireSession(app) {
  // Points stay selected only while they are what one works on: keys act on them first.
  app.session.subscribe(["chosen", "span", "track", "source"], () => app.session.points.size && app.rides.clear());
  app.session.subscribe(["target"], () => {
    const id = app.session.target;
    if (id && !app.session.working.has(id)) app.session.working = new Set([id]);
  });
  app.session.subscribe(["span", "working"], () => void Alpine.nextTick(() => app.listen.placeBar()));
  app.session.subscribe(["seam", "playing"], () => app.guide.watchGuide());
}

/** @param {App} app */
function wireKeys(app) {
  // Another page of this browser may have set other keys.
  addEventListener("storage", (e) => {
    if (e.key === "keys-changed") void loadKeys().then(() => location.reload());
  });
  addEventListener("keydown", (e) => app.keys.press(e));
  addEventListener(
    "pointerdown",
    (e) => {
      if (app.menu.open && !(/** @type {HTMLElement} */ (e.target).closest("#menu"))) app.menu.open = null;
    },
    true,
  );
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
}

/** A field of the card keeps what is typed, and what is marked to be typed over, whatever arrives meanwhile. @param {App} app */
function wireFields(app) {
  const field = (/** @type {Event} */ e) => /** @type {HTMLElement} */ (e.target).closest?.(".desk input.field");
  for (const on of ["focusin", "input"]) addEventListener(on, (e) => field(e) && (app.closeup.typing = true));
  addEventListener("change", (e) => field(e) && (app.closeup.typing = false), true);
  addEventListener("focusout", (e) => {
    if (!field(e) || !app.closeup.typing) return;
    app.closeup.typing = false;
    app.closeup.takeInfo();
    app.clips.takeChosen();
  });
}
