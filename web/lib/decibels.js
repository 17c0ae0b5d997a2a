// Gains as they are read and typed.

/** The gain that stands for −∞ on the wire. */
export const silent = -144;

/** A gain as a field shows it: a sign, one decimal or two. @param {number} db */
export function decibels(db) {
  if (db <= silent) return "−∞";
  const text = Math.abs(db).toFixed(2).replace(/0$/, "");
  return `${db < 0 ? "−" : db > 0 ? "+" : ""}${text}`;
}

/** A gain as it is typed: −3,5 or +6 dB or −∞; NaN for what is none. @param {string} text */
export function typedDecibels(text) {
  const t = text
    .trim()
    .toLowerCase()
    .replace(/\s*db$/, "")
    .replace(",", ".")
    .replace("−", "-");
  if (/^-\s*(∞|inf(inity)?)$/.test(t)) return silent;
  return /^[+-]?\d*\.?\d+$/.test(t) ? Number(t) : NaN;
}
