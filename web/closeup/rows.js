// What was measured at a seam, row by row, as it stands beside the cut.

import { ms } from "../lib/timecode.js";

/** A number with a true minus sign. @param {number} v @param {number} [digits] */
export const num = (v, digits = 1) =>
  v
    .toFixed(digits)
    .replace(/^-(0\.?0*)$/, "$1")
    .replace("-", "−");
/** The same with a plus where it is one. @param {number} v @param {number} [digits] */
export const signed = (v, digits = 1) => (Number(v.toFixed(digits)) > 0 ? "+" : "") + num(v, digits);
/** A level, or a dash for silence. @param {number | undefined} v */
export const level = (v) => (v === undefined || v <= -143 ? "–" : num(v));

/** @param {Finding | undefined} f */
const limits = (f) => (f ? [f.hear, f.mend].map((v) => (v < 0 ? "–" : String(Number(v.toFixed(1))))).join("/") : "");
/** @param {Finding | undefined} f */
const judged = (f) => {
  const from = (/** @type {number} */ v) => (v < 0 ? "never" : `${v} ${f?.unit}`);
  return f ? `to check from ${from(f.hear)}, to mend from ${from(f.mend)}` : "not judged here";
};

/**
 * @typedef {object} Row
 * @property {string} name
 * @property {string} out
 * @property {string} in
 * @property {string} step
 * @property {string} limit
 * @property {Verdict | "none"} verdict
 * @property {string} title
 */

/** @param {string} name @param {string} out @param {string} into @param {string} step @param {Finding | undefined} f @param {string} more @returns {Row} */
const row = (name, out, into, step, f, more) => ({
  name,
  out,
  in: into,
  step,
  limit: limits(f),
  verdict: f?.verdict ?? "none",
  title: `${more}; ${judged(f)}`,
});

/** The room on one side. @param {SeamSide | undefined} side */
const room = (side) => (side && !side.known ? "?" : side?.gated && side.heard <= -79 ? "gated" : level(side?.heard));

/** @param {Judged} j @param {Seam} s @param {(what: string) => Finding | undefined} of @returns {Row[]} */
function roomRows(j, s, of) {
  if (j.role !== "dialogue" && j.role !== "roomTone") return [];
  const step = j.known || s.kind === "head" || s.kind === "tail" ? `${signed(j.step)} dB` : "not known",
    alone = `${level(j.out?.room)} and ${level(j.in?.room)}`;
  if (s.kind === "struck")
    return [
      row(
        "Room",
        room(j.out),
        level(j.in?.heard),
        step,
        of("struck"),
        `dBFS with all that sounds, around it and in it; this track alone ${alone}`,
      ),
    ];
  const how = `±${num(j.unsure)} dB; dBFS above 188 Hz with all that sounds; alone ${alone}; ${signed(j.glide)} dB of it within 200 ms`;
  return [row("Room tone", room(j.out), room(j.in), step, of("room"), j.unknown ?? how)];
}

/** @param {Judged} j @param {(what: string) => Finding | undefined} of @returns {Row[]} */
function voiceRows(j, of) {
  if (j.role === "spots" || j.role === "roomTone") return [];
  const said = (/** @type {SeamSide | undefined} */ side) => (side?.voiced ? num(side.voice) : "–"),
    step = j.out?.voiced && j.in?.voiced ? `${signed(j.in.voice - j.out.voice)} LU` : "";
  return [
    row(j.role === "music" ? "Music level" : "Voice level", said(j.out), said(j.in), step, of("voice"), "LUFS, ITU-R BS.1770, gated"),
  ];
}

/** What is told of the material around. @param {Judged} j @param {Seam} s @param {Props} p @returns {Row[]} */
function materialRows(j, s, p) {
  const seconds = (/** @type {number | undefined} */ n) => (n === undefined ? "" : (n / p.sampleRate).toFixed(2));
  // With a blend they are told in the close-up.
  if (s.kind === "cut")
    return s.blend ? [] : [row("Handles", seconds(j.out?.handle), seconds(j.in?.handle), "s", undefined, "material beyond the edges")];
  if (s.kind === "struck") return [];
  const peak = (/** @type {SeamSide | undefined} */ side) => (side ? level(side.peak) : "");
  return [row("Peak", s.kind === "tail" ? peak(j.out) : "", s.kind === "head" ? peak(j.in) : "", "dBFS", undefined, "over a second")];
}

/** All rows of a seam. @param {Judged} j @param {Seam} s @param {Props} p @returns {Row[]} */
export function measuredRows(j, s, p) {
  const of = (/** @type {string} */ what) => j.findings?.find((f) => f.what === what),
    cut = s.kind === "cut",
    // What is fine is not told of these.
    bad = (/** @type {string} */ what) => cut && of(what) && of(what)?.verdict !== "fine";
  return [
    ...(j.hole ? [row("Hole", "", "", `${Math.round(ms(j.hole, p))} ms`, of("hole"), "digital silence from here on")] : []),
    ...roomRows(j, s, of),
    ...(cut ? voiceRows(j, of) : []),
    row(
      "Click",
      "",
      "",
      j.click > -6 ? `${num(j.click, 0)} dB` : "none",
      of("click"),
      "peak above what is predicted from the sound around it",
    ),
    ...(cut && s.blend
      ? [row("Dip, swell", "", "", `${signed(j.dip)} dB`, of("dip"), "power through the blend against the line between its ends")]
      : []),
    ...(bad("colour") ? [row("Spectrum", "", "", `${num(j.colour)} dB`, of("colour"), "distance of the rooms' third-octave spectra")] : []),
    ...(bad("word")
      ? [row("Into sound", num(j.out?.edge ?? 0, 0), num(j.in?.edge ?? 0, 0), "", of("word"), "dB over the room on both sides")]
      : []),
    ...materialRows(j, s, p),
  ];
}
