// Trimming, splitting and removing.

import { nudge, nudgeMs } from "./moves.js";

/** @type {import("./registry.js").Entry[]} */
export const trim = [
  { id: "earlier", name: "Nudge back one frame, or shorten", keys: ["["], run: (app) => nudge(app, -1) },
  { id: "later", name: "Nudge forward one frame, or lengthen", keys: ["]"], run: (app) => nudge(app, 1) },
  { id: "earlierTen", name: "Nudge back ten frames", keys: ["{"], run: (app) => nudge(app, -10) },
  { id: "laterTen", name: "Nudge forward ten frames", keys: ["}"], run: (app) => nudge(app, 10) },
  { id: "earlierFive", name: "Nudge back five frames", keys: ["shift+9"], run: (app) => nudge(app, -5) },
  { id: "laterFive", name: "Nudge forward five frames", keys: ["shift+0"], run: (app) => nudge(app, 5) },
  { id: "earlierMs", name: "Nudge back one millisecond", keys: ["alt+["], run: (app) => nudgeMs(app, -1) },
  { id: "laterMs", name: "Nudge forward one millisecond", keys: ["alt+]"], run: (app) => nudgeMs(app, 1) },
  { id: "earlierTyped", name: "Nudge back by the typed size", keys: ["ctrl+["], run: (app) => app.act.nudgeTyped(-1) },
  { id: "laterTyped", name: "Nudge forward by the typed size", keys: ["ctrl+]"], run: (app) => app.act.nudgeTyped(1) },
  {
    id: "split",
    name: "Split at the playhead",
    keys: ["s"],
    run: (app) => app.trim.splitHere(),
    menu: [20, (_, { clip }) => (clip ? "Split here" : "")],
  },
  {
    id: "join",
    name: "Join the two clips of the seam",
    keys: ["shift+S"],
    run: (app) => void app.trim.joinSeam(),
    enabled: (app) => app.session.seam?.kind === "cut",
  },
  {
    id: "headHere",
    name: "Head of the clip to the playhead",
    keys: ["h"],
    run: (app) => app.trim.trimHere("head"),
    menu: [30, (_, { clip }) => (clip ? "Head of the clip to here" : "")],
  },
  {
    id: "tailHere",
    name: "Tail of the clip to the playhead",
    keys: ["t"],
    run: (app) => app.trim.trimHere("tail"),
    menu: [40, (_, { clip }) => (clip ? "Tail of the clip to here" : "")],
  },
  {
    id: "takeOut",
    name: "Remove the span, or the selected clips",
    keys: ["Delete", "Backspace"],
    run: (app) => app.trim.takeOut(),
    menu: [90, (app, { clip }) => (!clip ? "" : app.session.later === "stay" ? "Remove, leave the gap" : "Remove and close the gap")],
  },
  {
    id: "takeOutOther",
    name: "Remove, with the opposite ripple",
    keys: ["alt+Delete", "alt+Backspace"],
    run: (app) => app.trim.takeOut(true),
    menu: [100, (app, { clip }) => (!clip ? "" : app.session.later === "stay" ? "Remove and close the gap" : "Remove, leave the gap")],
  },
  { id: "keepSpan", name: "Keep only the span", keys: ["k"], run: (app) => app.trim.keepSpan() },
  {
    id: "closeGap",
    name: "Close the gap at the playhead",
    keys: ["alt+c"],
    run: (app) => app.trim.closeGap(),
    menu: [55, (_, { clip }) => (clip ? "" : "Close this gap")],
  },
  { id: "insertTime", name: "Insert time as long as the span", keys: ["shift+I"], run: (app) => app.trim.insertTime() },
  {
    id: "follow",
    name: "Later clips follow on all tracks, or stay (ripple)",
    keys: ["f"],
    run: (app) => app.act.setLater(app.session.later === "follow" ? "stay" : "follow"),
  },
  {
    id: "followTrack",
    name: "Later clips follow on this track, or stay",
    keys: ["shift+F"],
    run: (app) => app.act.setLater(app.session.later === "followTrack" ? "stay" : "followTrack"),
  },
  { id: "snap", name: "Snapping on or off", keys: ["g"], run: (app) => app.act.setSnapping(!app.session.snapping) },
];
