// The response of a treatment over the spectrum of what it treats: third octaves
// before and after it, what sounds just now, and handles that set the filters.

import { drag } from "../lib/drag.js";
import { fit, paint } from "../lib/canvas.js";
import { colour } from "../lib/colours.js";
import { decibels } from "../lib/decibels.js";

/** @typedef {import("./treat.js").BandID} BandID */

const low = 20,
  high = 20000,
  reach = 24; // dB up and down
/** The levels between which spectra are drawn, in dBFS. */
const floor = -100,
  top = -15;
const marks = [50, 100, 200, 500, 1000, 2000, 5000, 10000];

export class TreatView {
  /** @param {HTMLCanvasElement} canvas @param {import("../app/app.js").App} app @param {ReturnType<typeof import("./treat.js").treating>} panel */
  constructor(canvas, app, panel) {
    this.canvas = canvas;
    this.app = app;
    this.panel = panel;
    this.dirty = true;
    this.width = this.height = 0;
    /** @type {BandID | null} */ this.held = null;
    /** @type {Float32Array | null} */ this.live = null;
    this.over = false;
    this.watch = new ResizeObserver(() => this.redraw());
    this.watch.observe(/** @type {HTMLElement} */ (canvas.parentElement));
    canvas.addEventListener("pointerdown", (e) => this.press(e));
    canvas.addEventListener("wheel", (e) => this.turn(e), { passive: false });
    paint(this);
    this.follow();
  }

  redraw() {
    this.dirty = true;
  }

  /** The view is not there any more. */
  end() {
    this.over = true;
    this.watch.disconnect();
  }

  /** While something plays its spectrum is drawn anew. */
  follow() {
    if (this.over) return;
    const { analyser, playing } = this.app.player;
    if (playing && analyser) {
      this.live ??= new Float32Array(analyser.frequencyBinCount);
      analyser.getFloatFrequencyData(/** @type {Float32Array<ArrayBuffer>} */ (this.live));
      this.redraw();
    } else if (this.live) {
      this.live = null;
      this.redraw();
    }
    requestAnimationFrame(() => this.follow());
  }

  /** @param {number} hz */
  x(hz) {
    return (Math.log(hz / low) / Math.log(high / low)) * this.width;
  }
  /** @param {number} x */
  hz(x) {
    return Math.min(Math.max(low * (high / low) ** (x / this.width), low), high);
  }
  /** @param {number} db */
  y(db) {
    return ((reach - db) / (2 * reach)) * this.height;
  }
  /** @param {number} dbfs */
  level(dbfs) {
    return ((top - dbfs) / (top - floor)) * this.height;
  }

  /** The handles: where they lie and what they set. @returns {{id: BandID, x: number, y: number, on: boolean, name: string}[]} */
  handles() {
    return this.panel.bands.map((b) => {
      const f = this.panel.get(b.id);
      return {
        id: b.id,
        x: Math.min(Math.max(this.x(f.hz), 9), this.width - 9),
        y: this.y(Math.min(Math.max(f.db ?? 0, -reach), reach)),
        on: this.panel.acts(b.id),
        name: b.bell ? String(Number(b.id) + 1) : b.cut ? (b.id === "highPass" ? "H" : "L") : b.id === "lowShelf" ? "<" : ">",
      };
    });
  }

  /** The handle at a place. @param {MouseEvent} e */
  at(e) {
    const box = this.canvas.getBoundingClientRect(),
      x = e.clientX - box.left,
      y = e.clientY - box.top;
    return this.handles()
      .map((h) => ({ h, d: Math.hypot(h.x - x, h.y - y) - (h.on ? 12 : 0) }))
      .filter((o) => o.d < (o.h.on ? 2 : 14))
      .sort((a, b) => a.d - b.d)[0]?.h;
  }

