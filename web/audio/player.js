// Plays what the server renders, sample for sample, and knows where it is.
//
// A session is one press of play. Its stream is a line of samples from 0 on;
// the route tells which place of the reel each of them is, so that a loop is
// just a route that comes round again.

import { bytes } from "../app/api.js";

/** Seconds fetched at first, then at a time, and kept ahead. */
const first = 0.4,
  chunk = 0.25,
  ahead = 1;
/** Requests under way at a time, so that one slow answer does not starve the ear. */
const together = 3;
/** Seconds into the future at which an edit can be brought in. */
const margin = 0.16;
/** Samples at both ends of a loop over which it is eased, so that its turn does not click. */
const turn = 240;

/**
 * @typedef {object} Route
 * @property {number} from place where it starts
 * @property {number} [to] place where it ends, or where the loop turns
 * @property {number} [loopFrom] place where a loop comes round again
 * @property {number} [speed] 0.5, 2 or −1, backwards; 1 where it is left out
 * @property {(from: number, to: number) => string} address of the samples of a stretch, below /api/v1: between two places, or where it has a speed between two samples of what is heard
 * @property {string} [name] what is being heard, for those who ask
 */

/** Events: "state" when it starts and stops, "meter" (detail: peaks and powers of both sides). */
export class Player extends EventTarget {
  /** @param {number} sampleRate */
  constructor(sampleRate) {
    super();
    this.rate = sampleRate;
    /** @type {AudioContext | null} */
    this.context = null;
    /** @type {AudioWorkletNode | null} */
    this.node = null;
    /** @type {GainNode | null} */
    this.monitor = null;
    this.level = 1; // factor of what is heard here
    this.sink = ""; // the device it sounds from, "" for the usual one
    /** @type {AnalyserNode | null} what sounds, for those who draw it */
    this.analyser = null;
    /** @type {Promise<void> | null} */
    this.making = null;
    /** @type {Route | null} */
    this.route = null;
    this.session = 0;
    this.playing = false;
    this.fetched = 0; // stream samples asked for
    this.ended = false; // all of the route is asked for
    this.heard = { at: 0, time: 0 };
    this.startedAt = 0;
    this.latency = 0; // milliseconds from play to the first sample, last time
    this.replaceNext = false;
    /** @type {Promise<void>} */
    this.started = Promise.resolve();
    /** @type {Promise<void>} the last stretch that is on its way */
    this.line = Promise.resolve();
    this.underWay = 0;
    /** @type {AbortController} */
    this.abort = new AbortController();
  }

  /** Makes the sound system ready; needs a gesture of the user. */
  async ready() {
    this.making ??= this.make();
    await this.making;
    if (this.context && this.context.state !== "running") await this.context.resume();
  }

  async make() {
    this.context = new AudioContext({ sampleRate: this.rate, latencyHint: "interactive" });
    await this.context.audioWorklet.addModule("/static/audio/worklet.js");
    this.node = new AudioWorkletNode(this.context, "seam-player", { numberOfInputs: 0, outputChannelCount: [2] });
    this.analyser = this.context.createAnalyser();
    this.analyser.fftSize = 4096;
    this.analyser.smoothingTimeConstant = 0.7;
    // What is heard here is as loud as one likes; the reel is what it is.
    this.monitor = this.context.createGain();
    this.monitor.gain.value = this.level;
    this.node.connect(this.analyser);
    this.node.connect(this.monitor);
    this.monitor.connect(this.context.destination);
    if (this.sink) await this.toDevice(this.sink).catch(() => {}); // it may be gone: the usual one sounds
    this.node.port.onmessage = (e) => this.heed(e.data);
  }

  /** How loud it is here, as a factor. @param {number} level */
  setLevel(level) {
    this.level = level;
    if (this.monitor && this.context) this.monitor.gain.setTargetAtTime(level, this.context.currentTime, 0.01);
  }

  /** Sounds from another device. @param {string} id "" for the usual one */
  async toDevice(id) {
    this.sink = id;
    const context = /** @type {(AudioContext & {setSinkId?: (id: string) => Promise<void>}) | null} */ (this.context);
    await context?.setSinkId?.(id);
  }

  /** Gets ready at the user's first gesture, so that the first play starts at once. */
  readyAtFirstGesture() {
    for (const gesture of ["pointerdown", "keydown"]) addEventListener(gesture, () => void this.ready(), { once: true, capture: true });
  }

  /** @param {Route} route */
  play(route) {
    this.startedAt = performance.now();
    this.abort.abort();
    this.abort = new AbortController();
    const session = ++this.session;
    this.route = route;
    this.fetched = 0;
    this.ended = false;
    this.replaceNext = false;
    this.heard = { at: 0, time: 0 };
    this.playing = true;
    this.dispatchEvent(new Event("state"));
    // The first samples are fetched while the sound system gets ready.
    this.started = this.ready().then(() => {
      if (session === this.session) this.node?.port.postMessage({ kind: "start", session });
    });
    this.line = Promise.resolve();
    void this.fetchNext(session, first);
    void this.feed(session);
  }

