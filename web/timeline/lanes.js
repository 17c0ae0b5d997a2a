// The timeline as it is drawn: tracks, clips, seams, markers, the span and the
// playhead; and what would become of them while something is dragged.

import { get } from "../app/api.js";
import { fit, paint } from "../lib/canvas.js";
import { cloth, colour, hue } from "../lib/colours.js";
import { Sheet, step, tab } from "./sheet.js";
import { drawCard, inSource, lengthOf, nearest, numberOf, ownFrame, sourceCode } from "../picture/shots.js";
import { strikeCloth } from "./struck.js";
import { at as timecode, frameLength, frames as framesOf, frameOf, sampleOf, span as say } from "../lib/timecode.js";
import { waveOf } from "./waves.js";

/** Height of a clip's ribbon, its lower strip. */
export const ribbon = 9;

export class Lanes extends Sheet {
  /**
   * @param {import("../app/doc.js").Doc} doc
   * @param {import("../app/session.js").Session} session
   * @param {import("./waves.js").Waves} waves
   * @param {{tracks: HTMLElement, lanes: HTMLCanvasElement, ruler: HTMLCanvasElement, over: HTMLCanvasElement, scroll: HTMLElement}} parts
   */
  constructor(doc, session, waves, parts) {
    super(doc, session, waves, parts);
    /** @type {Map<string, number[]>} */
    this.curves = new Map();
    /** @type {import("../picture/frames.js").Frames | null} */
    this.frames = null;
    paint(this);
  }

  draw() {
    this.dirty = false;
    const { lanes, ruler, tracks } = this.parts;
    const w = this.width,
      h = tracks.clientHeight;
    const g = fit(lanes, w, h);
    const rows = this.layout(),
      scroll = tracks.scrollTop;
    g.font = "12px 'Atkinson Next', sans-serif";
    for (const row of rows) {
      const top = row.top - scroll;
      if (top > h || top + row.height < 0) continue;
      g.fillStyle = colour.lane;
      g.fillRect(0, top, w, row.height);
      this.drawLane(g, row.track, top, row.height, w);
    }
    this.drawSteps(g, rows, scroll);
    this.drawGhosts(g, rows, scroll);
    if (this.span) this.drawSpan(g, this.span, rows, scroll);
    if (this.box) this.drawBox(g, this.box);
    if (this.slot) {
      g.fillStyle = colour.teal;
      g.fillRect(0, this.slot.y - scroll - 2, w, 3);
    }
    if (this.words) this.drawWords(g, this.words);
    this.drawRuler(fit(ruler, w, 26), w);
    this.drawOver();
    this.drawScroll();
  }

  /** The span lies on the tracks that it acts on. @param {CanvasRenderingContext2D} g @param {{from: number, to: number}} s @param {{track: Track, top: number, height: number}[]} rows @param {number} scroll */
  drawSpan(g, s, rows, scroll) {
    const a = this.x(s.from),
      b = this.x(s.to);
    for (const r of rows) {
      if (!this.working.has(r.track.id)) continue;
      g.fillStyle = colour.teal;
      g.globalAlpha = 0.2;
      g.fillRect(a, r.top - scroll, b - a, r.height);
      g.globalAlpha = 1;
      g.fillRect(a - 1, r.top - scroll, 2, r.height);
      g.fillRect(b - 1, r.top - scroll, 2, r.height);
    }
  }

  /** @param {CanvasRenderingContext2D} g @param {{x0: number, y0: number, x1: number, y1: number}} b */
  drawBox(g, b) {
    g.strokeStyle = g.fillStyle = colour.teal;
    g.lineWidth = 1.5;
    g.globalAlpha = 0.12;
    g.fillRect(b.x0, b.y0, b.x1 - b.x0, b.y1 - b.y0);
    g.globalAlpha = 1;
    g.setLineDash([4, 3]);
    g.strokeRect(b.x0, b.y0, b.x1 - b.x0, b.y1 - b.y0);
    g.setLineDash([]);
  }

