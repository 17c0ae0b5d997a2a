// The keys in force: those that ship with the commands, but for what the set says
// that the user has chosen.

import { get } from "./api.js";
import { commands } from "./commands/registry.js";

/** The keys in force, by command. @type {Record<string, string[]>} */
let inForce = {};
/** @type {Map<string, string>} */
let byKey = new Map();

/** Puts keys in force: those that ship, but for what a set says. @param {Record<string, string[]>} set */
export function useKeys(set) {
  const taken = new Set(Object.values(set).flat());
  inForce = Object.fromEntries(commands.map((c) => [c.id, set[c.id] ?? c.keys.filter((k) => !taken.has(k))]));
  byKey = new Map(Object.entries(inForce).flatMap(([id, keys]) => keys.map((k) => [k, id])));
}
useKeys({});

/** The keys of a command. @param {string} id */
export const keysOf = (id) => inForce[id] ?? [];

/** Reads the set that the user has chosen; the shipped keys where none is. */
export async function loadKeys() {
  try {
    const sets = /** @type {KeySet[]} */ ((await get("/keys")).sets);
    useKeys(sets.find((s) => s.chosen)?.keys ?? {});
  } catch {
    useKeys({}); // the shipped keys serve until the server answers
  }
}

/** The combination of a key press. @param {KeyboardEvent} e */
export function combination(e) {
  const key = e.key.length === 1 && /[a-z]/i.test(e.key) && !(e.shiftKey && !e.ctrlKey && !e.metaKey) ? e.key.toLowerCase() : e.key;
  let out = "";
  if (e.ctrlKey || e.metaKey) out += "ctrl+";
  if (e.altKey) out += "alt+";
  // A sign that needs shift, such as ?, carries it already; a digit is told by
  // its place, as keyboards differ in the sign above it.
  if (e.shiftKey && /^Digit\d$/.test(e.code)) return `${out}shift+${e.code.slice(5)}`;
  if (e.shiftKey && (e.key.length > 1 || /[a-z]/i.test(e.key))) out += "shift+";
  return out + key;
}

/** The command of a key press, or undefined. @param {KeyboardEvent} e */
export function commandOf(e) {
  const known = byKey.get(combination(e));
  if (known || !e.altKey) return known;
  // Some keyboards write another sign with alt: go by the key's place.
  const plain = { BracketLeft: "[", BracketRight: "]" }[e.code] ?? /^Key([A-Z])$/.exec(e.code)?.[1].toLowerCase();
  return plain ? byKey.get(`alt+${plain}`) : undefined;
}

const names = new Map([
  [" ", "Space"],
  ["ArrowLeft", "←"],
  ["ArrowRight", "→"],
  ["ArrowUp", "↑"],
  ["ArrowDown", "↓"],
  ["Escape", "Esc"],
  ["ctrl", /Mac/.test(globalThis.navigator?.platform ?? "") ? "⌘" : "Ctrl"],
  ["alt", "Alt"],
  ["shift", "Shift"],
]);

/** A combination as it is shown. @param {string} k */
export const keyName = (k) =>
  // A plus that stands last is the key of that name.
  k
    .replace(/\+$/, "plus")
    .split("+")
    .map((part) => (part === "plus" ? "+" : (names.get(part) ?? (part.length === 1 ? part.toUpperCase() : part))))
    .join(" ");