  stop() {
    if (!this.playing) return;
    this.node?.port.postMessage({ kind: "stop", session: this.session });
    this.abort.abort();
    this.session++;
    this.playing = false;
    this.dispatchEvent(new Event("state"));
  }

  /** The reel changed: what is not heard yet is fetched anew. */
  refresh() {
    if (!this.playing) return;
    this.abort.abort();
    this.abort = new AbortController();
    // Before anything sounds it is simply begun anew.
    this.fetched = this.heard.at === 0 ? 0 : this.streamAt() + Math.round(margin * this.rate);
    this.ended = false;
    this.replaceNext = true;
    void this.feed(this.session);
  }

  /** Stream sample that is being rendered now. */
  streamAt() {
    if (!this.context || !this.heard.time) return 0;
    return Math.max(this.heard.at + Math.round((this.context.currentTime - this.heard.time) * this.rate), 0);
  }

  /** Place of the reel that sounds from the loudspeaker now. */
  position() {
    if (!this.route) return 0;
    const late = this.context ? (this.context.outputLatency || this.context.baseLatency || 0) * this.rate : 0;
    return this.place(Math.max(this.streamAt() - late, 0));
  }

  /** The place of a stream sample. @param {number} n */
  place(n) {
    const r = /** @type {Route} */ (this.route);
    if (r.speed) {
      const there = Math.round(r.from + n * r.speed);
      return r.speed < 0 ? Math.max(there, r.to ?? 0) : Math.min(there, r.to ?? there);
    }
    const at = r.from + n;
    if (r.loopFrom === undefined || r.to === undefined || at < r.to) return r.to === undefined ? at : Math.min(at, r.to);
    return r.loopFrom + ((at - r.to) % (r.to - r.loopFrom));
  }

  /** Keeps the worklet supplied. @param {number} session */
  async feed(session) {
    const signal = this.abort.signal;
    while (session === this.session && !signal.aborted && !this.ended) {
      const wait = (this.fetched - this.streamAt()) / this.rate - ahead;
      if (wait > 0) await new Promise((done) => setTimeout(done, wait * 1000 + 5));
      else if (this.underWay >= together) await this.line;
      else void this.fetchNext(session, chunk);
    }
  }

  /**
   * Fetches the next stretch and hands it on, in order.
   * @param {number} session
   * @param {number} seconds
   */
  fetchNext(session, seconds) {
    const r = /** @type {Route} */ (this.route),
      signal = this.abort.signal;
    const at = this.fetched,
      place = this.place(at);
    let n = Math.round(seconds * this.rate);
    const whole = r.speed && r.to !== undefined ? Math.round((r.to - r.from) / r.speed) : Infinity; // samples that will be heard
    if (r.speed) n = Math.min(n, whole - at);
    else if (r.to !== undefined) n = Math.min(n, r.to - place);
    if (n <= 0) {
      this.ended = true;
      return;
    }
    const last = r.speed ? at + n >= whole : r.to !== undefined && r.loopFrom === undefined && place + n >= r.to;
    const replace = this.replaceNext;
    this.replaceNext = false;
    this.fetched = at + n;
    if (last) this.ended = true;
    this.underWay++;
    const coming = bytes(r.speed ? r.address(at, at + n) : r.address(place, place + n), signal),
      before = this.line;
    coming.catch(() => {}); // told of below, when its turn comes
    this.line = (async () => {
      try {
        await before;
        const data = new Float32Array(await coming);
        await this.started;
        if (session !== this.session || signal.aborted) return;
        if (r.loopFrom !== undefined && r.to !== undefined) ease(data, place, r.loopFrom, r.to, at < r.to - r.from);
        this.node?.port.postMessage({ kind: "data", session, at, data, replace, last }, [data.buffer]);
      } catch (err) {
        if (signal.aborted || session !== this.session) return;
        this.stop();
        this.dispatchEvent(new CustomEvent("trouble", { detail: err }));
      } finally {
        this.underWay--;
      }
    })();
  }

  /** @param {{kind: string, session: number, at: number, time: number, peak: number[], power: number[], seconds: number}} m */
  heed(m) {
    if (m.session !== this.session) return;
    if (m.kind === "at") {
      if (m.at > 0 && this.heard.at === 0) this.latency = performance.now() - this.startedAt;
      this.heard = { at: m.at, time: m.time };
      this.dispatchEvent(new CustomEvent("meter", { detail: m }));
    } else if (m.kind === "ended") {
      this.playing = false;
      this.session++;
      this.dispatchEvent(new CustomEvent("state", { detail: "ended" }));
    }
  }
}

/**
 * Eases a loop's first and last samples.
 * @param {Float32Array} data
 * @param {number} place
 * @param {number} from
 * @param {number} to
 * @param {boolean} firstPass comes in from before the loop, so its head is left alone
 */
function ease(data, place, from, to, firstPass) {
  for (let i = 0; i < data.length / 2; i++) {
    const at = place + i;
    let g = Math.min(1, (to - at) / turn);
    if (!firstPass) g = Math.min(g, Math.max(at - from, 0) / turn);
    if (g < 1) {
      data[2 * i] *= g;
      data[2 * i + 1] *= g;
    }
  }
}