  /** What a drag leads to, beside the pointer, a line each; last why it stops. @param {CanvasRenderingContext2D} g @param {{x: number, y: number, lines: string[], stops: string}} o */
  drawWords(g, o) {
    const plain = "12.5px 'Atkinson Next', sans-serif",
      bold = `600 ${plain}`;
    /** @type {{text: string, why: boolean, font: string}[]} */
    const lines = [];
    o.lines.slice(0, 7).forEach((text, i) => lines.push({ text, why: false, font: i === 0 ? bold : plain }));
    g.font = plain;
    for (const text of wrap(g, o.stops, 420)) lines.push({ text, why: true, font: plain });
    if (!lines.length) return;
    const width = Math.max(...lines.map((l) => ((g.font = l.font), g.measureText(l.text).width))) + 20;
    const h = lines.length * 17 + 8,
      x = Math.max(Math.min(o.x + 16, this.width - width - 4), 4),
      y = Math.max(o.y > h + 20 ? o.y - h - 12 : o.y + 18, 2);
    g.fillStyle = colour.ink;
    g.beginPath();
    g.roundRect(x, y, width, h, 5);
    g.fill();
    lines.forEach((l, i) => {
      if (l.why) {
        g.fillStyle = colour.madder;
        g.fillRect(x + 4, y + 6 + i * 17, 3, 14);
      }
      g.font = l.font;
      g.fillStyle = colour.linen;
      g.fillText(l.text, x + 11, y + 17 + i * 17);
    });
  }

  /** @param {CanvasRenderingContext2D} g @param {Track} t @param {number} top @param {number} height @param {number} w */
  drawLane(g, t, top, height, w) {
    if (t.role === "picture") return this.drawShots(g, t, top, height, w);
    const clips = this.lie.lanes.get(t.id) ?? [];
    const first = this.from,
      last = this.from + w * this.perPixel;
    for (const c of clips) {
      if (c.start + c.length < first || c.start > last) continue;
      this.drawClip(g, t, c, top, height, w);
    }
    for (const b of this.lie.blends.values()) {
      const left = this.lie.clips.get(b.left);
      const right = this.lie.clips.get(b.right);
      // Over two tracks the stitches are on both.
      if (this.shown.curves && left && (left.track === t.id || right?.track === t.id))
        this.drawStitches(g, left.start + left.length, b, top, height);
    }
    if (t.locked) this.drawLock(g, top, height, w);
    if (this.perPixel > 40000 || this.trial) return;
    for (const s of this.doc.seams) {
      if (s.kind === "struck") continue; // it has its own cloth
      if ((s.track !== t.id && s.to !== t.id) || s.at < first || s.at > last) continue;
      this.drawKnot(g, s, top, height);
    }
  }

  /** A locked track lies behind a grid of fine threads. @param {CanvasRenderingContext2D} g @param {number} top @param {number} height @param {number} w */
  drawLock(g, top, height, w) {
    g.save();
    g.beginPath();
    g.rect(0, top, w, height);
    g.clip();
    g.strokeStyle = colour.ash;
    g.globalAlpha = 0.28;
    g.lineWidth = 1;
    g.beginPath();
    const from = -Math.round((this.from / this.perPixel) % 14);
    for (let x = from - height; x < w; x += 14) {
      g.moveTo(x, top + height);
      g.lineTo(x + height, top);
    }
    g.stroke();
    g.restore();
  }

