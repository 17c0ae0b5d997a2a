// Gain of clips.

/** @type {import("./registry.js").Entry[]} */
export const levels = [
  {
    id: "louder",
    name: "Raise the gain of the clips, or of the seam's clip, by 0.5 dB",
    keys: ["ctrl+ArrowUp"],
    run: (app) => app.levels.nudge(0.5),
  },
  {
    id: "softer",
    name: "Lower the gain of the clips, or of the seam's clip, by 0.5 dB",
    keys: ["ctrl+ArrowDown"],
    run: (app) => app.levels.nudge(-0.5),
  },
  {
    id: "louderThree",
    name: "Raise the gain of the clips, or of the seam's clip, by 3 dB",
    keys: ["ctrl+shift+ArrowUp"],
    run: (app) => app.levels.nudge(3),
  },
  {
    id: "softerThree",
    name: "Lower the gain of the clips, or of the seam's clip, by 3 dB",
    keys: ["ctrl+shift+ArrowDown"],
    run: (app) => app.levels.nudge(-3),
  },
  {
    id: "point",
    name: "Add a point to the gain line of the clip at the playhead",
    keys: ["9"],
    run: (app) => void app.rides.addHere(),
    menu: [67, (_, { clip }) => (clip ? "Add a point to its gain line" : "")],
  },
  { id: "pointTrack", name: "Add a point to the gain line of the track", keys: ["alt+9"], run: (app) => void app.rides.addOnTrack() },
  { id: "nextPoint", name: "Next point of a gain line, on active tracks", keys: ["alt+0"], run: (app) => app.rides.step(1) },
  { id: "prevPoint", name: "Previous point of a gain line, on active tracks", keys: ["alt+8"], run: (app) => app.rides.step(-1) },
  { id: "linePoints", name: "Select all points of the gain line", keys: ["alt+7"], run: (app) => app.rides.chooseLine() },
  { id: "spanUp", name: "Raise the span by 1 dB, with slopes", keys: ["alt+="], run: (app) => app.rides.span(1) },
  { id: "spanDown", name: "Lower the span by 1 dB, with slopes", keys: ["alt+-"], run: (app) => app.rides.span(-1) },
  { id: "spanTrackUp", name: "Raise the span on the gain line of the track by 1 dB", keys: [], run: (app) => app.rides.span(1, true) },
  { id: "spanTrackDown", name: "Lower the span on the gain line of the track by 1 dB", keys: [], run: (app) => app.rides.span(-1, true) },
  {
    id: "endHere",
    name: "End music and room tone at the playhead with a 2 s fade",
    keys: ["alt+e"],
    run: (app) => app.levels.end({ at: Math.round(app.timeline.playhead) }),
  },
  {
    id: "endPicture",
    name: "End music and room tone with the picture",
    keys: [],
    run: (app) => app.levels.end({ where: "picture" }),
  },
  {
    id: "endReel",
    name: "Fade out music and room tone at the end of the reel",
    keys: ["alt+shift+E"],
    run: (app) => app.levels.end({ where: "reel" }),
  },
  { id: "loudness", name: "Loudness of the span or of the reel, against its target", keys: ["alt+i"], run: (app) => app.loud.open() },
  { id: "loudnessLine", name: "Loudness or room in the strip over the tracks", keys: ["alt+shift+I"], run: (app) => app.loud.toggleLine() },
  { id: "clearMeters", name: "Clear the meters: highest peak and over", keys: ["alt+o"], run: (app) => app.meter.clear() },
  { id: "evenOut", name: "Even out: many clips to one loudness of speech", keys: ["shift+U"], run: (app) => app.even.open() },
  { id: "duck", name: "Duck the track under speech, or update its duck", keys: ["alt+a"], run: (app) => app.duck.here() },
  {
    id: "matchLoudness",
    name: "Match the loudness of speech: to the first clip selected, to the clip before, across the cut",
    keys: ["alt+u"],
    run: (app) => app.levels.matchLike(),
    menu: [66, (app, { clip }) => (!clip ? "" : `Match loudness to the ${app.session.chosen.size > 1 ? "first selected" : "clip before"}`)],
  },
];