  /** @param {PointerEvent} e */
  press(e) {
    const h = this.at(e);
    if (!h || e.button !== 0) return;
    const cut = h.id === "highPass" || h.id === "lowPass",
      was = { ...this.panel.get(h.id) },
      box = this.canvas.getBoundingClientRect();
    e.preventDefault();
    this.held = h.id;
    drag(e, {
      on: this.canvas,
      still: 2,
      move: (m) => {
        const hz = Math.round(10 * this.hz(m.clientX - box.left)) / 10,
          db = Math.round(2 * Math.min(Math.max(reach - ((m.clientY - box.top) / this.height) * 2 * reach, -reach), reach)) / 2;
        this.panel.alter(h.id, cut ? { hz, slope: was.slope || 12 } : m.shiftKey ? { db } : { hz, db });
        const f = this.panel.get(h.id);
        this.app.page.hint = `${Math.round(f.hz)} Hz${cut ? "" : ` · ${decibels(f.db)} dB`}`;
        this.panel.look(false);
        this.redraw();
      },
      end: (kept, moved) => {
        this.held = null;
        if (!kept) this.panel.alter(h.id, was);
        if (kept && moved) void this.panel.keep();
        else if (kept) this.panel.toggle(h.id);
        this.redraw();
      },
    });
  }

  /** The wheel over a bell makes it narrower or wider. @param {WheelEvent} e */
  turn(e) {
    const h = this.at(e);
    if (!h || typeof h.id !== "number") return;
    e.preventDefault();
    const q = Math.min(Math.max(this.panel.get(h.id).q * (e.deltaY < 0 ? 1.15 : 1 / 1.15), 0.3), 8);
    this.panel.alter(h.id, { q: Math.round(100 * q) / 100 });
    this.panel.look(false);
    clearTimeout(this.soon);
    this.soon = setTimeout(() => void this.panel.keep(), 400);
  }
  /** @type {ReturnType<typeof setTimeout> | undefined} */ soon;

  draw() {
    this.dirty = false;
    const { width, height } = /** @type {HTMLElement} */ (this.canvas.parentElement).getBoundingClientRect();
    if (!width || this.over) return;
    [this.width, this.height] = [width, height];
    const g = fit(this.canvas, width, height);
    g.fillStyle = colour.lane;
    g.fillRect(0, 0, width, height);
    this.drawGrid(g);
    const look = this.panel.now?.look;
    if (look?.was) this.drawBands(g, look.was, colour.ash, true);
    if (look?.is) this.drawBands(g, look.is, colour.moss, false);
    this.drawLive(g);
    if (look?.db) {
      this.drawUnsure(g, /** @type {number[]} */ (look.hz), look.db);
      this.drawCurve(g, /** @type {number[]} */ (look.hz), look.db);
    }
    this.drawHandles(g);
    if (look?.is) this.drawLegend(g);
  }

  /** @param {CanvasRenderingContext2D} g */
  drawGrid(g) {
    g.font = "10.5px 'Red Hat Mono', monospace";
    g.lineWidth = 1;
    for (const hz of marks) {
      const x = Math.round(this.x(hz)) + 0.5;
      g.strokeStyle = colour.hem;
      g.beginPath();
      g.moveTo(x, 0);
      g.lineTo(x, this.height);
      g.stroke();
      g.fillStyle = colour.ash;
      g.fillText(hz >= 1000 ? `${hz / 1000}k` : String(hz), x + 3, this.height - 4);
    }
    for (const db of [-12, 0, 12]) {
      const y = Math.round(this.y(db)) + 0.5;
      g.strokeStyle = db ? colour.hem : colour.ash;
      g.beginPath();
      g.moveTo(0, y);
      g.lineTo(this.width, y);
      g.stroke();
      g.fillStyle = colour.ash;
      g.fillText(db > 0 ? `+${db}` : db < 0 ? `−${-db}` : "0 dB", 3, y - 3);
    }
  }