  /** @param {CanvasRenderingContext2D} g @param {Track} t @param {Clip} c @param {number} top @param {number} height @param {number} w */
  drawClip(g, t, c, top, height, w) {
    const x0 = this.x(c.start),
      x1 = this.x(c.start + c.length);
    const a = Math.max(Math.floor(x0), -2),
      b = Math.min(Math.ceil(x1), w + 2);
    const chosen = this.chosen.has(c.id),
      dull = t.mute || ([...this.doc.tracks.values()].some((o) => o.solo) && !t.solo);
    g.globalAlpha = dull ? 0.45 : 1;
    g.fillStyle = cloth(t);
    g.fillRect(x0, top, Math.max(x1 - x0 - 0.5, 1), height);
    g.fillStyle = chosen ? colour.ink : hue(t);
    g.beginPath();
    g.roundRect(x0, top, Math.max(x1 - x0 - 0.5, 1), tab, [3, 3, 0, 0]);
    g.fill();
    const src = this.doc.sources.get(c.source);
    if (src && this.tried.has(c.id)) this.drawSpare(g, src, c, t, top, height, w);
    if (src && !src.recording && !src.bed) this.drawMissing(g, Math.max(x0, 0), Math.min(x1, w), top + tab, height - tab);
    else if (src && b - a >= 2 && this.shown.waves) this.drawWave(g, src, c, t, a, b, top + tab, height - tab);
    // The ribbon: the content slips where it is dragged.
    if (height > 44 && x1 - x0 > 14 && !t.locked) {
      g.fillStyle = hue(t);
      g.globalAlpha *= 0.22;
      g.fillRect(x0, top + height - ribbon, Math.max(x1 - x0 - 0.5, 1), ribbon);
      g.globalAlpha /= 0.22;
    }
    for (const k of this.lie.struck.get(c.id) ?? []) this.drawStrike(g, c, k, top, height);
    if (this.shown.curves) {
      this.drawFade(g, c, "head", top, height);
      this.drawFade(g, c, "tail", top, height);
    }
    if (x1 - x0 > 26) {
      g.save();
      g.beginPath();
      g.rect(a, top, b - a - 3, tab);
      g.clip();
      g.fillStyle = chosen ? colour.linen : colour["on-strong"];
      g.fillText(c.name, Math.max(x0, 0) + 5, top + 12);
      const room = Math.min(x1, w) - Math.max(x0, 0) - 22,
        own = g.measureText(c.name).width;
      if (src && room > own + 60) {
        // Where it comes from, and its in and out there.
        const p = this.doc.props,
          times = `${say(c.offset, p)} – ${say(c.offset + c.length, p)}`,
          full = `${src.name} ${times}`;
        const fits = [full, times].find((l) => own + g.measureText(l).width < room);
        g.globalAlpha *= 0.78;
        if (fits) g.fillText(fits, Math.max(x0, 0) + 17 + own, top + 12);
        g.globalAlpha /= 0.78;
      }
      g.restore();
    }
    const off = this.trial ? undefined : this.doc.off.get(c.id);
    if (off && x1 - x0 > 40) this.drawOff(g, off.words, Math.min(x1, w) - 4, top + tab + 3);
    if (chosen || this.tried.has(c.id)) {
      g.strokeStyle = this.tried.has(c.id) ? colour.teal : colour.ink;
      g.lineWidth = 2;
      g.strokeRect(x0 + 1, top + 1, Math.max(x1 - x0 - 2.5, 1), height - 2);
    }
    g.globalAlpha = 1;
  }

  /** Sound that is known by name alone: an empty strip. @param {CanvasRenderingContext2D} g @param {number} x0 @param {number} x1 @param {number} top @param {number} height */
  drawMissing(g, x0, x1, top, height) {
    g.save();
    g.strokeStyle = g.fillStyle = colour.madder;
    g.lineWidth = 1.25;
    g.setLineDash([5, 4]);
    g.strokeRect(x0 + 2, top + 3, Math.max(x1 - x0 - 5, 1), height - 6);
    if (x1 - x0 > 70) g.fillText("missing media", x0 + 8, top + height / 2 + 4);
    g.restore();
  }

  /** How far a clip stands off its picture, at its right. @param {CanvasRenderingContext2D} g @param {string} text @param {number} right @param {number} top */
  drawOff(g, text, right, top) {
    g.save();
    g.font = "600 11.5px 'Atkinson Next', sans-serif";
    const w = g.measureText(text).width + 10;
    g.fillStyle = colour.madder;
    g.beginPath();
    g.roundRect(right - w, top, w, 15, 3);
    g.fill();
    g.fillStyle = colour["on-strong"];
    g.fillText(text, right - w + 5, top + 11.5);
    g.restore();
  }

  /** The shots of a track, with frames along them. @param {CanvasRenderingContext2D} g @param {Track} t @param {number} top @param {number} height @param {number} w */
  drawShots(g, t, top, height, w) {
    const first = this.from,
      last = this.from + w * this.perPixel,
      lane = this.lie.lanes.get(t.id) ?? [];
    for (const c of lane) {
      if (c.start + c.length >= first && c.start <= last) this.drawShotStrip(g, t, c, top, height, w);
    }
    for (const b of this.lie.blends.values()) {
      const left = this.lie.clips.get(b.left);
      if (left?.track !== t.id) continue;
      // A dissolve: two wedges that pass each other.
      const at = left.start + left.length,
        x0 = this.x(at - b.before),
        x1 = this.x(at + b.after);
      g.strokeStyle = colour["foot-ink"];
      g.lineWidth = 1.5;
      g.beginPath();
      g.moveTo(x0, top + height - 1);
      g.lineTo(x1, top + tab);
      g.moveTo(x0, top + tab);
      g.lineTo(x1, top + height - 1);
      g.stroke();
    }
    if (t.locked) this.drawLock(g, top, height, w);
    for (let i = 1; i < lane.length && this.perPixel < 40000; i++) {
      if (lane[i - 1].start + lane[i - 1].length !== lane[i].start) continue;
      const x = this.x(lane[i].start);
      if (x < -8 || x > w + 8) continue;
      const mine = this.seam?.cut?.right === lane[i].id;
      g.fillStyle = mine ? colour.teal : colour.raised;
      g.strokeStyle = mine ? colour.raised : colour.slate;
      g.lineWidth = 1.5;
      g.beginPath();
      g.rect(x - 3, top + tab + (height - tab) / 2 - 6, 6, 12);
      g.fill();
      g.stroke();
    }
  }

