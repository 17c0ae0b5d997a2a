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
    id: "matchLoudness",
    name: "Match the loudness of speech: to the first clip selected, to the clip before, across the cut",
    keys: ["alt+u"],
    run: (app) => app.levels.matchLike(),
    menu: [66, (app, { clip }) => (!clip ? "" : `Match loudness to the ${app.session.chosen.size > 1 ? "first selected" : "clip before"}`)],
  },
];
