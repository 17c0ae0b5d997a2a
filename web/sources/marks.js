// What the file of a recording has marked: shown on its wave, and brought into the reel.

import { get, say, send } from "../app/api.js";
import { panel } from "../lib/panel.js";
import { count } from "../lib/words.js";
import { span } from "../lib/timecode.js";

/** @typedef {{at: number, length: number, text: string}} Mark */

/** @param {import("../app/app.js").App} app */
export const markings = (app) =>
  panel({
    /** @type {Mark[]} */ list: [],
    /** The source that they are of. */
    of: 0,

    /** Reads those of the source that is open. */
    async read() {
      const s = app.session.source;
      this.take([]);
      this.of = s?.id ?? 0;
      if (!s || s.picture || !s.recording) return;
      const found = await get(`/reels/${app.doc.id}/sources/${s.id}/marks`).catch(() => ({ marks: [] }));
      if (this.of === s.id) this.take(found.marks);
    },
    /** @param {Mark[]} list */
    take(list) {
      this.list = list;
      app.sourceView.marks = list;
      app.sourceView.redraw();
    },
    title() {
      return `${count(this.list.length, "marker")} in the file`;
    },
    /** @param {Mark} m */
    text: (m) => `${span(m.at, app.doc.props)}${m.length ? ` · ${span(m.length, app.doc.props)}` : ""}`,
    /** The next place after one that is marked, or the end. @param {number} i */
    until(i) {
      const m = this.list[i],
        next = this.list.slice(i + 1).find((o) => o.at > m.at);
      return m.length ? m.at + m.length : (next?.at ?? app.session.source?.length ?? m.at);
    },
    /** Marks what a marker begins, to be listened to. @param {number} i */
    mark(i) {
      app.sourceView.mark(this.list[i].at, this.until(i));
    },
    /** Puts markers into the reel wherever a clip plays one of these. */
    async toReel() {
      const s = app.session.source;
      if (!s || !this.list.length) {
        app.page.tell(s ? "The file of this source has no markers." : "Open a recording under Sources first.");
        return;
      }
      await app.doc.settled();
      try {
        app.doc.take(await send("POST", `/reels/${app.doc.id}/sources/${s.id}/marks`));
      } catch (err) {
        app.page.tell(say(err));
      }
    },
    /** Keeps each as a stretch up to the next, to be saved. */
    asStretches() {
      const s = app.session.source;
      if (!s) return;
      const made = this.list.map((m, i) => ({ source: s.id, name: m.text || `${s.name} ${i + 1}`, from: m.at, to: this.until(i) }));
      app.extract.keepAll([...app.extract.all(), ...made.filter((p) => p.to > p.from)]);
    },
  });
