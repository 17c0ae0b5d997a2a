// The meters while something plays: a column a channel with a scale in dB, the
// corridor for speech as a pale band, RMS as the filled part, the peak as a bar that
// falls slowly and a number that stays, and a mark of over that stays until it is
// clicked.

import { fit, paint } from "../lib/canvas.js";
import { colour } from "../lib/colours.js";

/** The lowest level that is shown, in dBFS. */
const low = -60;
/** dB a second by which a peak falls, once it was held for a while: that of many meters (IEC 60268-18 type I: 20 dB in 1.7 s). */
const fall = 20 / 1.7,
  held = 1000;
/** Seconds over which power is averaged. */
const slow = 0.3;
const over = 16,
  foot = 15;

const db = (/** @type {number} */ v) => (v > 0 ? 20 * Math.log10(v) : -144);

/** Where a level lies, 0 at the foot and 1 at full scale: the upper half holds the uppermost 20 dB. @param {number} v */
const height = (v) => (v >= -20 ? 1 + v / 40 : Math.max((0.5 * (v - low)) / (-20 - low), 0));

/** What is told: peaks as they fall, in dBFS, and when each was last reached; mean squares; the highest peak of all; whether each side has reached full scale. */
const silence = () => ({ peak: [-144, -144], since: [0, 0], power: [0, 0], last: 0, most: -144, over: [false, false] });

export class Meter {
  /** @param {HTMLCanvasElement} canvas @param {() => {low: number, high: number} | undefined} corridor */
  constructor(canvas, corridor) {
    this.canvas = canvas;
    this.corridor = corridor;
    this.dirty = true;
    this.now = silence();
    canvas.addEventListener("click", () => this.clear());
    new ResizeObserver(() => this.redraw()).observe(/** @type {HTMLElement} */ (canvas.parentElement));
    paint(this);
  }

  redraw() {
    this.dirty = true;
  }

  /** Forgets the highest peak and the mark of over. */
  clear() {
    this.now = silence();
    this.redraw();
  }

  /** Nothing plays any more: what was highest stays. */
  rest() {
    Object.assign(this.now, { peak: [-144, -144], power: [0, 0] });
    this.redraw();
  }

  /** What has sounded since the last time. @param {{peak: number[], power: number[], seconds: number}} m power as the mean square of each side */
  heed({ peak, power, seconds }) {
    const time = performance.now(),
      { now } = this,
      gone = now.last ? Math.min((time - now.last) / 1000, 1) : 0;
    now.last = time;
    const keep = Math.exp(-seconds / slow);
    for (const k of [0, 1]) {
      const p = db(peak[k]);
      if (p >= now.peak[k]) [now.peak[k], now.since[k]] = [p, time];
      else if (time - now.since[k] > held) now.peak[k] = Math.max(p, now.peak[k] - fall * gone);
      now.power[k] = power[k] + (now.power[k] - power[k]) * keep;
      now.most = Math.max(now.most, p);
      if (peak[k] >= 1) now.over[k] = true;
    }
    this.redraw();
  }

  /** What the meters tell in words. */
  words() {
    const n = (/** @type {number} */ v) => (v <= -100 ? "silent" : `${v.toFixed(1).replace("-", "−")} dBFS`);
    return `${this.now.over.some(Boolean) ? "Over full scale. " : ""}Highest peak ${n(this.now.most)}. Click to clear.`;
  }

  draw() {
    this.dirty = false;
    const box = /** @type {HTMLElement} */ (this.canvas.parentElement),
      w = box.clientWidth,
      h = box.clientHeight,
      g = fit(this.canvas, w, h),
      top = over + 4,
      high = h - top - foot,
      left = 22,
      wide = 9;
    const y = (/** @type {number} */ v) => top + high * (1 - Math.min(height(v), 1));
    g.font = "9.5px 'Atkinson Mono', monospace";
    g.textAlign = "right";
    const band = this.corridor() ?? { low: 0, high: 0 };
    [0, 1].forEach((k) => {
      const x = left + k * (wide + 3);
      g.fillStyle = colour.lane;
      g.fillRect(x, top, wide, high);
      g.fillStyle = colour["moss-cloth"];
      g.fillRect(x, y(band.high), wide, y(band.low) - y(band.high));
      g.fillStyle = colour.verdigris;
      const rms = 10 * Math.log10(Math.max(this.now.power[k], 1e-15));
      g.globalAlpha = 0.85;
      g.fillRect(x, y(rms), wide, top + high - y(rms));
      g.globalAlpha = 1;
      if (this.now.peak[k] > low) {
        g.fillStyle = this.now.peak[k] > band.high ? colour.weld : colour.ink;
        g.fillRect(x, y(this.now.peak[k]) - 1, wide, 2);
      }
      g.fillStyle = this.now.over[k] ? colour.madder : colour.lane;
      g.fillRect(x, over - 8, wide, 7);
    });
    g.fillStyle = colour.ash;
    for (const v of [0, -6, -12, -20, -40]) if (high > 90 || v % 20 === 0) g.fillText(String(-v), left - 3, y(v) + 3.5);
    g.textAlign = "center";
    g.fillStyle = this.now.most >= 0 ? colour.madder : colour.ink;
    if (this.now.most > -100) g.fillText(this.now.most.toFixed(1).replace("-", "−"), w / 2, h - 3);
    this.canvas.setAttribute("aria-label", this.words());
  }
}
