// Writing a ride while one listens: by a fader, or by keys that are held. What was done
// becomes a ride of few points, as one step.

import { panel } from "../lib/panel.js";
import { decibels, silent } from "../lib/decibels.js";
import { levelAt } from "./thread.js";

/** dB a second by which a held key raises or lowers. */
const pace = 9;
/** The levels that can be written, in dB. */
const low = -40,
  high = 12;
/** Milliseconds from one place that is noted to the next, and from one trial that is heard to the next. */
const often = 30,
  trialEvery = 300;
/** dB by which the ride may differ from what was done, so that few points do. */
const within = 0.3;
/** Seconds over which the line goes back to what it was. */
const back = 0.3;

/** @typedef {{on: {clip?: number, track?: number}, shift: number, last: number, from: number, noted: {at: number, db: number}[], name: string}} Writing */

/** @param {import("../app/app.js").App} app */
export const writing = (app) =>
  panel({
    /** What is being written. @type {Writing | null} */ now: null,
    /** The level that is written, in dB. */
    level: 0,
    /** Which way a held key goes. */
    way: 0,
    /** @type {ReturnType<typeof setInterval> | undefined} */ timer: undefined,
    last: 0,
    tried: 0,
    trying: false,

    /** Whose line would be written: of the clip that is chosen, else of the track that is shown or that keys act on. @returns {Omit<Writing, "noted" | "from"> | null} */
    line() {
      const [c, more] = app.levels.clips();
      if (c && !more) return { on: { clip: c.id }, shift: c.offset - c.start, last: c.offset + c.length, name: `“${c.name}”` };
      const t = app.session.track ?? app.clips.tracks.find((o) => app.session.working.has(o.id) && o.role !== "picture");
      return t && t.role !== "picture" ? { on: { track: t.id }, shift: 0, last: Infinity, name: t.name } : null;
    },
    /** What it would be called. */
    of() {
      return this.line()?.name ?? "";
    },
    text() {
      return this.level <= low ? decibels(silent) : decibels(Math.round(10 * this.level) / 10);
    },
    /** What is written where the fader stands at its foot. */
    db() {
      return this.level <= low ? silent : this.level;
    },

    /** Begins to write at the place that is heard. */
    begin() {
      if (this.now) return true;
      const line = this.line();
      this.last = performance.now();
      if (!app.session.playing || app.player.route?.name !== "reel" || app.listen.speed < 0 || !line) {
        app.page.tell(
          line ? "Play the reel forwards first: a ride is written while it plays." : "Select a clip or a track with sound first.",
        );
        return false;
      }
      const from = Math.round(app.player.position()) + line.shift,
        points = app.doc.lines.get(line.on.clip ?? line.on.track ?? 0) ?? [];
      this.level = Math.max(levelAt(points, from), low);
      this.now = { ...line, from, noted: [{ at: from + 1, db: this.db() }] };
      this.timer = setInterval(() => this.note(), often);
      return true;
    },
    /** Notes the level where it is heard. */
    note() {
      const w = this.now;
      if (!w) return;
      // By the time that has gone, as what calls this may be late.
      const time = performance.now();
      this.level = Math.min(Math.max(this.level + (this.way * pace * (time - this.last)) / 1000, low), high);
      this.last = time;
      const at = Math.round(app.player.position()) + w.shift;
      if (at >= w.last) return; // the clip has gone by
      if (at > (w.noted.at(-1)?.at ?? 0)) w.noted.push({ at, db: this.db() });
      app.page.hint = `Writing a ride on ${w.name}: ${this.text()} dB`;
      if (performance.now() - this.tried > trialEvery) void this.hear();
    },
    /** The edit that what was done makes. @param {boolean} on whether the level stays for what comes */
    edit(on) {
      const w = /** @type {Writing} */ (this.now),
        rate = app.doc.props.sampleRate,
        last = /** @type {{at: number, db: number}} */ (w.noted.at(-1)),
        to = Math.min(last.at + Math.round((on ? 5 : back) * rate), w.last);
      const points = on ? [...w.noted, { at: last.at + Math.round(4.5 * rate), db: last.db }] : w.noted;
      return { ...w.on, from: w.from, to, points, within, name: `write a ride on ${w.name}` };
    },
    /** What is written is heard as soon as it can be rendered. */
    async hear() {
      if (this.trying) return;
      this.trying = true;
      this.tried = performance.now();
      try {
        const r = await app.doc.dryRun("layRide", this.edit(true), undefined, false, true);
        if (this.now && r.trial) {
          app.listen.heardAs = r.trial;
          app.player.refresh();
        }
      } catch {
        // What cannot be tried is told when it is kept.
      } finally {
        this.trying = false;
      }
    },

    /** Whether a pointer holds the fader: arrow keys on it would write a ride each. */
    held: false,
    grip() {
      this.held = true;
    },
    /** The fader is moved. @param {HTMLInputElement} fader */
    move(fader) {
      if (this.held && this.begin()) this.level = fader.valueAsNumber;
      else fader.value = "0";
    },
    letGo() {
      this.held = false;
      this.end();
    },
    /** A key is held: the level goes up or down until it is let go. @param {1 | -1} way */
    hold(way) {
      if (!this.begin() || this.way === way) return;
      this.way = way;
      const stop = new AbortController(),
        letGo = () => {
          this.way = 0;
          stop.abort();
        };
      addEventListener("keyup", letGo, { signal: stop.signal });
      addEventListener("blur", letGo, { signal: stop.signal });
    },
    /** The fader is let go, or the reel has stopped: what was done is kept. */
    end() {
      const w = this.now;
      clearInterval(this.timer);
      this.way = 0;
      if (!w) return;
      const what = this.edit(false);
      this.now = null;
      if (what.to - what.from > 0.05 * app.doc.props.sampleRate) void app.mend.edit("layRide", what);
    },
    /** What was written is not kept. */
    drop() {
      clearInterval(this.timer);
      this.now = null;
      this.way = 0;
      app.listen.heardAs = "";
      app.player.refresh();
      app.page.hint = "The ride was not kept";
    },
  });