  /** @param {CanvasRenderingContext2D} g @param {Track} t @param {Clip} c @param {number} top @param {number} height @param {number} w */
  drawShotStrip(g, t, c, top, height, w) {
    const p = this.doc.props,
      src = this.doc.sources.get(c.source),
      x0 = this.x(c.start),
      x1 = this.x(c.start + c.length);
    const chosen = this.chosen.has(c.id),
      h = height - tab;
    g.save();
    g.globalAlpha = t.mute ? 0.45 : 1;
    g.beginPath();
    g.rect(x0, top, Math.max(x1 - x0 - 1, 1), height);
    g.clip();
    g.fillStyle = colour.foot;
    g.fillRect(x0, top, x1 - x0, height);
    if (src && (!src.recording || !src.picture)) {
      const a = Math.max(x0, 0),
        b = Math.min(x1, w);
      drawCard(g, { name: c.name, number: numberOf(this.lie, c), code: "", x: a, y: top + tab, w: b - a, h });
    } else if (src?.picture && this.frames) {
      const aspect = (src.picture.width || 16) / (src.picture.height || 9),
        wide = h * aspect;
      const first = nearest(c.start, p),
        n = lengthOf(c, p),
        perFrame = frameLength(p) / this.perPixel;
      // One frame a tile, each a whole number of tiles' frames from the last, so that few are asked for.
      const every = Math.max(2 ** Math.floor(Math.log2(Math.max(wide / perFrame, 1))), 1),
        tiles = every * perFrame;
      const from = Math.max(Math.floor((0 - x0) / tiles), 0),
        to = Math.min(Math.ceil((w - x0) / tiles), Math.ceil(n / every));
      for (let k = from; k < to; k++) {
        const x = this.x(sampleOf(first + k * every, p)),
          own = ownFrame(src, inSource(c, sampleOf(first + k * every, p), p), p);
        const bitmap = this.frames.thumb(src.recording, own, src.picture.frames ? every : 1);
        // Where the next one comes sooner, its right is left out.
        const part = Math.min((tiles + 1) / wide, 1);
        if (bitmap) g.drawImage(bitmap, 0, 0, bitmap.width * part, bitmap.height, x, top + tab, wide * part, h);
      }
    }
    g.fillStyle = chosen ? colour.ink : colour.slate;
    g.fillRect(x0, top, x1 - x0, tab);
    if (x1 - x0 > 22) {
      g.fillStyle = chosen ? colour.linen : colour["on-strong"];
      const name = `${numberOf(this.lie, c)}  ${c.name}`,
        at = Math.max(x0, 0) + 5,
        own = g.measureText(name).width;
      g.fillText(name, at, top + 12);
      const code = src ? sourceCode(src, inSource(c, c.start, p), p) : "",
        room = Math.min(x1, w) - at - own - 20;
      g.globalAlpha *= 0.78;
      if (code && g.measureText(code).width < room) g.fillText(code, at + own + 12, top + 12);
    }
    g.restore();
    g.fillStyle = colour.linen;
    g.fillRect(x1 - 1, top, 1.5, height);
    if (chosen || this.tried.has(c.id)) {
      g.strokeStyle = this.tried.has(c.id) ? colour.teal : colour.ink;
      g.lineWidth = 2;
      g.strokeRect(x0 + 1, top + 1, Math.max(x1 - x0 - 3, 1), height - 2);
    }
  }

