// Going from place to place.

import { el } from "../../lib/panel.js";
import { step } from "./moves.js";

/** @type {import("./registry.js").Entry[]} */
export const go = [
  { id: "nextSeam", name: "Next seam", keys: ["n"], run: (app) => app.ledger.stepSeam(1) },
  { id: "prevSeam", name: "Previous seam", keys: ["p"], run: (app) => app.ledger.stepSeam(-1) },
  { id: "nextBad", name: "Next seam that is not fine", keys: ["shift+N"], run: (app) => app.ledger.stepBad(1) },
  { id: "prevBad", name: "Previous seam that is not fine", keys: ["shift+P"], run: (app) => app.ledger.stepBad(-1) },
  {
    id: "findSeam",
    name: "Find a seam by words",
    keys: ["/"],
    run: (app) => {
      const field = el("find-seam");
      field.select(); // at once, so that what is typed next goes into it
      if (app.page.tab === "seams") return;
      app.page.tab = "seams";
      Alpine.nextTick(() => field.select());
    },
  },
  { id: "frameLeft", name: "One frame back", keys: ["ArrowLeft"], run: (app) => step(app, -1) },
  { id: "frameRight", name: "One frame forward", keys: ["ArrowRight"], run: (app) => step(app, 1) },
  { id: "tenLeft", name: "Ten frames back", keys: ["shift+ArrowLeft"], run: (app) => step(app, -10) },
  { id: "tenRight", name: "Ten frames forward", keys: ["shift+ArrowRight"], run: (app) => step(app, 10) },
  { id: "toStart", name: "To the start of the reel", keys: ["Home"], run: (app) => app.listen.seek(0) },
  { id: "toEnd", name: "To the end of the reel", keys: ["End"], run: (app) => app.listen.seek(app.doc.length) },
  { id: "prevMarker", name: "Previous marker", keys: [";"], run: (app) => app.history.stepMarker(-1) },
  { id: "nextMarker", name: "Next marker", keys: ["'"], run: (app) => app.history.stepMarker(1) },
  { id: "trackUp", name: "Activate the track above", keys: ["ArrowUp"], run: (app) => app.act.workOn(-1, false) },
  { id: "trackDown", name: "Activate the track below", keys: ["ArrowDown"], run: (app) => app.act.workOn(1, false) },
  { id: "gotoTime", name: "Go to a timecode", keys: ["shift+G"], run: () => el("timecode").select() },
  {
    id: "nextHole",
    name: "Next hole in the programme, or place outside the target of loudness",
    keys: ["alt+n"],
    run: (app) => (app.loud.line ? app.loud.stepPlace(1) : app.holes.stepHole(1)),
  },
  {
    id: "prevHole",
    name: "Previous hole in the programme, or place outside the target of loudness",
    keys: ["alt+p"],
    run: (app) => (app.loud.line ? app.loud.stepPlace(-1) : app.holes.stepHole(-1)),
  },
];
