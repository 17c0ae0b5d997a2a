// Laying out clips and tracks.

/** @type {import("./registry.js").Entry[]} */
export const arrange = [
  {
    id: "copy",
    name: "Copy the selected clips, or the span",
    keys: ["ctrl+c"],
    run: (app) => void app.trim.copy(),
    menu: [70, (_, { clip }) => (clip ? "Copy" : "")],
  },
  {
    id: "cut",
    name: "Cut the selected clips, or the span",
    keys: ["ctrl+x"],
    run: (app) => void app.trim.cut(),
    menu: [80, (_, { clip }) => (clip ? "Cut" : "")],
  },
  { id: "paste", name: "Paste at the playhead", keys: ["ctrl+v"], run: (app) => app.trim.paste(), menu: [45, () => "Paste here"] },
  { id: "layIn", name: "Insert the marked stretch of the source at the playhead", keys: ["d"], run: (app) => void app.sources.layIn() },
  {
    id: "fillIn",
    name: "Fill the span or gap from the in point",
    keys: ["shift+D"],
    run: (app) => void app.sources.fillGap("in"),
    menu: [60, (app, { clip }) => (!clip && app.session.source ? "Fill this gap from the in point" : "")],
  },
  {
    id: "fillOut",
    name: "Fill the span or gap up to the out point",
    keys: ["alt+d"],
    run: (app) => void app.sources.fillGap("out"),
    menu: [61, (app, { clip }) => (!clip && app.session.source ? "Fill this gap up to the out point" : "")],
  },
  {
    id: "source",
    name: "Go to the source of the clip",
    keys: ["r"],
    run: (app) => app.trim.goToSource(),
    menu: [110, (_, { clip }) => (clip ? "Go to its source" : "")],
  },
  { id: "moveUp", name: "Selected clips to the track above", keys: ["alt+ArrowUp"], run: (app) => app.trim.moveClips(-1) },
  { id: "moveDown", name: "Selected clips to the track below", keys: ["alt+ArrowDown"], run: (app) => app.trim.moveClips(1) },
  { id: "orderUp", name: "Move the active track up", keys: ["alt+shift+ArrowUp"], run: (app) => app.clips.orderTrack(-1) },
  { id: "orderDown", name: "Move the active track down", keys: ["alt+shift+ArrowDown"], run: (app) => app.clips.orderTrack(1) },
  { id: "mute", name: "Mute the active tracks", keys: ["shift+M"], run: (app) => app.act.switchWorking("mute") },
  { id: "solo", name: "Solo the active tracks", keys: ["shift+O"], run: (app) => app.act.switchWorking("solo") },
  { id: "lock", name: "Lock the active tracks", keys: ["shift+L"], run: (app) => app.act.switchWorking("locked") },
  {
    id: "marker",
    name: "Add a marker at the playhead",
    keys: ["m"],
    run: (app) => app.history.addMarker(),
    menu: [130, () => "Marker here"],
  },
];