  /**
   * Split edits: a stepped line from each picture cut to the cut of its sound, with its length in words.
   * @param {CanvasRenderingContext2D} g @param {{track: Track, top: number, height: number}[]} rows @param {number} scroll
   */
  drawSteps(g, rows, scroll) {
    const pic = rows.findLast((r) => r.track.role === "picture");
    if (!pic || this.perPixel > 20000) return;
    const y = pic.top + pic.height - scroll + step / 2,
      p = this.doc.props;
    g.save();
    g.font = "600 12px 'Atkinson Next', sans-serif";
    let free = -Infinity;
    for (const s of this.stepsNow()) {
      const a = this.x(s.cut),
        b = this.x(s.sound),
        row = rows.find((r) => r.track.id === s.track);
      if (!row || Math.max(a, b) < -20 || Math.min(a, b) > this.width + 20) continue;
      const top = row.top - scroll;
      g.strokeStyle = g.fillStyle = s.off ? colour.madder : colour.teal;
      g.lineWidth = 2;
      g.setLineDash([]);
      g.beginPath();
      g.moveTo(a, pic.top + pic.height - scroll - 12);
      g.lineTo(a, y);
      g.lineTo(b, y);
      g.lineTo(b, top > y + step ? Math.min(y + 9, top) : top + tab);
      g.stroke();
      if (top > y + step) {
        g.setLineDash([3, 3]);
        g.lineWidth = 1.5;
        g.beginPath();
        g.moveTo(b, y + 9);
        g.lineTo(b, top + tab);
        g.stroke();
        g.setLineDash([]);
      }
      const n = Math.abs(framesOf(s.sound - s.cut, p)),
        text = `${s.sound < s.cut ? "leads" : "lags"} ${n.toFixed(1).replace(/\.0$/, "")} fr`;
      const tw = g.measureText(text).width,
        x = Math.max(a, b) + 5;
      if (x < free || x + tw > this.width) continue;
      g.fillText(text, x, y + 4);
      free = x + tw + 6;
    }
    g.restore();
  }

  /** The split edits as they are, or as a trial would leave them. @returns {{cut: number, sound: number, track: number, off: boolean}[]} */
  stepsNow() {
    const out = [];
    for (const s of this.doc.seams) {
      if (!s.cut) continue;
      let cut = s.cut.at,
        sound = s.at;
      if (this.trial) {
        const shot = this.trial.clips.get(s.cut.right),
          right = this.trial.clips.get(s.right),
          left = this.trial.clips.get(s.left);
        if (shot) cut = shot.start;
        sound = right ? right.start : left ? left.start + left.length : sound;
      }
      if (Math.abs(sound - cut) > 1) out.push({ cut, sound, track: s.track, off: this.doc.off.has(s.right) || this.doc.off.has(s.left) });
    }
    return out.sort((a, b) => Math.max(a.cut, a.sound) - Math.max(b.cut, b.sound));
  }

  /** @param {CanvasRenderingContext2D} g @param {Source} src @param {Clip} c @param {Track} t @param {number} a @param {number} b @param {number} top @param {number} height */
  drawWave(g, src, c, t, a, b, top, height) {
    const channels = src.right >= 0 && height > 50 ? [src.left, src.right] : [src.left];
    const each = height / channels.length,
      gain = 10 ** (c.gainDB / 20);
    const x0 = Math.max(a, 0),
      x1 = Math.min(b, Math.floor(this.x(c.start + c.length)));
    channels.forEach((channel, k) => {
      this.waves.draw(g, waveOf(src, channel, this.doc), {
        from: c.offset + (this.from + x0 * this.perPixel - c.start),
        perPixel: this.perPixel,
        x: x0,
        width: x1 - x0,
        mid: top + each * (k + 0.5),
        half: each / 2 - 1,
        gain: gain * 2.2,
        colour: hue(t),
      });
    });
  }

