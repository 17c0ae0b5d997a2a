// Striking, covering and room tone.

/** @type {import("./registry.js").Entry[]} */
export const strike = [
  { id: "strike", name: "Strike the span: silence it without cutting", keys: ["x"], run: (app) => void app.strike.strikeSpan() },
  { id: "lower", name: "Lower the span instead, by the last depth", keys: ["shift+X"], run: (app) => void app.strike.strikeSpan(true) },
  {
    id: "lift",
    name: "Restore struck sound",
    keys: ["alt+x"],
    run: (app) => app.strike.liftStrike(),
    menu: [57, (app, { clip }) => (clip && app.strike.strikeHere() ? "Restore the strike here" : "")],
    enabled: (app) => Boolean(app.strike.strikeHere()),
  },
  {
    id: "tighten",
    name: "Snap a strike to where its sound starts and ends",
    keys: ["shift+Q"],
    run: (app) => void app.strike.tighten(),
    enabled: (app) => Boolean(app.strike.strikeHere()),
  },
  { id: "strikeCovered", name: "Strike the span and cover it", keys: ["alt+w"], run: (app) => void app.strike.strikeCovered() },
  {
    id: "cover",
    name: "Cover a strike, or fill a gap, with room tone",
    keys: ["c"],
    run: (app) => void app.strike.cover(),
    menu: [56, (app, { clip }) => (!clip ? "Fill this gap with room tone" : app.strike.strikeHere() ? "Cover the strike here" : "")],
  },
  { id: "nextTone", name: "Next room tone", keys: ["shift+C"], run: (app) => void app.strike.nextTone() },
  { id: "fills", name: "Fill many gaps with room tone", keys: ["shift+T"], run: (app) => app.fill.openFills() },
  { id: "bed", name: "Add a bed of room tone under the scene", keys: ["shift+R"], run: (app) => app.fill.openBed() },
  { id: "swatch", name: "Save the marked stretch as a swatch", keys: ["shift+W"], run: (app) => void app.room.keepMarked() },
];
