// The list of sources in its folders: found by typing, folded, moved; and takes that came as
// several files.

import { get, say, send } from "../app/api.js";
import { panel } from "../lib/panel.js";

/** @param {import("../app/app.js").App} app */
export const grouping = (app) =>
  panel({
    /** Takes that came as several files. @type {Take[]} */
    takes: [],
    /** @param {Take} t */
    takeText: (t) => `“${t.name}” is split into ${t.sources.length} files${t.how === "beside" ? ", left and right" : ""}`,
    async readTakes() {
      const turn = app.sources.shown,
        found = await get(`/reels/${app.doc.id}/takes`).catch(() => null);
      if (found && turn === app.sources.shown) this.takes = found.takes;
    },
    /** Joins the files of a take: one source stands in their place. @param {Take} t */
    async joinTake(t) {
      try {
        await app.jobs.begin(`/reels/${app.doc.id}/takes`, { sources: t.sources });
        this.takes = this.takes.filter((o) => o !== t);
        app.page.hint = `Joining the files of “${t.name}”…`;
      } catch (err) {
        app.page.tell(say(err));
      }
    },
    /** Folders whose sources are folded away. @type {Set<string>} */
    folded: new Set(),
    foldedPlace: () => `folded ${app.doc.uid}`,
    /** Folds what was folded in this browser before. */
    readFolded() {
      try {
        this.folded = new Set(JSON.parse(localStorage.getItem(this.foldedPlace()) ?? "[]"));
      } catch {
        // what cannot be read folds nothing
      }
    },
    /** What is looked for among names and folders. */
    find: "",
    /** The sources that have all words that are looked for. @returns {Listed[]} */
    listed() {
      const words = this.find.toLowerCase().split(/\s+/).filter(Boolean);
      if (!words.length) return app.sources.list;
      return app.sources.list.filter((/** @type {Listed} */ s) => {
        const text = `${s.name} ${s.folder ?? ""} ${s.details.fileName}`.toLowerCase();
        return words.every((w) => text.includes(w));
      });
    },
    /** Whether a source is the first of its folder in the list. @param {Listed} s @param {number} i */
    heads(s, i) {
      return Boolean(s.folder) && this.listed()[i - 1]?.folder !== s.folder;
    },
    /** Whether a source is folded away; what is looked for is not. @param {Listed} s */
    isFolded(s) {
      return !this.find && this.folded.has(s.folder ?? "");
    },
    /** @param {Listed} s */
    inFolder(s) {
      return this.listed().filter((/** @type {Listed} */ o) => o.folder === s.folder).length;
    },
    /** @param {Listed} s */
    fold(s) {
      const folder = s.folder ?? "",
        now = new Set(this.folded);
      if (!now.delete(folder)) now.add(folder);
      this.folded = now;
      localStorage.setItem(this.foldedPlace(), JSON.stringify([...now]));
      app.sources.drawMinis();
    },
    /** Lists a source in another folder. @param {Listed} s @param {string} folder */
    async moveTo(s, folder) {
      try {
        app.doc.take(await send("PATCH", `/reels/${app.doc.id}/sources/${s.id}`, { name: s.name, folder }));
      } catch (err) {
        app.page.tell(say(err));
      }
    },
  });