  /**
   * While a clip is tried, its material beyond both ends is drawn faintly, so
   * that one sees what an end comes upon.
   * @param {CanvasRenderingContext2D} g @param {Source} src @param {Clip} c @param {Track} t @param {number} top @param {number} height @param {number} w
   */
  drawSpare(g, src, c, t, top, height, w) {
    const lane = this.lie.lanes.get(t.id) ?? [],
      alpha = g.globalAlpha;
    for (const [a, z] of [
      [c.start - c.offset, c.start],
      [c.start + c.length, c.start + src.length - c.offset],
    ]) {
      const x0 = Math.max(Math.floor(this.x(a)), 0),
        x1 = Math.min(Math.ceil(this.x(z)), w);
      if (x1 <= x0) continue;
      // Where a neighbour lies it keeps its own half: outgoing above, incoming below.
      const beside = lane.some((o) => o.id !== c.id && o.start < z && o.start + o.length > a),
        out = a >= c.start;
      const y = top + tab,
        h = height - tab,
        half = beside ? h / 2 : h,
        y0 = beside && !out ? y + h / 2 : y;
      g.globalAlpha = 0.5;
      g.strokeStyle = hue(t);
      g.setLineDash([3, 3]);
      g.strokeRect(x0 + 0.5, y0 + 0.5, x1 - x0 - 1, half - 1);
      g.setLineDash([]);
      this.waves.draw(g, waveOf(src, src.left, this.doc), {
        from: c.offset + (this.from + x0 * this.perPixel - c.start),
        perPixel: this.perPixel,
        x: x0,
        width: x1 - x0,
        mid: y0 + half / 2,
        half: half / 2 - 1,
        gain: 10 ** (c.gainDB / 20) * 2.2,
        colour: hue(t),
      });
    }
    g.globalAlpha = alpha;
  }

  /** What is struck is hatched through; with tone under it the hatch lies on the tone's cloth. @param {CanvasRenderingContext2D} g @param {Clip} c @param {Strike} k @param {number} top @param {number} height */
  drawStrike(g, c, k, top, height) {
    const at = c.start - c.offset,
      x = (/** @type {number} */ s) => this.x(Math.min(Math.max(s + at, c.start), c.start + c.length));
    const outer = [x(k.from - k.fall.length), x(k.to + k.rise.length)],
      inner = [x(k.from), x(k.to)];
    if (outer[1] <= 0 || outer[0] >= this.width || outer[1] - outer[0] < 0.01) return;
    const mine = this.seam?.kind === "struck" && this.seam.right === k.id;
    strikeCloth(g, {
      outer,
      inner,
      y: top + tab,
      h: height - tab,
      covered: Boolean(k.cover?.source),
      atEase: this.doc.atEase.has(k.id),
      lowered: k.lowerDB > 0,
      mine,
    });
  }

  /** The drawing of a fade's shape, once it is here. @param {Fade} f */
  curve(f) {
    const key = `${f.shape}?bend=${f.bend}`;
    const known = this.curves.get(key);
    if (!known) {
      this.curves.set(key, []);
      void get(`/curves/${key}`).then((v) => {
        this.curves.set(key, v);
        this.redraw();
      });
    }
    return known ?? [];
  }

  /** @param {CanvasRenderingContext2D} g @param {Clip} c @param {"head" | "tail"} end @param {number} top @param {number} height */
  drawFade(g, c, end, top, height) {
    const f = this.fading?.clip === c.id && this.fading.end === end ? this.fading.fade : end === "head" ? c.fadeIn : c.fadeOut;
    if (!f.length) return;
    const v = this.curve(f),
      from = end === "head" ? c.start : c.start + c.length;
    const edge = this.x(from),
      inner = this.x(end === "head" ? from + f.length : from - f.length);
    const y = (/** @type {number} */ k) => top + tab + (height - tab) * (1 - v[k]);
    if (!v.length) return;
    g.beginPath();
    g.moveTo(edge, top + tab);
    for (let k = 0; k < v.length; k++) g.lineTo(edge + ((inner - edge) * k) / (v.length - 1), y(k));
    g.lineTo(inner, top + tab);
    g.closePath();
    g.fillStyle = colour.lane;
    g.globalAlpha *= 0.75;
    g.fill();
    g.globalAlpha /= 0.75;
    g.beginPath();
    for (let k = 0; k < v.length; k++) g.lineTo(edge + ((inner - edge) * k) / (v.length - 1), y(k));
    g.strokeStyle = colour.ink;
    g.lineWidth = 1.25;
    g.stroke();
    g.fillStyle = colour.raised;
    g.beginPath();
    g.arc(inner, top + tab + 4, 3.5, 0, 7);
    g.fill();
    g.stroke();
  }

