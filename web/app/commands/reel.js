// The reel as a whole.

/** @type {import("./registry.js").Entry[]} */
export const reel = [
  { id: "undo", name: "Undo", keys: ["ctrl+z"], run: (app) => void app.mend.undoStep(), enabled: (app) => Boolean(app.page.undo) },
  {
    id: "redo",
    name: "Redo",
    keys: ["ctrl+shift+z", "ctrl+y"],
    run: (app) => void app.mend.redoStep(),
    enabled: (app) => Boolean(app.page.redo),
  },
  { id: "keep", name: "Save the reel as it is now as a version", keys: ["shift+V"], run: (app) => app.history.keepVersion() },
  { id: "export", name: "Export", keys: ["shift+E"], run: (app) => app.exporter.openExport() },
  { id: "exportAgain", name: "Export once more as last", keys: ["alt+shift+X"], run: (app) => app.exporter.again() },
  { id: "cueSheet", name: "Cue sheet, to print or as CSV", keys: ["ctrl+alt+p"], run: (app) => app.exporter.report("cues") },
  { id: "seamReport", name: "Seam report, to print or as CSV", keys: ["ctrl+alt+shift+p"], run: (app) => app.exporter.report("seams") },
  { id: "bundle", name: "Save the reel with its sound as a bundle", keys: ["ctrl+alt+b"], run: (app) => void app.exporter.bundle() },
  { id: "jobs", name: "Jobs: exports under way and done", keys: ["ctrl+alt+j"], run: (app) => app.exporter.showJobs() },
  { id: "guide", name: "First steps: a guide in six steps", keys: [], run: (app) => app.guide.startGuide() },
  { id: "palette", name: "Command palette", keys: ["ctrl+k"], run: (app) => app.palette.openPalette() },
  { id: "help", name: "All keys", keys: ["?"], run: (app) => app.keys.help() },
  { id: "back", name: "Cancel, stop, clear", keys: ["Escape"], run: (app) => app.keys.backOut() },
];
