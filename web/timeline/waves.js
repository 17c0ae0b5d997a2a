// Waveforms: fetches overviews and samples in tiles, and draws them.

import { bytes } from "../app/api.js";
import { drawn } from "../lib/canvas.js";

const baseBucket = 64,
  levelStep = 4,
  levels = 6;
const tileBuckets = 4096,
  tileSamples = 16384,
  keep = 900;
/** Shapes of waves that are kept: those of what is in sight, and of where one came from. */
const keepShapes = 600;
/** Requests under way at a time: the others of a browser's few are for the sound. */
const together = 3;

/** Samples in a bucket of a level. @param {number} level */
const bucketOf = (level) => baseBucket * levelStep ** level;

/** The wave of a source's channel: of a recording, or of tone that is grown for a reel. @param {Source} src @param {number} channel @param {{id: number, uid: string}} reel @returns {Wave} */
export const waveOf = (src, channel, reel) => ({
  recording: src.recording,
  channel,
  length: src.length,
  grown: src.bed ? `/reels/${reel.id}/sources/${src.id}` : "",
  of: src.bed
    ? `&of=${src.recording.slice(0, 12)}-${src.bed.room ?? ""}-${src.bed.from}-${src.bed.to}-${src.bed.seed}&uid=${reel.uid}`
    : "",
});

/**
 * @typedef {object} Wave what to draw
 * @property {string} recording
 * @property {string} [grown] where grown tone is asked for; its channels count from 0
 * @property {string} [of] what it is grown of, so that an address never means other tone
 * @property {number} channel
 * @property {number} length samples of the recording
 */

/** @typedef {{key: string, at: (sample: number) => number}} Ride the factor by which each sample is heard, and what tells it from others */

export class Waves {
  /**
   * @param {number} rate
   * @param {() => void} arrived called when something came that was missing outside of the drawing of a view
   */
  constructor(rate, arrived) {
    this.rate = rate;
    this.arrived = arrived;
    /** @type {Map<string, Int16Array | Float32Array | null>} */
    this.tiles = new Map();
    /** @type {Map<string, Set<import("../lib/canvas.js").View | null>>} who draws with a tile that is on its way */
    this.asked = new Map();
    /** @type {(() => Promise<void>)[]} */
    this.waiting = [];
    this.busy = 0;
    /** Counts what has come, so that who keeps a drawing knows whether it may be another. */
    this.stamp = 0;
    /** Counts what was asked for and not here. */
    this.lacking = 0;
    /** @type {Map<string, {peaks: Path2D, body: Path2D}>} as they are filled again and again while nothing but marks changes */
    this.shapes = new Map();
  }

  /** Fetches what waits, the last wanted first. */
  pump() {
    while (this.busy < together) {
      const next = this.waiting.pop();
      if (!next) return;
      this.busy++;
      void next().finally(() => {
        this.busy--;
        this.pump();
      });
    }
  }

  /**
   * A tile, or null while it is on its way.
   * @param {string} address
   * @param {(b: ArrayBuffer) => Int16Array | Float32Array} read
   */
  tile(address, read) {
    const known = this.tiles.get(address);
    if (!known) this.lacking++;
    if (known === null) this.asked.get(address)?.add(drawn());
    if (known !== undefined) {
      this.tiles.delete(address); // to the young end
      this.tiles.set(address, known);
      return known;
    }
    this.tiles.set(address, null);
    this.asked.set(address, new Set([drawn()]));
    this.waiting.push(() =>
      bytes(address).then(
        (b) => {
          this.tiles.set(address, read(b));
          this.stamp++;
          this.tell(address);
        },
        () => {
          this.tiles.delete(address);
          this.asked.delete(address);
        },
      ),
    );
    this.pump();
    if (this.tiles.size > keep) this.tiles.delete(/** @type {string} */ (this.tiles.keys().next().value));
    return null;
  }

