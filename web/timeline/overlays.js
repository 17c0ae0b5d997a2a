// What lies over the tracks while something is marked or dragged.

import { label } from "./clipface.js";
import { colour, hue } from "../lib/colours.js";

/** Height of a clip's ribbon, its lower strip. */

/** The span lies on the tracks that it acts on. @param {import("./lanes.js").Lanes} sheet @param {CanvasRenderingContext2D} g @param {{from: number, to: number}} s @param {{track: Track, top: number, height: number}[]} rows @param {number} scroll */
export function drawSpan(sheet, g, s, rows, scroll) {
  const a = sheet.x(s.from),
    b = sheet.x(s.to);
  for (const r of rows) {
    if (!sheet.working.has(r.track.id)) continue;
    g.fillStyle = colour.teal;
    g.globalAlpha = 0.2;
    g.fillRect(a, r.top - scroll, b - a, r.height);
    g.globalAlpha = 1;
    g.fillRect(a - 1, r.top - scroll, 2, r.height);
    g.fillRect(b - 1, r.top - scroll, 2, r.height);
  }
}

/** @param {CanvasRenderingContext2D} g @param {{x0: number, y0: number, x1: number, y1: number}} b */
export function drawBox(g, b) {
  g.strokeStyle = g.fillStyle = colour.teal;
  g.lineWidth = 1.5;
  g.globalAlpha = 0.12;
  g.fillRect(b.x0, b.y0, b.x1 - b.x0, b.y1 - b.y0);
  g.globalAlpha = 1;
  g.setLineDash([4, 3]);
  g.strokeRect(b.x0, b.y0, b.x1 - b.x0, b.y1 - b.y0);
  g.setLineDash([]);
}

/** What a drag leads to, beside the pointer, a line each; last why it stops. @param {import("./lanes.js").Lanes} sheet @param {CanvasRenderingContext2D} g @param {{x: number, y: number, lines: string[], stops: string}} o */
export function drawWords(sheet, g, o) {
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
    x = Math.max(Math.min(o.x + 16, sheet.width - width - 4), 4),
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

/** @param {import("./lanes.js").Lanes} sheet @param {CanvasRenderingContext2D} g @param {{track: Track, top: number, height: number}[]} rows @param {number} scroll */
export function drawGhosts(sheet, g, rows, scroll) {
  for (const ghost of sheet.ghosts) {
    const row = rows.find((r) => r.track.id === ghost.track);
    if (!row) continue;
    const x = sheet.x(ghost.start),
      w = ghost.length / sheet.perPixel,
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
    label(sheet, g, ghost.words, Math.max(x, 4), y + row.height / 2 + 8);
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
