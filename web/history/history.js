// The steps of a reel and its named versions, and its markers.

import { el, panel } from "../lib/panel.js";
import { get, say, send, sendFile } from "../app/api.js";
import { shortAt } from "../lib/timecode.js";

/** How many steps are read at a time. */
const page = 100;

/** @param {import("../app/app.js").App} app */
export const steps = (app) =>
  panel({
    /** @type {Step[]} */ steps: [],
    moreSteps: false,
    /** @type {Kept[]} */ versions: [],
    versionName: "",
    /** @type {any[]} */ markers: [],

    // ——— Steps ———

    async readSteps() {
      if (app.page.tab !== "steps") return;
      try {
        const [{ steps }, { versions }] = await Promise.all([
          get(`/reels/${app.doc.id}/history?only=steps&limit=${Math.max(page, this.steps.length)}`),
          get(`/reels/${app.doc.id}/versions`),
        ]);
        this.steps = steps.map(shown);
        this.moreSteps = steps.length >= page;
        this.versions = versions.map((/** @type {Kept} */ v) => ({ ...v, time: clock(v.at) }));
      } catch (err) {
        app.page.tell(say(err));
      }
    },
    async readMoreSteps() {
      const last = this.steps.at(-1)?.revision ?? 0;
      try {
        const { steps } = await get(`/reels/${app.doc.id}/history?only=steps&limit=${page}&before=${last}`);
        this.steps = [...this.steps, ...steps.map(shown)];
        this.moreSteps = steps.length >= page;
      } catch (err) {
        app.page.tell(say(err));
      }
    },
    /** The step after which the reel stands now, 0 for none. */
    get stepNow() {
      return this.steps.find((/** @type {Step} */ s) => s.state === "done")?.revision ?? 0;
    },
    /** @param {number} revision */
    async goToStep(revision) {
      if (revision === this.stepNow) return;
      try {
        const c = await app.doc.go(revision);
        app.page.hint = `Gone to: ${c.outcome.label}`;
      } catch (err) {
        app.page.tell(say(err));
      }
    },

    // ——— Versions ———

    /** Opens the line where a version is named. */
    keepVersion() {
      app.sources.showTab("steps");
      whenShown("version-name", (field) => field.focus());
    },
    async keep() {
      const name =
        this.versionName.trim() || `Version of ${new Date().toLocaleString("en-GB", { dateStyle: "medium", timeStyle: "short" })}`;
      try {
        await send("POST", `/reels/${app.doc.id}/versions`, { name });
        this.versionName = "";
        app.page.hint = `Saved as “${name}”`;
        await this.readSteps();
      } catch (err) {
        app.page.tell(say(err));
      }
    },
    /** @param {Kept} v */
    async backToVersion(v) {
      try {
        const c = await app.doc.goToVersion(v.id);
        app.page.tell(c.revision ? `The reel is now as in “${v.name}”. Undo returns to where you were.` : "");
      } catch (err) {
        app.page.tell(say(err));
      }
    },
    /** @param {Kept} v */
    async openVersion(v) {
      try {
        const made = await send("POST", `/reels/${app.doc.id}/versions/${v.id}/open`);
        location.assign(`/reels/${made.id}`);
      } catch (err) {
        app.page.tell(say(err));
      }
    },
    /** @param {Kept} v */
    async letGo(v) {
      try {
        await send("DELETE", `/reels/${app.doc.id}/versions/${v.id}`);
        await this.readSteps();
      } catch (err) {
        app.page.tell(say(err));
      }
    },

    // ——— Markers ———

    takeMarkers() {
      this.markers = app.doc.marks().map((m) => ({ ...m, time: shortAt(m.at, app.doc.props) }));
    },
    addMarker() {
      const at = Math.round(app.timeline.playhead),
        there = app.doc.marks().find((m) => m.at === at);
      const name = (/** @type {number | undefined} */ id) => {
        if (!app.session.playing) app.sources.showTab("markers");
        if (id && !app.session.playing) whenShown(`marker-${id}`, (field) => field.select());
      };
      if (there) name(there.id);
      else
        void app.mend
          .edit("addMarker", { at, text: `Marker ${app.doc.markers.size + 1}` })
          .then((/** @type {Changed | null} */ c) => c && name(c.outcome.made?.[0]));
    },
    /** A page with a table of the reel. @param {string} what */
    reportOf: (what) => `/reels/${app.doc.id}/print/${what}`,
    /** Adds the markers of a CSV file, as one step. @param {HTMLInputElement} field */
    async importMarkers(field) {
      const file = field.files?.[0];
      field.value = "";
      if (!file) return;
      await app.doc.settled();
      try {
        await sendFile(`/reels/${app.doc.id}/markers?name=${encodeURIComponent(file.name)}`, file, () => {});
        app.page.hint = `Markers of “${file.name}” imported`;
      } catch (err) {
        app.page.tell(say(err));
      }
    },
    /** @param {any} m @param {string} text */
    nameMarker(m, text) {
      if (text.trim() !== m.text) void app.mend.edit("setMarker", { marker: m.id, text });
    },
    /** @param {any} m */
    moveMarkerHere(m) {
      void app.mend.edit("setMarker", { marker: m.id, at: Math.round(app.timeline.playhead) });
    },
    /** @param {any} m */
    removeMarker(m) {
      void app.mend.edit("removeMarker", { marker: m.id });
    },
    /** @param {any} m */
    goToMarker(m) {
      app.listen.seek(m.at);
      app.timeline.show(m.at, m.at);
    },
    /** @param {number} by */
    stepMarker(by) {
      const at = Math.round(app.timeline.playhead),
        marks = app.doc.marks();
      const next = by > 0 ? marks.find((m) => m.at > at) : marks.findLast((m) => m.at < at);
      if (next) {
        this.goToMarker(next);
        app.page.hint = `Marker “${next.text}”`;
      } else
        app.page.hint = marks.length
          ? `No marker ${by > 0 ? "after" : "before"} the playhead`
          : `No markers yet; ${app.keys.keyOf("marker")} adds one at the playhead`;
    },
  });

/** Does something with a field once it is there to be seen: panels show after a turn. @param {string} id @param {(field: HTMLInputElement) => void} act */
function whenShown(id, act, turns = 20) {
  const field = el(id);
  if (field?.offsetParent) act(field);
  else if (turns) setTimeout(() => whenShown(id, act, turns - 1), 10);
}

/** @param {Step} s */
const shown = (s) => ({ ...s, time: clock(s.at) });

/** When something was done: the time today, else the day as well. @param {string} at */
function clock(at) {
  const d = new Date(at),
    time = d.toLocaleTimeString("en-GB", { hour: "2-digit", minute: "2-digit" });
  return d.toDateString() === new Date().toDateString()
    ? time
    : `${d.toLocaleDateString("en-GB", { day: "numeric", month: "short" })} ${time}`;
}
