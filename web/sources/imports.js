// The list of files on their way in, as the bench and the page of sources show it.

import { get, say } from "../app/api.js";

/**
 * @param {{uploads: import("./uploads.js").Uploads}} tools
 * @returns {object & ThisType<any>}
 */
export const importList = (tools) => ({
  /** @type {Map<string, ImportJob> | null} what is told while the list is being read */
  told: null,
  /** @param {ImportJob} j */
  takeImport(j) {
    this.told?.set(j.id, j);
    const i = this.imports.findIndex((/** @type {ImportJob} */ o) => o.id === j.id);
    if (i < 0) this.imports.push(j);
    else this.imports[i] = j;
  },
  async readImports() {
    // What is told while the list is on its way is newer than the list.
    const told = (this.told = new Map());
    const { imports } = await get(`/reels/${tools.uploads.reel}/imports`).catch(() => ({ imports: this.imports }));
    const dismissed = /** @type {string[]} */ (this.dismissed ?? []);
    this.imports = imports.map((/** @type {ImportJob} */ j) => told.get(j.id) ?? j).filter((/** @type {ImportJob} */ j) => !dismissed.includes(j.id));
    for (const j of told.values()) if (!imports.some((/** @type {ImportJob} */ o) => o.id === j.id)) this.takeImport(j);
    if (this.told === told) this.told = null;
  },
  /** What is under way, and what ended with something to say. @returns {ImportJob[]} */
  get openImports() {
    return this.imports.filter((/** @type {ImportJob} */ j) => j.state !== "done" || j.detail);
  },
  /** @param {ImportJob} j */
  running(j) {
    return ["receiving", "waiting", "reading"].includes(j.state);
  },
  /** @param {ImportJob} j */
  importNote(j) {
    const part = j.progress >= 0 ? ` ${Math.round(j.progress * 100)} %` : "";
    return { receiving: `uploading${part}`, waiting: "queued", reading: `reading${part}`, choose: "choose channels", done: "imported", failed: "not imported", cancelled: "stopped" }[j.state] ?? j.state;
  },
  /** @param {ImportJob} j */
  importWidth(j) {
    return { width: `${Math.round(Math.max(j.progress, 0) * 100)}%` };
  },
  /** @param {ImportJob} j */
  cancelImport(j) {
    void tools.uploads.cancel(j.id).catch((err) => this.tell(say(err)));
  },
  /** @param {ImportJob} j */
  dismiss(j) {
    this.dismissed = [...(this.dismissed ?? []), j.id];
    this.imports = this.imports.filter((/** @type {ImportJob} */ o) => o.id !== j.id);
  },
});

/**
 * Joins the parts of a page into one object; getters stay getters.
 * @template {object} T
 * @param {T} page
 * @param {...object} parts
 * @returns {T & Record<string, any>}
 */
export function join(page, ...parts) {
  for (const part of parts) Object.defineProperties(page, Object.getOwnPropertyDescriptors(part));
  return page;
}
