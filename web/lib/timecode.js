// Shows samples as timecode, after SMPTE ST 12-1. A view only: what is stored
// and edited are samples, and the rounding is that of core/timecode.

/** @param {FrameRate} r */
export const nominal = (r) => Math.ceil(r.num / r.den);

/** The sample on which frame n begins. @param {number} n @param {Props} p */
export const sampleOf = (n, p) => {
  const v = (n * p.sampleRate * p.frameRate.den) / p.frameRate.num;
  return Math.sign(v) * Math.round(Math.abs(v));
};

/** The frame that sounds at a sample. @param {number} sample @param {Props} p */
export function frameOf(sample, p) {
  let n = Math.round((sample * p.frameRate.num) / (p.sampleRate * p.frameRate.den));
  while (sampleOf(n, p) > sample) n--;
  while (sampleOf(n + 1, p) <= sample) n++;
  return n;
}

/** Samples in a frame, as a fraction. @param {Props} p */
export const frameLength = (p) => (p.sampleRate * p.frameRate.den) / p.frameRate.num;

/**
 * Frame n counted from midnight as hh:mm:ss:ff.
 * @param {number} n
 * @param {FrameRate} r
 */
export function format(n, r) {
  const fps = nominal(r),
    two = (/** @type {number} */ v) => String(Math.floor(v)).padStart(2, "0");
  let sign = "";
  if (n < 0) [sign, n] = ["-", -n];
  const drop = r.drop ? fps / 15 : 0;
  n %= 86400 * fps - 24 * drop * 54;
  if (drop) {
    const ten = 600 * fps - 9 * drop,
      minute = 60 * fps - drop,
      rest = n % ten;
    n += 9 * drop * Math.floor(n / ten) + (rest >= 60 * fps ? drop * (Math.floor((rest - 60 * fps) / minute) + 1) : 0);
  }
  return `${sign}${two(n / fps / 3600)}:${two((n / fps / 60) % 60)}:${two((n / fps) % 60)}${drop ? ";" : ":"}${two(n % fps)}`;
}

/** A place in the reel as timecode. @param {number} sample @param {Props} p */
export const at = (sample, p) => format(p.startFrame + frameOf(sample, p), p.frameRate);

/** The same without the hours, where they would only take room. @param {number} sample @param {Props} p */
export const shortAt = (sample, p) => at(sample, p).slice(3);

/** @param {FrameRate} r */
export const rateName = (r) =>
  (r.den === 1 ? String(r.num) : r.num === 24000 ? "23.976" : (r.num / r.den).toFixed(2)) + (r.drop ? " drop" : "");

/** Samples to milliseconds. @param {number} n @param {Props} p */
export const ms = (n, p) => (n / p.sampleRate) * 1000;

/** Samples to frames, as a fraction. @param {number} n @param {Props} p */
export const frames = (n, p) => n / frameLength(p);

/** A length as an editor says it. @param {number} n @param {Props} p */
export function span(n, p) {
  const s = Math.abs(n) / p.sampleRate;
  if (n === 0) return "0 s";
  if (s < 0.001) return `${Math.abs(n)} ${Math.abs(n) === 1 ? "sample" : "samples"}`;
  return s < 1 ? `${Math.round(s * 1000)} ms` : `${s.toFixed(2)} s`;
}

/**
 * A shift in words, never as a bare sign.
 * @param {number} n
 * @param {Props} p
 */
export function shift(n, p) {
  if (n === 0) return "where it was";
  const f = Math.abs(frames(n, p));
  const text = f >= 0.95 ? `${f >= 100 ? f.toFixed(0) : f.toFixed(1).replace(/\.0$/, "")} frames` : span(n, p);
  return `${text} ${n > 0 ? "later" : "earlier"}`;
}

/**
 * A length as it is typed, in samples: a number in the field's own unit, or with one of its own (2s, 120 ms, 48f), or a
 * timecode (00:00:02:00). NaN for what is none of these.
 * @param {string | number} text
 * @param {Props} p
 * @param {"ms" | "f" | "s"} unit of a bare number
 */
export function lengthOf(text, p, unit) {
  const t = String(text).trim().toLowerCase().replace(",", ".").replace("−", "-");
  const code = /^(\d+):(\d{1,2}):(\d{1,2})[:;.](\d{1,2})$/.exec(t);
  if (code) {
    const [h, m, s, f] = code.slice(1).map(Number),
      fps = nominal(p.frameRate);
    return m > 59 || s > 59 || f >= fps ? NaN : sampleOf(((h * 60 + m) * 60 + s) * fps + f, p);
  }
  const one = /^(-?\d*\.?\d+)\s*(ms|s|sec|f|fr|frames?)?$/.exec(t);
  if (!one) return NaN;
  const n = Number(one[1]),
    of = one[2] ?? unit;
  if (of === "ms") return Math.round((n / 1000) * p.sampleRate);
  return Math.round(of.startsWith("s") ? n * p.sampleRate : n * frameLength(p));
}

/** What to say of a length that was not understood. @param {string | number} text */
export const noLength = (text) => `“${text}” is not a length. Type 48f, 2s, 120ms or 00:00:02:00.`;

/** A number as it is typed, with a point or a comma. @param {string | number} v */
export const typed = (v) => (String(v).trim() === "" ? NaN : Number(String(v).trim().replace(",", ".").replace("−", "-")));
