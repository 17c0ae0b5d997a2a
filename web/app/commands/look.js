// What is looked at, and how near.

/** @type {import("./registry.js").Entry[]} */
export const look = [
  {
    id: "zoomIn",
    name: "Zoom in",
    keys: ["+", "="],
    run: (app) => (app.session.stage === "source" ? app.sourceView.zoom(0.6) : app.timeline.zoom(0.6)),
  },
  {
    id: "zoomOut",
    name: "Zoom out",
    keys: ["-"],
    run: (app) => (app.session.stage === "source" ? app.sourceView.zoom(1 / 0.6) : app.timeline.zoom(1 / 0.6)),
  },
  {
    id: "zoomSeam",
    name: "Zoom to the seam",
    keys: ["z"],
    run: (app) => {
      if (!app.session.seam) return;
      app.timeline.look(app.session.seam.at - app.doc.props.sampleRate * 1.5, (app.doc.props.sampleRate * 3) / app.timeline.width);
    },
  },
  { id: "zoomWhole", name: "Zoom to the whole reel", keys: ["0"], run: (app) => app.timeline.whole() },
  { id: "waves", name: "Waveforms on the timeline on or off", keys: ["shift+H"], run: (app) => app.view.toggleShown("waves") },
  { id: "curves", name: "Fades and blends on the timeline on or off", keys: ["alt+h"], run: (app) => app.view.toggleShown("curves") },
  { id: "rides", name: "Gain lines on the timeline on or off", keys: ["alt+r"], run: (app) => app.view.toggleShown("rides") },
  { id: "foldList", name: "Fold or unfold the panel of lists", keys: ["shift+6"], run: (app) => app.view.fold("list") },
  { id: "foldCard", name: "Fold or unfold the panel of the seam", keys: ["shift+7"], run: (app) => app.view.fold("card") },
  { id: "numbers", name: "What the numbers mean", keys: ["shift+J"], run: (app) => void app.view.explain("") },
  { id: "tabSeams", name: "List of seams", keys: ["shift+1"], run: (app) => app.sources.showTab("seams") },
  { id: "tabSources", name: "List of sources", keys: ["shift+2"], run: (app) => app.sources.showTab("sources") },
  { id: "tabMarkers", name: "List of markers", keys: ["shift+3"], run: (app) => app.sources.showTab("markers") },
  { id: "tabSteps", name: "History and versions", keys: ["shift+4"], run: (app) => app.sources.showTab("steps") },
  { id: "tabRoom", name: "Room tone: swatches and quiet stretches", keys: ["shift+5"], run: (app) => app.sources.showTab("room") },
  { id: "picture", name: "Picture window on or off", keys: ["alt+v"], run: (app) => app.picture.togglePicture() },
];