  /** A blend is drawn as stitches across the two strips. @param {CanvasRenderingContext2D} g @param {number} cut @param {Blend} b @param {number} top @param {number} height */
  drawStitches(g, cut, b, top, height) {
    const a = this.x(cut - b.before),
      z = this.x(cut + b.after);
    if (z < 0 || a > this.width) return;
    g.fillStyle = colour.raised;
    g.globalAlpha = 0.55;
    g.fillRect(a, top + tab, Math.max(z - a, 2), height - tab);
    g.globalAlpha = 1;
    g.strokeStyle = colour.ink;
    g.lineWidth = 1.5;
    g.beginPath();
    const n = Math.min(Math.max(Math.round((z - a) / 9), 3), 40),
      step = Math.max((z - a) / n, 3),
      mid = (a + z) / 2 - (step * (n - 1)) / 2;
    for (let k = 0; k < n; k++) {
      const x = mid + k * step;
      g.moveTo(x - 1.8, top + height - 4);
      g.lineTo(x + 1.8, top + height - 11);
    }
    g.stroke();
  }

  /** @param {CanvasRenderingContext2D} g @param {Seam} s @param {number} top @param {number} height */
  drawKnot(g, s, top, height) {
    const x = this.x(s.at),
      y = top + tab + (height - tab) / 2;
    const mine = this.seam && s.left === this.seam.left && s.right === this.seam.right;
    // An open end is marked smaller than a cut, and lies on its own clip. What a
    // seam asks for is told by shape: round is fine, a ring not known, a diamond to check, a triangle to mend.
    const open = s.kind !== "cut",
      asks = s.accepted ? "fine" : s.verdict,
      half = (open ? 3 : 4.5) + (asks === "mend" ? 1.5 : asks === "check" ? 1 : 0);
    g.strokeStyle =
      asks === "mend"
        ? colour.madder
        : asks === "check"
          ? colour.weld
          : open || !asks || asks === "muted"
            ? colour.ash
            : asks === "unknown"
              ? colour.ink
              : colour.verdigris;
    g.lineWidth = 1.5;
    if (!s.blend && !open) {
      g.beginPath();
      g.moveTo(x, top);
      g.lineTo(x, top + height);
      g.stroke();
    }
    g.fillStyle = s.blend && (!asks || asks === "fine") ? g.strokeStyle : colour.raised;
    g.lineWidth = asks === "fine" || !asks ? 1.5 : 2;
    g.beginPath();
    if (asks === "mend") {
      g.moveTo(x, y - half);
      g.lineTo(x + half, y + half * 0.85);
      g.lineTo(x - half, y + half * 0.85);
      g.closePath();
    } else if (asks === "check") {
      g.moveTo(x, y - half);
      g.lineTo(x + half, y);
      g.lineTo(x, y + half);
      g.lineTo(x - half, y);
      g.closePath();
    } else if (asks) g.arc(x, y, half, 0, 7);
    else g.roundRect(x - half, y - half, 2 * half, 2 * half, 2);
    g.fill();
    g.stroke();
    if (mine) {
      g.strokeStyle = colour.teal;
      g.lineWidth = 2;
      g.beginPath();
      g.roundRect(x - 8, y - 8, 16, 16, 4);
      g.stroke();
    }
  }

  /** @param {CanvasRenderingContext2D} g @param {{track: Track, top: number, height: number}[]} rows @param {number} scroll */
  drawGhosts(g, rows, scroll) {
    for (const ghost of this.ghosts) {
      const row = rows.find((r) => r.track.id === ghost.track);
      if (!row) continue;
      const x = this.x(ghost.start),
        w = ghost.length / this.perPixel,
        y = row.top - scroll;
      g.fillStyle = ghost.bad ? colour.madder : hue(row.track);
      g.globalAlpha = 0.3;
      g.fillRect(x, y, w, row.height);
      g.globalAlpha = 1;
      g.strokeStyle = g.fillStyle;
      g.lineWidth = 2;
      g.setLineDash(ghost.bad ? [5, 4] : []);
      g.strokeRect(x, y, w, row.height);
      g.setLineDash([]);
      this.label(g, ghost.words, Math.max(x, 4), y + row.height / 2 + 8);
    }
  }

  /** @param {CanvasRenderingContext2D} g @param {string} text @param {number} x @param {number} y */
  label(g, text, x, y) {
    if (!text) return;
    const w = g.measureText(text).width;
    x = Math.min(x, this.width - w - 12);
    g.fillStyle = colour.ink;
    g.beginPath();
    g.roundRect(x, y - 13, w + 10, 18, 4);
    g.fill();
    g.fillStyle = colour.linen;
    g.fillText(text, x + 5, y);
  }

