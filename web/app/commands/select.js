// Selecting clips, tracks and spans.

/** @type {import("./registry.js").Entry[]} */
export const select = [
  {
    id: "spanIn",
    name: "Span begins at the playhead",
    keys: ["i"],
    run: (app) =>
      app.session.stage === "source"
        ? app.sourceView.mark(Math.max(app.sourceView.playhead, 0), app.session.mark.to)
        : app.listen.setSpan("from"),
  },
  {
    id: "spanOut",
    name: "Span ends at the playhead",
    keys: ["o"],
    run: (app) =>
      app.session.stage === "source"
        ? app.sourceView.mark(app.session.mark.from, Math.max(app.sourceView.playhead, 1))
        : app.listen.setSpan("to"),
  },
  {
    id: "spanClip",
    name: "Span over the clip or gap at the playhead",
    keys: ["v"],
    run: (app) => app.trim.spanHere(),
    menu: [62, (_, { clip }) => (clip ? "" : "Mark this gap as a span")],
  },
  { id: "workUp", name: "Activate the track above as well", keys: ["shift+ArrowUp"], run: (app) => app.act.workOn(-1, true) },
  { id: "workDown", name: "Activate the track below as well", keys: ["shift+ArrowDown"], run: (app) => app.act.workOn(1, true) },
  { id: "chooseHere", name: "Select the clips at the playhead, on active tracks", keys: ["u"], run: (app) => app.clips.chooseMany("here") },
  { id: "chooseAll", name: "Select all clips on active tracks", keys: ["a"], run: (app) => app.clips.chooseMany("all") },
  {
    id: "chooseAfter",
    name: "Select all clips after the playhead, on active tracks",
    keys: ["shift+A"],
    run: (app) => app.clips.chooseMany("after"),
    menu: [140, () => "Select all clips after this"],
  },
  { id: "actOut", name: "Trim the outgoing edge, or the first edge of a strike", keys: ["1"], run: (app) => app.act.actOn("out") },
  { id: "actIn", name: "Trim the incoming edge, or the last edge of a strike", keys: ["2"], run: (app) => app.act.actOn("in") },
  { id: "actCut", name: "Roll the cut: both edges", keys: ["3"], run: (app) => app.act.actOn("cut") },
  { id: "actBlend", name: "Set the length of the blend or fade", keys: ["4"], run: (app) => app.act.actOn("blend") },
  { id: "actClip", name: "Move the selected clips", keys: ["5"], run: (app) => app.act.actOn("clip") },
  { id: "actSlip", name: "Slip the content of the selected clips", keys: ["6"], run: (app) => app.act.actOn("slip") },
  { id: "actSlide", name: "Slide the selected clip between its neighbours", keys: ["7"], run: (app) => app.act.actOn("slide") },
];
