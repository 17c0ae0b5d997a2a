// How one likes to listen, look and edit is kept in this browser.

/** Where the filter of the list can stand. */
const filters = ["all", "mend", "check", "unknown", "fine"];

/** @param {import("./app.js").App} app */
export function keepHabits(app) {
  /** @type {[string, () => unknown, (kept: any) => void][]} */
  const habits = [
    ["rolls", () => app.listen.rolls, (v) => (app.listen.rolls = v)],
    ["filter", () => app.ledger.filter, (v) => (app.ledger.filter = filters.includes(v) ? v : "all")],
    ["order", () => app.ledger.order, (v) => (app.ledger.order = v)],
    ["later", () => app.session.later, (v) => app.act.setLater(v)],
    ["snapping", () => app.session.snapping, (v) => app.act.setSnapping(v)],
    ["pictureOpen", () => app.picture.pictureOpen, (v) => (app.picture.pictureOpen = v)],
    ["nudgeBy", () => app.act.nudgeBy, (v) => (app.act.nudgeBy = v)],
    ["folded", () => app.view.folded, (v) => (app.view.folded = v)],
    ["shownOnLine", () => app.view.shownOnLine, (v) => (app.view.shownOnLine = { ...app.view.shownOnLine, ...v })],
    ["monitor", () => app.monitor.level, (v) => app.monitor.set(Number(v) || 0)],
    ["device", () => app.monitor.device, (v) => void app.monitor.toDevice(String(v))],
    ["scrubbing", () => app.monitor.scrubbing, (v) => (app.monitor.scrubbing = v !== false)],
    ["exported", () => app.exporter.last, (v) => (app.exporter.last = v)],
    [
      "handedOn",
      () => ({ withSound: app.lists.withSound, fades: app.lists.fades, clips: app.lists.clips }),
      (v) => Object.assign(app.lists, { withSound: v.withSound !== false, fades: String(v.fades ?? ""), clips: v.clips !== false }),
    ],
    ["lately", () => app.palette.lately, (v) => (app.palette.lately = v)],
    ["guideSeen", () => app.guide.guideSeen, (v) => (app.guide.guideSeen = v)],
  ];
  for (const [name, get, set] of habits) {
    const kept = localStorage.getItem(name);
    if (kept !== null) set(JSON.parse(kept));
    Alpine.effect(() => localStorage.setItem(name, JSON.stringify(get())));
  }
  app.view.takeShown();
  app.page.hint = ""; // what was set is not news
}
