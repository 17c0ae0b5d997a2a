// Edits that are tried while something is dragged.

import { Problem } from "./api.js";

/**
 * Tries edits while something is dragged: one at a time, always the newest.
 */
export class Rehearsal {
  /**
   * @param {import("./doc.js").Doc} doc
   * @param {(result: DryRun | Problem, tried: Record<string, unknown>) => void} heed
   * @param {boolean} [nearest] what cannot go all the way goes as far as it can
   */
  constructor(doc, heed, nearest) {
    this.doc = doc;
    this.heed = heed;
    this.nearest = nearest;
    this.busy = false;
    this.over = false;
    /** @type {[string, Record<string, unknown>, CloseUpQuery | undefined] | null} */
    this.next = null;
  }

  /**
   * @param {string} kind
   * @param {Record<string, unknown>} what
   * @param {CloseUpQuery} [closeUp]
   */
  try(kind, what, closeUp) {
    this.next = [kind, what, closeUp];
    if (!this.busy) void this.run();
  }

  async run() {
    this.busy = true;
    while (this.next && !this.over) {
      const [kind, what, closeUp] = this.next;
      this.next = null;
      try {
        const r = await this.doc.dryRun(kind, what, closeUp, this.nearest);
        if (!this.over) this.heed(r, what);
      } catch (err) {
        if (!this.over && err instanceof Problem) this.heed(err, what);
      }
    }
    this.busy = false;
  }

  end() {
    this.over = true;
  }
}
