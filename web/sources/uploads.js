// Brings files into a reel, two at a time.

import { Problem, get, send } from "../app/api.js";

const together = 2;

/** The folder that a file came from, names parted by slashes. @type {WeakMap<File, string>} */
const folders = new WeakMap();

/** @param {File} file */
const folderOf = (file) => folders.get(file) ?? file.webkitRelativePath?.split("/").slice(0, -1).join("/") ?? "";

export class Uploads {
  /**
   * @param {number} reel
   * @param {(name: string, detail: string) => void} trouble called for a file that did not make it to the server
   */
  constructor(reel, trouble) {
    this.reel = reel;
    this.trouble = trouble;
    /** @type {{file: File, done: (sent: unknown) => void}[]} */
    this.queue = [];
    this.busy = 0;
  }

  /** @param {Iterable<File>} files @returns {Promise<unknown>} when all of them were sent, or could not be */
  add(files) {
    const sent = [...files].map((file) => new Promise((done) => this.queue.push({ file, done })));
    this.pump();
    return Promise.all(sent);
  }

  pump() {
    while (this.busy < together) {
      const next = this.queue.shift();
      if (!next) return;
      this.busy++;
      void this.send(next.file).finally(() => {
        this.busy--;
        next.done(undefined);
        this.pump();
      });
    }
  }

  /** @param {File} file */
  async send(file) {
    try {
      const q = new URLSearchParams({ name: file.name }),
        folder = folderOf(file);
      if (folder) q.set("folder", folder);
      const res = await fetch(`/api/v1/reels/${this.reel}/uploads?${q}`, {
        method: "POST",
        body: file,
        headers: { "Content-Type": "application/octet-stream" },
      });
      if (!res.ok) throw new Problem(await res.json());
    } catch (err) {
      // The server tells of its own refusals through the list of imports; one
      // that comes before the whole file was sent can look like a broken line.
      if (!(err instanceof Problem) && !(await this.refused(file.name)))
        this.trouble(file.name, `“${file.name}” did not reach the server. Nothing was kept; see that it runs and drop the file in again.`);
    }
  }

  /** Whether the server says itself why it did not take a file. @param {string} name */
  async refused(name) {
    try {
      const { imports } = await get(`/reels/${this.reel}/imports`);
      return imports.some((/** @type {ImportJob} */ j) => j.name === name && j.state !== "receiving");
    } catch {
      return false;
    }
  }

  /** @param {string} id */
  cancel(id) {
    return send("DELETE", `/reels/${this.reel}/imports/${id}`);
  }
}

/**
 * Catches files that are dropped anywhere on the page.
 * @param {(over: boolean) => void} hover told when files are held over the page, and when not any more
 * @param {(files: File[]) => void} take
 */
export function catchDrops(hover, take) {
  addEventListener("dragover", (e) => {
    if (!e.dataTransfer?.types.includes("Files")) return;
    e.preventDefault();
    hover(true);
  });
  addEventListener("dragleave", (e) => {
    if (!e.relatedTarget) hover(false);
  });
  addEventListener("drop", (e) => {
    e.preventDefault();
    hover(false);
    // What is dropped can be asked for only now; folders are then read whole.
    const items = [...(e.dataTransfer?.items ?? [])].map((i) => i.webkitGetAsEntry?.()),
      files = [...(e.dataTransfer?.files ?? [])];
    if (items.some((i) => i?.isDirectory)) void Promise.all(items.map((i) => (i ? within(i) : []))).then((all) => take(all.flat()));
    else take(files);
  });
}

/** The files of a dropped file or folder, without hidden ones. @param {any} entry @param {string} [folder] @returns {Promise<File[]>} */
async function within(entry, folder = "") {
  if (entry.name.startsWith(".")) return [];
  if (entry.isFile) {
    const file = await new Promise((done, fail) => entry.file(done, fail));
    if (folder) folders.set(file, folder);
    return [file];
  }
  const reader = entry.createReader(),
    out = [];
  for (;;) {
    // a reader gives a hundred at a time
    /** @type {any[]} */
    const some = await new Promise((done, fail) => reader.readEntries(done, fail));
    if (!some.length) return out;
    for (const e of some) out.push(...(await within(e, folder ? `${folder}/${entry.name}` : entry.name)));
  }
}