  /** @param {CanvasRenderingContext2D} g @param {number} w */
  drawRuler(g, w) {
    const p = this.doc.props,
      fps = Math.round(p.frameRate.num / p.frameRate.den);
    const steps = [
      1,
      2,
      5,
      10,
      fps,
      2 * fps,
      5 * fps,
      10 * fps,
      20 * fps,
      30 * fps,
      60 * fps,
      120 * fps,
      300 * fps,
      600 * fps,
      1800 * fps,
      3600 * fps,
    ].filter((s, i, all) => i === 0 || s > all[i - 1]);
    const perFrame = frameLength(p) / this.perPixel;
    const step = steps.find((s) => s * perFrame >= 92) ?? 7200 * fps;
    g.font = "12px 'Atkinson Mono', monospace";
    g.fillStyle = colour.ash;
    const first = Math.floor(frameOf(this.sample(0), p) / step) * step;
    for (let n = first; ; n += step) {
      const x = this.x(sampleOf(n, p));
      if (x > w) break;
      g.fillRect(Math.round(x), 18, 1, 8);
      for (let k = 1; k < 4; k++) g.fillRect(Math.round(x + (k * step * perFrame) / 4), 22, 1, 4);
      if (n >= 0) g.fillText(this.perPixel < 4000 ? timecode(sampleOf(n, p), p).slice(3) : timecode(sampleOf(n, p), p), x + 4, 12);
    }
    this.drawMarkers(g, w);
  }

  /** Flags of the markers, with their words where there is room. @param {CanvasRenderingContext2D} g @param {number} w */
  drawMarkers(g, w) {
    const marks = [...this.lie.markers.values()].sort((a, b) => a.at - b.at);
    g.font = "11.5px 'Atkinson Next', sans-serif";
    marks.forEach((m, i) => {
      const x = Math.round(this.x(m.at)),
        next = marks[i + 1] ? this.x(marks[i + 1].at) : w;
      if (x < -200 || x > w) return;
      g.fillStyle = colour.plum;
      g.beginPath();
      g.moveTo(x, 26);
      g.lineTo(x, 14);
      g.lineTo(x + 8, 17.5);
      g.lineTo(x + 1.5, 21);
      g.lineTo(x + 1.5, 26);
      g.fill();
      const room = Math.min(next - x - 14, 150);
      if (room < 18) return;
      g.save();
      g.beginPath();
      g.rect(x + 10, 13, room, 13);
      g.clip();
      const tw = Math.min(g.measureText(m.text).width, room);
      g.fillStyle = colour.linen;
      g.fillRect(x + 10, 13, tw + 2, 13);
      g.fillStyle = colour.plum;
      g.fillText(m.text, x + 11, 23.5);
      g.restore();
    });
  }

  /** The playhead lies on a canvas of its own, so that it can move alone. */
  drawOver() {
    const h = this.parts.tracks.clientHeight + 26,
      g = fit(this.parts.over, this.width, h);
    const x = Math.round(this.x(this.playhead)) + 0.5;
    if (x < -10 || x > this.width + 10) return;
    g.strokeStyle = g.fillStyle = colour.teal;
    g.lineWidth = 1.5;
    g.beginPath();
    g.moveTo(x, 12);
    g.lineTo(x, h);
    g.stroke();
    g.beginPath();
    g.roundRect(x - 6, 2, 12, 13, [3, 3, 6, 6]);
    g.fill();
  }

  drawScroll() {
    const thumb = /** @type {HTMLElement} */ (this.parts.scroll.firstElementChild),
      w = this.parts.scroll.clientWidth;
    const size = Math.min(1, (this.width * this.perPixel) / this.end);
    thumb.style.width = `${Math.max(size * w, 14)}px`;
    thumb.style.transform = `translateX(${Math.min(Math.max(this.from / this.end, 0), 1 - size) * w}px)`;
  }
}

/** Breaks a text into lines. @param {CanvasRenderingContext2D} g @param {string} text @param {number} width */
function wrap(g, text, width) {
  /** @type {string[]} */
  const lines = [];
  for (const word of text.split(" ").filter(Boolean)) {
    const last = lines.at(-1);
    if (last !== undefined && g.measureText(`${last} ${word}`).width <= width) lines[lines.length - 1] = `${last} ${word}`;
    else lines.push(word);
  }
  return lines;
}
