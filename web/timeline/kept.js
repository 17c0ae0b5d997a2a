// Lanes as they were drawn last. Most of what happens on the timeline alters
// nothing of most lanes: their clips are drawn again only where one of them, or
// how it is looked at, is another.

import { fit } from "../lib/canvas.js";

export class KeptLanes {
  /** @param {{stamp: number, lacking: number}} waves counts what came, and what was lacking as it was drawn */
  constructor(waves) {
    this.waves = waves;
    /** @type {Map<number, {face: unknown[], canvas: HTMLCanvasElement, lacks: boolean, stamp: number}>} */
    this.lanes = new Map();
  }

  /**
   * The picture of a lane, drawn anew unless it shows the very same things.
   * @param {number} track
   * @param {unknown[]} face all that the drawing depends on, each compared by identity
   * @param {number} width
   * @param {number} height
   * @param {(g: CanvasRenderingContext2D) => void} draw
   */
  of(track, face, width, height, draw) {
    const { waves } = this;
    let kept = this.lanes.get(track);
    // What came meanwhile matters to those alone that lacked something.
    if (kept && (!kept.lacks || kept.stamp === waves.stamp) && same(kept.face, face)) return kept.canvas;
    kept ??= { face, canvas: document.createElement("canvas"), lacks: false, stamp: 0 };
    this.lanes.set(track, kept);
    const lacking = waves.lacking;
    kept.face = face;
    kept.stamp = waves.stamp;
    draw(fit(kept.canvas, width, height));
    kept.lacks = waves.lacking !== lacking;
    return kept.canvas;
  }

  /** Forgets the lanes of tracks that are no more. @param {Map<number, unknown>} tracks */
  sweep(tracks) {
    for (const id of this.lanes.keys()) if (!tracks.has(id)) this.lanes.delete(id);
  }
}

/** @param {unknown[]} a @param {unknown[]} b */
const same = (a, b) => a.length === b.length && a.every((v, i) => v === b[i]);
