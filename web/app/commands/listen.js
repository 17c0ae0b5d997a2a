// Listening.

/** @type {import("./registry.js").Entry[]} */
export const listen = [
  { id: "play", name: "Play from the playhead, or stop", keys: [" "], run: (app) => app.listen.playStop() },
  { id: "playHalf", name: "Play at half speed from the playhead", keys: ["alt+g"], run: (app) => app.listen.playAt(0.5) },
  { id: "playDouble", name: "Play at double speed from the playhead", keys: ["alt+f"], run: (app) => app.listen.playAt(2) },
  { id: "playBack", name: "Play backwards from the playhead", keys: ["alt+y"], run: (app) => app.listen.playAt(-1) },
  { id: "listening", name: "Listening: monitor level, output, speed", keys: ["alt+s"], run: (app) => app.monitor.open() },
  { id: "monitorUp", name: "Monitor louder by 3 dB", keys: ["shift+PageUp"], run: (app) => app.monitor.step(3) },
  { id: "monitorDown", name: "Monitor softer by 3 dB", keys: ["shift+PageDown"], run: (app) => app.monitor.step(-3) },
  { id: "scrub", name: "Moving the playhead sounds, or is silent", keys: [], run: (app) => app.monitor.toggleScrub() },
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
