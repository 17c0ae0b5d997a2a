// Sound while the playhead is moved: short grains of what lies there, turned round
// where one goes back.

import { bytes } from "../app/api.js";

/** Seconds of a grain, and from one to the next; how much is fetched at a time. */
const grain = 0.07,
  next = 0.04,
  block = 0.5;
/** How many blocks are kept. */
const most = 24;

export class Scrub {
  /** @param {import("./player.js").Player} player @param {(from: number, to: number) => string} address */
  constructor(player, address) {
    this.player = player;
    this.address = address;
    /** @type {Map<string, Promise<Float32Array>>} blocks by their address */
    this.blocks = new Map();
    this.last = { place: -1, time: 0 };
    this.turn = 0;
    this.latency = 0; // milliseconds from a move to its sound, last time
  }

  /** The playhead has come to a place. @param {number} place */
  async move(place) {
    const { player } = this,
      now = performance.now(),
      was = this.last.place;
    if (player.playing || place === was || now - this.last.time < next * 1000) return;
    this.last = { place, time: now };
    const turn = ++this.turn,
      n = Math.round(grain * player.rate),
      from = Math.max(Math.round(place - n / 2), 0);
    const [samples] = await Promise.all([this.samples(from, n), player.ready()]).catch(() => [null]);
    // A grain that comes too late is of a place that one has left.
    if (!samples || turn !== this.turn || player.playing || !player.context || !player.monitor) return;
    const buffer = player.context.createBuffer(2, n, player.rate);
    for (const side of [0, 1]) {
      const v = buffer.getChannelData(side);
      for (let i = 0; i < n; i++) {
        const k = was > place ? n - 1 - i : i;
        v[i] = samples[2 * k + side] * (0.5 - 0.5 * Math.cos((2 * Math.PI * (i + 0.5)) / n));
      }
    }
    const source = player.context.createBufferSource();
    source.buffer = buffer;
    source.connect(player.monitor);
    source.start();
    this.latency = performance.now() - now;
  }

  /** @param {number} from @param {number} n @returns {Promise<Float32Array>} */
  async samples(from, n) {
    const size = Math.round(block * this.player.rate),
      out = new Float32Array(2 * n);
    for (let at = from; at < from + n;) {
      const k = Math.floor(at / size),
        data = await this.block(k * size, size),
        part = Math.min((k + 1) * size - at, from + n - at);
      out.set(data.subarray(2 * (at - k * size), 2 * (at - k * size + part)), 2 * (at - from));
      at += part;
    }
    return out;
  }

  /** @param {number} from @param {number} n */
  block(from, n) {
    const address = this.address(from, from + n),
      have = this.blocks.get(address);
    if (have) return have;
    const coming = bytes(address).then((b) => new Float32Array(b));
    coming.catch(() => this.blocks.delete(address));
    this.blocks.set(address, coming);
    for (const old of this.blocks.keys()) if (this.blocks.size > most) this.blocks.delete(old);
    return coming;
  }
}
