// Rides: gain lines by key and by number.

import { panel } from "../lib/panel.js";
import { say } from "../app/api.js";
import { decibels, typedDecibels } from "../lib/decibels.js";
import { at as timecode } from "../lib/timecode.js";

/** @param {import("../app/app.js").App} app */
export const rides = (app) =>
  panel({
    /** How many points are selected, and what their fields show. */
    count: 0,
    level: "",
    place: "",
    eased: false,
    on: "",

    /** The points that are selected and still there, by time. @returns {Point[]} */
    points() {
      return [...app.session.points]
        .map((id) => app.doc.points.get(id))
        .filter((p) => p !== undefined)
        .sort((a, b) => a.at - b.at);
    },
    /** Where a point lies in the reel. @param {Point} p */
    reelPlace(p) {
      const c = app.doc.clips.get(p.clip ?? 0);
      return c ? p.at + c.start - c.offset : p.at;
    },
    /** Takes what is selected, and what has become of it. */
    take() {
      const all = this.points(),
        [first, ...rest] = all;
      if (all.length !== app.session.points.size) app.session.points = new Set(all.map((p) => p.id));
      this.count = all.length;
      if (!first) return;
      this.level = rest.every((p) => p.db === first.db) ? decibels(first.db) : "";
      this.place = all.length === 1 ? timecode(this.reelPlace(first), app.doc.props) : "";
      this.eased = all.every((p) => p.eased);
      const c = app.doc.clips.get(first.clip ?? 0);
      this.on = c
        ? `on “${c.name}”`
        : `${first.duck ? "under speech, track" : "on track"} ${app.doc.tracks.get(first.track ?? 0)?.name ?? ""}`;
    },
    /** @param {number[]} ids */
    choose(ids) {
      app.session.points = new Set(ids);
      this.take();
    },
    clear() {
      this.choose([]);
    },

    /** Puts a point on a line, and selects it. @param {{clip?: number, track?: number, duck?: boolean, at: number}} what */
    async add(what) {
      const c = await app.mend.edit("addPoint", what);
      if (c) this.choose(c.outcome.made ?? []);
    },
    /** A point at the playhead: on the clip there, on the first active track that has one. */
    async addHere() {
      await app.doc.settled();
      const at = Math.round(app.timeline.playhead),
        c = app.act.clipsHere().find((o) => !app.doc.shows(o));
      if (c) await this.add({ clip: c.id, at: at - c.start + c.offset });
      else app.page.tell("No clip at the playhead on the active tracks.");
    },
    /** A point at the playhead on the line of the first active track. */
    async addOnTrack() {
      const t = this.activeTrack();
      if (t) await this.add({ track: t.id, at: Math.round(app.timeline.playhead) });
    },
    activeTrack() {
      const t = app.clips.tracks.find((o) => app.session.working.has(o.id) && o.role !== "picture");
      if (!t) app.page.tell("Activate a track of sound first.");
      return t;
    },
    /** Raises or lowers the marked span. @param {number} by dB @param {boolean} [onTrack] on the lines of the tracks */
    span(by, onTrack = false) {
      const s = app.session.span;
      if (!s) app.page.tell("Mark a span first: drag along a wave, or set its ends at the playhead.");
      else
        void app.mend.edit("rideSpan", {
          from: s.from,
          to: s.to,
          tracks: [...app.session.working],
          byDB: by,
          ...(onTrack ? { onTrack } : {}),
        });
    },
    /** To the next or previous point on active tracks, which is then selected. @param {1 | -1} way */
    step(way) {
      const on = (/** @type {Point} */ p) => app.doc.clips.get(p.clip ?? 0)?.track ?? p.track ?? 0,
        seen = (/** @type {Point} */ p) => {
          const c = app.doc.clips.get(p.clip ?? 0),
            at = this.reelPlace(p);
          return !c || (at >= c.start && at <= c.start + c.length);
        };
      const all = [...app.doc.points.values()]
        .filter((p) => app.session.working.has(on(p)) && seen(p))
        .sort((a, b) => this.reelPlace(a) - this.reelPlace(b) || a.id - b.id);
      const mine = this.points(),
        i = mine.length ? all.indexOf(way > 0 ? mine[mine.length - 1] : mine[0]) : -1,
        here = app.timeline.playhead;
      const next =
        i >= 0 ? all[i + way] : way > 0 ? all.find((p) => this.reelPlace(p) >= here) : all.findLast((p) => this.reelPlace(p) <= here);
      if (!next) {
        app.page.tell(
          all.length
            ? "No further point on the active tracks."
            : `No point on the active tracks. ${app.keys.keyOf("point")} adds one at the playhead.`,
        );
        return;
      }
      this.choose([next.id]);
      const at = this.reelPlace(next),
        reach = app.doc.props.sampleRate;
      if (!app.session.playing) app.listen.seek(at);
      app.timeline.show(at - reach, at + reach);
      app.page.hint = `Point at ${timecode(at, app.doc.props)}, ${decibels(next.db)} dB`;
    },
    /** Selects all points of the lines that are selected of. */
    chooseLine() {
      const mine = this.points();
      this.choose([...app.doc.lines.values()].filter((l) => mine.some((p) => l.includes(p))).flatMap((l) => l.map((p) => p.id)));
    },

    /** @param {{by?: number, byDB?: number}} by */
    move(by) {
      return app.mend.edit("movePoints", { points: this.points().map((p) => p.id), ...by });
    },
    remove() {
      void app.mend.edit("removePoints", { points: this.points().map((p) => p.id) });
    },
    ease() {
      const eased = !this.eased,
        edits = this.points().map((p) => ({ do: "setPoint", with: { point: p.id, eased } }));
      this.each(edits, eased ? "ease slopes" : "straighten slopes");
    },
    /** @param {{do: string, with: {point: number}}[]} edits @param {string} label */
    each(edits, label) {
      if (edits.length === 1) void app.mend.edit(edits[0].do, edits[0].with);
      else if (edits.length) void app.mend.edit("together", { label, edits });
    },
    /** @param {HTMLInputElement} field */
    typeLevel(field) {
      const text = field.value,
        db = typedDecibels(text);
      field.value = this.level;
      if (Number.isNaN(db)) app.levels.unread(text);
      else
        this.each(
          this.points().map((p) => ({ do: "setPoint", with: { point: p.id, db } })),
          `points to ${decibels(db)} dB`,
        );
    },
    /** @param {HTMLInputElement} field */
    async typePlace(field) {
      const [p] = this.points(),
        text = field.value;
      field.value = this.place;
      try {
        const { sample } = await app.exporter.readTimecode(text);
        if (p) void app.mend.edit("setPoint", { point: p.id, at: p.at + sample - this.reelPlace(p) });
      } catch (err) {
        app.page.tell(say(err));
      }
    },
    /** @param {KeyboardEvent} e */
    arrow(e) {
      const way = { ArrowUp: 1, ArrowDown: -1 }[e.key];
      if (!way) return;
      e.preventDefault();
      void this.move({ byDB: way * (e.shiftKey ? 3 : 0.5) });
    },
  });
