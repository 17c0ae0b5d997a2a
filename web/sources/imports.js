// The list of files on their way in, as the bench and the page of sources show it.

import { panel } from "../lib/panel.js";
import { get, say } from "../app/api.js";

/** @param {{uploads: import("./uploads.js").Uploads, page: {tell: (text: string) => void}}} app */
export const imports = (app) =>
  panel({
    /** @type {ImportJob[]} */
    list: [],
    /** @type {string[]} those that were taken off the list by hand */
    dismissed: [],
    /** @type {Map<string, ImportJob> | null} what is told while the list is being read */
    told: null,
    /** @param {ImportJob} j */
    take(j) {
      this.told?.set(j.id, j);
      const i = this.list.findIndex((/** @type {ImportJob} */ o) => o.id === j.id);
      if (i < 0) this.list.push(j);
      else this.list[i] = j;
    },
    async read() {
      // What is told while the list is on its way is newer than the list.
      const told = (this.told = new Map());
      const { imports } = await get(`/reels/${app.uploads.reel}/imports`).catch(() => ({ imports: this.list }));
      const dismissed = this.dismissed;
      this.list = imports
        .map((/** @type {ImportJob} */ j) => told.get(j.id) ?? j)
        .filter((/** @type {ImportJob} */ j) => !dismissed.includes(j.id));
      for (const j of told.values()) if (!imports.some((/** @type {ImportJob} */ o) => o.id === j.id)) this.take(j);
      if (this.told === told) this.told = null;
    },
    /** What is under way, and what ended with something to say. @returns {ImportJob[]} */
    get open() {
      return this.list.filter((/** @type {ImportJob} */ j) => j.state !== "done" || j.detail);
    },
    /** @param {ImportJob} j */
    running(j) {
      return ["receiving", "waiting", "reading"].includes(j.state);
    },
    /** @param {ImportJob} j */
    note(j) {
      const part = j.progress >= 0 ? ` ${Math.round(j.progress * 100)} %` : "";
      return (
        {
          receiving: `uploading${part}`,
          waiting: "queued",
          reading: `reading${part}`,
          choose: "choose channels",
          done: "imported",
          failed: "not imported",
          cancelled: "stopped",
        }[j.state] ?? j.state
      );
    },
    /** @param {ImportJob} j */
    width(j) {
      return { width: `${Math.round(Math.max(j.progress, 0) * 100)}%` };
    },
    /** @param {ImportJob} j */
    cancel(j) {
      void app.uploads.cancel(j.id).catch((err) => app.page.tell(say(err)));
    },
    /** @param {ImportJob} j */
    dismiss(j) {
      this.dismissed = [...this.dismissed, j.id];
      this.list = this.list.filter((/** @type {ImportJob} */ o) => o.id !== j.id);
    },
  });