  /** Third octaves from 100 Hz to 10 kHz. @param {CanvasRenderingContext2D} g @param {number[]} bands @param {string} ink @param {boolean} filled */
  drawBands(g, bands, ink, filled) {
    g.beginPath();
    for (const [k, db] of bands.entries()) {
      const mid = 1000 * 10 ** ((k - 10) / 10),
        a = this.x(mid * 10 ** -0.05),
        b = this.x(mid * 10 ** 0.05),
        y = Math.min(this.level(db), this.height);
      if (k === 0) g.moveTo(a, filled ? this.height : y);
      g.lineTo(a, y);
      g.lineTo(b, y);
      if (k === bands.length - 1 && filled) g.lineTo(b, this.height);
    }
    if (filled) {
      g.fillStyle = ink;
      g.globalAlpha = 0.22;
      g.fill();
      g.globalAlpha = 1;
    } else {
      g.strokeStyle = ink;
      g.lineWidth = 1.5;
      g.stroke();
    }
  }

  /** What sounds just now, of all tracks. @param {CanvasRenderingContext2D} g */
  drawLive(g) {
    const { live } = this,
      context = this.app.player.context;
    if (!live || !context) return;
    g.strokeStyle = colour.ash;
    g.lineWidth = 1;
    g.beginPath();
    const wide = context.sampleRate / 2 / live.length;
    for (let x = 0; x < this.width; x += 2) {
      const db = live[Math.min(Math.round(this.hz(x) / wide), live.length - 1)],
        y = Math.min(this.level(Math.max(db, floor)), this.height);
      if (x === 0) g.moveTo(x, y);
      else g.lineTo(x, y);
    }
    g.stroke();
  }

  /** Bars around the curve: the uncertainty of each third octave of a matched tone. @param {CanvasRenderingContext2D} g @param {number[]} hz @param {number[]} db */
  drawUnsure(g, hz, db) {
    g.strokeStyle = colour.woad;
    g.lineWidth = 1;
    for (const [k, off] of this.panel.unsure().entries()) {
      const mid = 1000 * 10 ** ((k - 10) / 10),
        at = db[hz.findIndex((f) => f >= mid)] ?? 0,
        x = Math.round(this.x(mid)) + 0.5;
      g.beginPath();
      for (const end of [at - off, at + off]) {
        g.moveTo(x - 3, this.y(end));
        g.lineTo(x + 3, this.y(end));
      }
      g.moveTo(x, this.y(at - off));
      g.lineTo(x, this.y(at + off));
      g.stroke();
    }
  }

  /** @param {CanvasRenderingContext2D} g @param {number[]} hz @param {number[]} db */
  drawCurve(g, hz, db) {
    g.strokeStyle = colour.woad;
    g.lineWidth = 2.25;
    g.globalAlpha = this.panel.now?.off ? 0.35 : 1;
    g.beginPath();
    for (const [i, f] of hz.entries()) {
      const y = this.y(Math.max(db[i], -reach - 2));
      if (i === 0) g.moveTo(this.x(f), y);
      else g.lineTo(this.x(f), y);
    }
    g.stroke();
    g.globalAlpha = 1;
  }

  /** @param {CanvasRenderingContext2D} g */
  drawHandles(g) {
    g.textAlign = "center";
    g.textBaseline = "middle";
    // Those that do nothing lie under those that do.
    for (const h of this.handles().sort((a, b) => Number(a.on) - Number(b.on))) {
      g.beginPath();
      g.arc(h.x, h.y, h.on || this.held === h.id ? 9 : 7, 0, 7);
      g.fillStyle = h.on ? colour.woad : colour.raised;
      g.fill();
      g.strokeStyle = h.on ? colour.woad : colour.ash;
      g.lineWidth = 1.25;
      g.stroke();
      g.fillStyle = h.on ? colour["on-strong"] : colour.ash;
      g.fillText(h.name, h.x, h.y + 0.5);
    }
    g.textAlign = "left";
    g.textBaseline = "alphabetic";
  }

  /** What the two spectra are. @param {CanvasRenderingContext2D} g */
  drawLegend(g) {
    const { width } = this;
    g.globalAlpha = 0.3;
    g.fillStyle = colour.ash;
    g.fillRect(width - 132, 7, 10, 8);
    g.globalAlpha = 1;
    g.fillStyle = colour.moss;
    g.fillRect(width - 60, 10, 12, 2);
    g.fillStyle = colour.ash;
    g.fillText("without", width - 118, 15);
    g.fillText("with", width - 44, 15);
  }
}