  /** Has those drawn anew that lacked a tile. @param {string} address */
  tell(address) {
    for (const view of this.asked.get(address) ?? []) {
      if (view) view.redraw();
      else this.arrived();
    }
    this.asked.delete(address);
  }

  /** @param {Wave} w @param {number} level @param {number} n */
  buckets(w, level, n) {
    const a = `${w.grown || `/recordings/${w.recording}/${this.rate}`}/overview/${w.grown ? 0 : w.channel}/${level}?from=${n * tileBuckets}&count=${tileBuckets}${w.of ?? ""}`;
    return /** @type {Int16Array | null} */ (this.tile(a, (b) => new Int16Array(b)));
  }

  /** @param {Wave} w @param {number} n */
  samples(w, n) {
    const a = `${w.grown || `/recordings/${w.recording}/${this.rate}`}/samples/${w.grown ? 0 : w.channel}?from=${n * tileSamples}&count=${tileSamples}${w.of ?? ""}`;
    return /** @type {Float32Array | null} */ (this.tile(a, (b) => new Float32Array(b)));
  }

  /**
   * The largest sample between two places as far as is known, 0…1.
   * @param {Wave} w
   * @param {number} from
   * @param {number} to
   */
  peak(w, from, to) {
    let level = 0;
    while (level + 1 < levels && bucketOf(level + 1) * 200 <= to - from) level++;
    let top = 0;
    const size = bucketOf(level);
    for (let k = Math.max(Math.floor(from / size), 0); k * size < Math.min(to, w.length); k++) {
      const no = Math.floor(k / tileBuckets),
        tile = this.buckets(w, level, no),
        at = 3 * (k - no * tileBuckets);
      if (tile && at < tile.length) top = Math.max(top, -tile[at], tile[at + 1]);
    }
    return top / 32767;
  }

  /**
   * Draws samples from, from + perPixel … of a recording, a column a pixel.
   * @param {CanvasRenderingContext2D} g
   * @param {Wave} w
   * @param {{from: number, perPixel: number, x: number, width: number, mid: number, half: number, gain?: number, colour: string, body?: number, ride?: Ride}} o
   *   half: height of full scale in pixels
   */
  draw(g, w, o) {
    if (o.width <= 0 || (!w.recording && !w.grown)) return; // nothing is known of what is missing
    if (o.perPixel < baseBucket) this.drawSamples(g, w, o);
    else this.drawBuckets(g, w, o);
  }

  /** @param {CanvasRenderingContext2D} g @param {Wave} w @param {{from: number, perPixel: number, x: number, width: number, mid: number, half: number, gain?: number, colour: string, body?: number, ride?: Ride}} o */
  drawBuckets(g, w, o) {
    const { peaks, body } = this.shape(w, o),
      alpha = g.globalAlpha;
    g.save();
    g.translate(o.x, o.mid);
    g.fillStyle = o.colour;
    g.globalAlpha = alpha * 0.55;
    g.fill(peaks);
    g.globalAlpha = alpha * (o.body ?? 1);
    g.fill(body);
    g.restore();
  }

  /** The areas of peaks and of power from the left, about a middle of 0. @param {Wave} w @param {{from: number, perPixel: number, width: number, half: number, gain?: number, ride?: Ride}} o */
  shape(w, o) {
    const key = [w.recording, w.grown, w.of, w.channel, o.from, o.perPixel, o.width, o.half, o.gain, o.ride?.key].join(" ");
    let shape = this.shapes.get(key);
    if (shape) return shape;
    const made = this.shaped(w, o);
    shape = made.shape;
    if (made.whole) this.shapes.set(key, shape);
    if (this.shapes.size > keepShapes) this.shapes.delete(/** @type {string} */ (this.shapes.keys().next().value));
    return shape;
  }

