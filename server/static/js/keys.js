// The keys in force, by what they do. Tooltips and the list of keys are made
// from this table, so that they never differ from what a key does.

/**
 * @typedef {object} Command
 * @property {string} id
 * @property {string} group
 * @property {string} name
 * @property {string[]} keys as the browser names them: modifiers in the order ctrl alt shift
 */

/** @type {Command[]} */
export const commands = [
  { id: "play", group: "Listen", name: "Play from the playhead, or stop", keys: [" "] },
  { id: "playBlend", group: "Listen", name: "Play the seam, with what comes before and after", keys: ["Enter"] },
  { id: "playHard", group: "Listen", name: "Play the seam as a hard cut", keys: ["shift+Enter"] },
  { id: "playOut", group: "Listen", name: "Play the outgoing side alone", keys: [","] },
  { id: "playIn", group: "Listen", name: "Play the incoming side alone", keys: ["."] },
  { id: "loop", group: "Listen", name: "Loop on or off", keys: ["l"] },
  { id: "nextSeam", group: "Go", name: "Next seam", keys: ["n"] },
  { id: "prevSeam", group: "Go", name: "Previous seam", keys: ["p"] },
  { id: "frameLeft", group: "Go", name: "One frame back", keys: ["ArrowLeft"] },
  { id: "frameRight", group: "Go", name: "One frame on", keys: ["ArrowRight"] },
  { id: "tenLeft", group: "Go", name: "Ten frames back", keys: ["shift+ArrowLeft"] },
  { id: "tenRight", group: "Go", name: "Ten frames on", keys: ["shift+ArrowRight"] },
  { id: "toStart", group: "Go", name: "To the start of the reel", keys: ["Home"] },
  { id: "toEnd", group: "Go", name: "To the end of the reel", keys: ["End"] },
  { id: "spanIn", group: "Go", name: "Span begins at the playhead", keys: ["i"] },
  { id: "spanOut", group: "Go", name: "Span ends at the playhead", keys: ["o"] },
  { id: "zoomIn", group: "Look", name: "Look closer", keys: ["+", "="] },
  { id: "zoomOut", group: "Look", name: "Look from further away", keys: ["-"] },
  { id: "zoomSeam", group: "Look", name: "Zoom to the seam", keys: ["z"] },
  { id: "zoomWhole", group: "Look", name: "The whole reel", keys: ["0"] },
  { id: "blend", group: "Mend", name: "Blend the seam", keys: ["b"] },
  { id: "hardCut", group: "Mend", name: "Take the blend off: a hard cut", keys: ["alt+b"] },
  { id: "longer", group: "Mend", name: "Blend or fade a frame longer; a chosen clip a frame later", keys: ["]"] },
  { id: "shorter", group: "Mend", name: "Blend or fade a frame shorter; a chosen clip a frame earlier", keys: ["["] },
  { id: "longerTen", group: "Mend", name: "The same by ten frames, longer or later", keys: ["}"] },
  { id: "shorterTen", group: "Mend", name: "The same by ten frames, shorter or earlier", keys: ["{"] },
  { id: "longerMs", group: "Mend", name: "The same by a millisecond, longer or later", keys: ["alt+]"] },
  { id: "shorterMs", group: "Mend", name: "The same by a millisecond, shorter or earlier", keys: ["alt+["] },
  { id: "chooseOut", group: "Choose", name: "The outgoing clip", keys: ["1"] },
  { id: "chooseIn", group: "Choose", name: "The incoming clip", keys: ["2"] },
  { id: "chooseCut", group: "Choose", name: "The cut", keys: ["3"] },
  { id: "takeOut", group: "Mend", name: "Take the chosen clips out", keys: ["Delete", "Backspace"] },
  { id: "undo", group: "Reel", name: "Undo", keys: ["ctrl+z"] },
  { id: "redo", group: "Reel", name: "Redo", keys: ["ctrl+shift+z", "ctrl+y"] },
  { id: "export", group: "Reel", name: "Export", keys: ["shift+E"] },
  { id: "help", group: "Reel", name: "All keys", keys: ["?"] },
  { id: "back", group: "Reel", name: "Back out of what is going on", keys: ["Escape"] },
];

/** The combination of a key press. @param {KeyboardEvent} e */
export function combination(e) {
  const key = e.key.length === 1 && /[a-z]/i.test(e.key) && !(e.shiftKey && !e.ctrlKey && !e.metaKey) ? e.key.toLowerCase() : e.key;
  let out = "";
  if (e.ctrlKey || e.metaKey) out += "ctrl+";
  if (e.altKey) out += "alt+";
  // A sign that needs shift, such as ?, carries it already.
  if (e.shiftKey && (e.key.length > 1 || /[a-z]/i.test(e.key))) out += "shift+";
  return out + key;
}

const byKey = new Map(commands.flatMap((c) => c.keys.map((k) => [k, c.id])));

/** The command of a key press, or undefined. @param {KeyboardEvent} e */
export function commandOf(e) {
  const known = byKey.get(combination(e));
  if (known || !e.altKey) return known;
  // Some keyboards write another sign with alt: go by the key's place.
  const plain = { BracketLeft: "[", BracketRight: "]", KeyB: "b" }[e.code];
  return plain ? byKey.get(`alt+${plain}`) : undefined;
}

const names = new Map([[" ", "Space"], ["ArrowLeft", "←"], ["ArrowRight", "→"], ["ctrl", /Mac/.test(navigator.platform) ? "⌘" : "Ctrl"], ["alt", "Alt"], ["shift", "Shift"]]);

/** A combination as it is shown. @param {string} k */
export const keyName = (k) =>
  // A plus that stands last is the key of that name.
  k.replace(/\+$/, "plus").split("+").map((part) => (part === "plus" ? "+" : names.get(part) ?? (part.length === 1 ? part.toUpperCase() : part))).join(" ");
