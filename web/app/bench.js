// The bench: one reel, its ledger of seams, the close-up and the timeline. Here
// its parts are put together; what each does is in its own room.

import { acting } from "./acting.js";
import { say } from "./api.js";
import { keys } from "./keypanel.js";
import { Doc } from "./doc.js";
import { guiding } from "./guide.js";
import { keepHabits } from "./habits.js";
import { loadKeys } from "./keys.js";
import { mending } from "./mend.js";
import { menus } from "./menu.js";
import { page } from "./page.js";
import { palette } from "./palette.js";
import { createSession } from "./session.js";
import { viewing } from "./view.js";
import { wire } from "./wire.js";
import { listening } from "../audio/listen.js";
import { monitoring } from "../audio/monitor.js";
import { Scrub } from "../audio/scrub.js";
import { Meter } from "../audio/meter.js";
import { Player } from "../audio/player.js";
import { CloseView } from "../closeup/closeup.js";
import { measures } from "../closeup/measures.js";
import { closeup } from "../closeup/panel.js";
import { presets } from "../closeup/presets.js";
import { exporting } from "../dialogs/export.js";
import { lists } from "../dialogs/lists.js";
import { jobsOf } from "../jobs/jobs.js";
import { steps } from "../history/history.js";
import { ledger } from "../ledger/ledger.js";
import { sweeping } from "../ledger/sweep.js";
import { ducking } from "../levels/duck.js";
import { evening } from "../levels/even.js";
import { loudness } from "../levels/loud.js";
import { levels } from "../levels/levels.js";
import { rides } from "../levels/rides.js";
import { treating } from "../levels/treat.js";
import { writing } from "../levels/write.js";
import { watchColours } from "../lib/colours.js";
import { el } from "../lib/panel.js";
import { addShown } from "../lib/shown.js";
import { Frames } from "../picture/frames.js";
import { picture } from "../picture/picture.js";
import { splitting } from "../picture/split.js";
import { SplitLine } from "../picture/splitline.js";
import { filling } from "../room/fill.js";
import { holes } from "../room/holes.js";
import { rooms } from "../room/room.js";
import { striking } from "../room/strike.js";
import { extracting } from "../sources/extract.js";
import { grouping } from "../sources/groups.js";
import { markings } from "../sources/marks.js";
import { imports } from "../sources/imports.js";
import { sources } from "../sources/sources.js";
import { SourceView } from "../sources/sourceview.js";
import { Uploads } from "../sources/uploads.js";
import { clips } from "../timeline/clips.js";
import { fitting } from "../timeline/fit.js";
import { merging } from "../timeline/merge.js";
import { Strip } from "../timeline/strip.js";
import { Timeline } from "../timeline/timeline.js";
import { trimming } from "../timeline/trim.js";
import { Waves } from "../timeline/waves.js";

/** The panels, by the names that templates and other panels call them by. */
const makers = {
  page,
  act: acting,
  keys,
  guide: guiding,
  mend: mending,
  menu: menus,
  palette,
  view: viewing,
  listen: listening,
  closeup,
  measures,
  blends: presets,
  exporter: exporting,
  jobs: (/** @type {App} */ app) => jobsOf(app.doc.id, (text) => app.page.tell(text)),
  lists,
  history: steps,
  ledger,
  sweep: sweeping,
  duck: ducking,
  treat: treating,
  write: writing,
  monitor: monitoring,
  even: evening,
  loud: loudness,
  levels,
  rides,
  picture,
  lead: splitting,
  fill: filling,
  holes,
  room: rooms,
  strike: striking,
  sources,
  imports,
  extract: extracting,
  marks: markings,
  groups: grouping,
  clips,
  trim: trimming,
  merge: merging,
  fit: fitting,
};

/** @typedef {import("./app.js").App} App */

/** Makes the canvases and what plays, once the reel is here. @param {App} app */
function furnish(app) {
  const redraw = () => {
    for (const canvas of [app.timeline, app.close, app.sourceView, app.splitLine]) canvas.redraw();
    app.sources.drawMinis();
  };
  app.waves = new Waves(app.doc.props.sampleRate, redraw);
  app.timeline = new Timeline(app.doc, app.session, app.waves, {
    tracks: el("tracks"),
    lanes: el("lanes"),
    ruler: el("ruler"),
    over: el("playhead"),
    scroll: el("scroll"),
  });
  app.frames = new Frames(() => {
    app.picture.tickPicture(); // at once: the next drawing of the page may be a while off
    app.timeline.redraw();
    app.sourceView?.redraw();
    app.sources.drawMinis();
  });
  app.timeline.frames = app.frames;
  app.splitLine = new SplitLine(app, el("splitline"));
  app.strip = new Strip(app.timeline, el("strip"));
  app.close = new CloseView(app.doc, app.waves, el("closeup"), el("closeup-over"));
  app.sourceView = new SourceView(app.doc, app.waves, el("source-wave"));
  app.sourceView.frames = app.frames;
  app.player = new Player(app.doc.props.sampleRate);
  app.player.readyAtFirstGesture();
  app.scrub = new Scrub(app.player, (a, b) => app.listen.address("")(a, b));
  app.meter = new Meter(el("meter"), () => app.doc.props.target ?? app.doc.usual?.target);
  app.uploads = new Uploads(app.doc.id, (_, detail) => app.page.tell(detail));
  app.timeline.keyOf = (id) => app.keys.keyOf(id);
  watchColours(() => {
    app.strip.redraw();
    app.picture.drawn = {};
    app.meter.redraw();
    redraw();
  });
}

/** Moves what moves while something is heard. @param {App} app */
function tick(app) {
  // What is heard is asked once, so that picture, lines and timecode tell of one moment.
  const heard = app.player.playing ? app.player.position() : undefined;
  app.listen.tick(heard);
  app.picture.tickPicture(heard);
  requestAnimationFrame(() => tick(app));
}

/** Opens the reel. @param {App} app */
async function open(app) {
  try {
    await Promise.all([app.doc.load(), loadKeys()]);
  } catch (err) {
    app.page.tell(say(err));
    return;
  }
  furnish(app);
  await document.fonts.ready;
  wire(app);
  keepHabits(app);
  app.page.takeDoc();
  app.ledger.takeSeams();
  app.timeline.whole();
  // Each time the line is there: what was told meanwhile is read.
  app.doc.addEventListener("open", () => void app.imports.read());
  app.doc.watch();
  app.groups.readFolded();
  await Promise.all([app.sources.readSources(), app.blends.readPresets(), app.lists.readMissing()]);
  // What was selected while the lists came is not selected away.
  if (app.session.track || app.session.chosen.size) app.listen.takeTime();
  else app.page.fromAddress();
  app.page.ready = true;
  void app.holes.readContinuity();
  app.duck.touch(undefined);
  tick(app);
}

function bench() {
  const app = /** @type {App} */ ({ session: createSession(Alpine.reactive), doc: new Doc(Number(document.body.dataset.reel)) });
  const panels = Object.fromEntries(Object.entries(makers).map(([name, make]) => [name, make(app)]));
  Object.assign(app, panels);
  return { session: app.session, ...panels, init: () => void open(app) };
}

document.addEventListener("alpine:init", () => {
  addShown();
  Alpine.data("bench", bench);
});