  /** @param {Wave} w @param {{from: number, perPixel: number, width: number, half: number, gain?: number, ride?: Ride}} o */
  shaped(w, o) {
    let zoom = 0,
      whole = true;
    while (zoom + 1 < levels && bucketOf(zoom + 1) <= o.perPixel) zoom++;
    const size = bucketOf(zoom),
      gain = (o.gain ?? 1) * o.half,
      per = o.perPixel / size;
    const low = new Float32Array(o.width),
      high = new Float32Array(o.width),
      rms = new Float32Array(o.width);
    let first = o.from / size;
    /** @type {Int16Array | null} */
    let tile = null;
    let tileNo = -1;
    for (let x = 0; x < o.width; x++, first += per) {
      const a = Math.floor(first),
        b = Math.max(Math.ceil(first + per), a + 1);
      let lo = 0,
        hi = 0,
        power = 0,
        n = 0;
      if (b <= 0 || a * size >= w.length) continue;
      for (let k = Math.max(a, 0); k < b; k++) {
        const no = Math.floor(k / tileBuckets);
        if (no !== tileNo) {
          tileNo = no;
          tile = this.buckets(w, zoom, no);
          whole &&= !!tile;
        }
        const at = 3 * (k - no * tileBuckets);
        if (!tile || at >= tile.length) continue;
        if (tile[at] < lo) lo = tile[at];
        if (tile[at + 1] > hi) hi = tile[at + 1];
        const r = tile[at + 2] & 0xffff;
        power += r * r;
        n++;
      }
      low[x] = lo / 32767;
      high[x] = hi / 32767;
      rms[x] = n ? Math.sqrt(power / n) / 32767 : 0;
    }
    const by = o.ride,
      level = new Float32Array(o.width).fill(gain);
    if (by) for (let x = 0; x < o.width; x++) level[x] = gain * by.at(o.from + (x + 0.5) * o.perPixel);
    const clamp = (/** @type {number} */ v, /** @type {number} */ x) => Math.min(Math.max(v * level[x], -o.half), o.half);
    const peaks = outline(o.width, (x) => [clamp(high[x], x), clamp(low[x], x)]),
      body = outline(o.width, (x) => [clamp(rms[x], x), clamp(-rms[x], x)]);
    return { shape: { peaks, body }, whole };
  }

  /** @param {CanvasRenderingContext2D} g @param {Wave} w @param {{from: number, perPixel: number, x: number, width: number, mid: number, half: number, gain?: number, colour: string, ride?: Ride}} o */
  drawSamples(g, w, o) {
    const gain = (o.gain ?? 1) * o.half;
    const a = Math.max(Math.floor(o.from) - 1, 0),
      b = Math.min(Math.ceil(o.from + o.width * o.perPixel) + 1, w.length);
    g.strokeStyle = g.fillStyle = o.colour;
    g.lineWidth = o.perPixel < 2 ? 1.5 : 1;
    g.beginPath();
    let pen = false,
      tileNo = -1;
    /** @type {Float32Array | null} */
    let tile = null;
    for (let k = a; k < b; k++) {
      const no = Math.floor(k / tileSamples);
      if (no !== tileNo) {
        tileNo = no;
        tile = this.samples(w, no);
      }
      if (!tile) {
        k = (no + 1) * tileSamples - 1;
        pen = false;
        continue;
      }
      const x = o.x + (k - o.from) / o.perPixel,
        y = o.mid - Math.min(Math.max(tile[k - no * tileSamples] * gain * (o.ride ? o.ride.at(k) : 1), -o.half), o.half);
      if (pen) g.lineTo(x, y);
      else g.moveTo(x, y);
      pen = true;
      if (o.perPixel < 0.2) g.rect(x - 2, y - 2, 4, 4);
      if (o.perPixel < 0.2) g.moveTo(x, y);
    }
    g.stroke();
  }
}

/**
 * The area between two lines, at least a hair thick.
 * @param {number} width
 * @param {(x: number) => [number, number]} at heights above the middle
 */
function outline(width, at) {
  const p = new Path2D();
  for (let x = 0; x < width; x++) p.lineTo(x, -Math.max(at(x)[0], 0.4));
  for (let x = width - 1; x >= 0; x--) p.lineTo(x, -Math.min(at(x)[1], -0.4));
  return p;
}
