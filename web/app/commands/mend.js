// Mending seams.

/** @type {import("./registry.js").Entry[]} */
export const mend = [
  {
    id: "blend",
    name: "Blend the seam",
    keys: ["b"],
    run: (app) => app.mend.putBlend(),
    menu: [10, (app, { clip }) => (clip && app.mend.pairOver() ? "Blend the two over their tracks" : "")],
  },
  { id: "nextPreset", name: "Blend the seam by the next preset", keys: ["ctrl+b"], run: (app) => void app.blends.nextPreset() },
  {
    id: "takeOffer",
    name: "Do what the message offers",
    keys: ["ctrl+Enter"],
    run: (app) => app.page.takeOffer(),
    enabled: (app) => Boolean(app.page.toast?.action),
  },
  {
    id: "sweep",
    name: "Sweep: mend the seams of the span, or all that are not fine",
    keys: ["shift+B"],
    run: (app) => app.sweep.openSweep(),
  },
  { id: "blendSpan", name: "Blend the cut over the span", keys: ["shift+K"], run: (app) => void app.mend.blendSpan() },
  { id: "better", name: "Look for a better cut nearby", keys: ["q"], run: (app) => void app.measures.findBetter() },
  { id: "accept", name: "Accept the seam, until something near it changes", keys: ["y"], run: (app) => void app.ledger.accept() },
  { id: "acceptOn", name: "Accept, and go to the next seam that is not fine", keys: ["shift+Y"], run: (app) => void app.ledger.acceptOn() },
  { id: "hardCut", name: "Remove the blend: a hard cut", keys: ["alt+b"], run: (app) => app.mend.takeBlendOff() },
];
