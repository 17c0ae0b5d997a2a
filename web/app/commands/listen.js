// Listening.

/** @type {import("./registry.js").Entry[]} */
export const listen = [
  { id: "play", name: "Play from the playhead, or stop", keys: [" "], run: (app) => app.listen.playStop() },
  {
    id: "playBlend",
    name: "Play the seam, with what comes before and after",
    keys: ["Enter"],
    run: (app) => void app.listen.playSeam("blend"),
  },
  {
    id: "playHard",
    name: "Play the seam as a hard cut, or a strike as recorded",
    keys: ["shift+Enter"],
    run: (app) => void app.listen.playSeam("hard"),
  },
  { id: "playOut", name: "Play the outgoing side alone", keys: [","], run: (app) => void app.listen.playSeam("out") },
  { id: "playIn", name: "Play the incoming side alone", keys: ["."], run: (app) => void app.listen.playSeam("in") },
  { id: "playBefore", name: "Play the seam as it was before the last step", keys: ["j"], run: (app) => void app.listen.playSeam("before") },
  { id: "walk", name: "Play through all seams that are not fine, or stop", keys: ["w"], run: (app) => app.ledger.walk() },
  { id: "loop", name: "Loop on or off", keys: ["l"], run: (app) => app.listen.toggleLoop() },
];
