// The commands with the keys that ship, and those in force: of the set that
// the user has chosen. Tooltips, foot line and the keys page are made from this
// table, so that they never differ from what a key does.

import { get } from "./api.js";

/**
 * @typedef {object} Command
 * @property {string} id
 * @property {string} group
 * @property {string} name
 * @property {string[]} keys as they ship, as the browser names them: modifiers in the order ctrl alt shift
 */

/** @type {Command[]} */
export const commands = [
  { id: "play", group: "Listen", name: "Play from the playhead, or stop", keys: [" "] },
  { id: "playBlend", group: "Listen", name: "Play the seam, with what comes before and after", keys: ["Enter"] },
  { id: "playHard", group: "Listen", name: "Play the seam as a hard cut, or a strike as recorded", keys: ["shift+Enter"] },
  { id: "playOut", group: "Listen", name: "Play the outgoing side alone", keys: [","] },
  { id: "playIn", group: "Listen", name: "Play the incoming side alone", keys: ["."] },
  { id: "playBefore", group: "Listen", name: "Play the seam as it was before the last step", keys: ["j"] },
  { id: "walk", group: "Listen", name: "Play through all seams that are not fine, or stop", keys: ["w"] },
  { id: "loop", group: "Listen", name: "Loop on or off", keys: ["l"] },
  { id: "nextSeam", group: "Go", name: "Next seam", keys: ["n"] },
  { id: "prevSeam", group: "Go", name: "Previous seam", keys: ["p"] },
  { id: "nextBad", group: "Go", name: "Next seam that is not fine", keys: ["shift+N"] },
  { id: "prevBad", group: "Go", name: "Previous seam that is not fine", keys: ["shift+P"] },
  { id: "frameLeft", group: "Go", name: "One frame back", keys: ["ArrowLeft"] },
  { id: "frameRight", group: "Go", name: "One frame forward", keys: ["ArrowRight"] },
  { id: "tenLeft", group: "Go", name: "Ten frames back", keys: ["shift+ArrowLeft"] },
  { id: "tenRight", group: "Go", name: "Ten frames forward", keys: ["shift+ArrowRight"] },
  { id: "toStart", group: "Go", name: "To the start of the reel", keys: ["Home"] },
  { id: "toEnd", group: "Go", name: "To the end of the reel", keys: ["End"] },
  { id: "prevMarker", group: "Go", name: "Previous marker", keys: [";"] },
  { id: "nextMarker", group: "Go", name: "Next marker", keys: ["'"] },
  { id: "trackUp", group: "Go", name: "Activate the track above", keys: ["ArrowUp"] },
  { id: "trackDown", group: "Go", name: "Activate the track below", keys: ["ArrowDown"] },
  { id: "gotoTime", group: "Go", name: "Go to a timecode", keys: ["shift+G"] },
  { id: "zoomIn", group: "Look", name: "Zoom in", keys: ["+", "="] },
  { id: "zoomOut", group: "Look", name: "Zoom out", keys: ["-"] },
  { id: "zoomSeam", group: "Look", name: "Zoom to the seam", keys: ["z"] },
  { id: "zoomWhole", group: "Look", name: "Zoom to the whole reel", keys: ["0"] },
  { id: "waves", group: "Look", name: "Waveforms on the timeline on or off", keys: ["shift+H"] },
  { id: "curves", group: "Look", name: "Fades and blends on the timeline on or off", keys: ["alt+h"] },
  { id: "foldList", group: "Look", name: "Fold or unfold the panel of lists", keys: ["shift+6"] },
  { id: "foldCard", group: "Look", name: "Fold or unfold the panel of the seam", keys: ["shift+7"] },
  { id: "numbers", group: "Look", name: "What the numbers mean", keys: ["shift+J"] },
  { id: "nextHole", group: "Go", name: "Next hole in the programme", keys: ["alt+n"] },
  { id: "prevHole", group: "Go", name: "Previous hole in the programme", keys: ["alt+p"] },
  { id: "tabSeams", group: "Look", name: "List of seams", keys: ["shift+1"] },
  { id: "tabSources", group: "Look", name: "List of sources", keys: ["shift+2"] },
  { id: "tabMarkers", group: "Look", name: "List of markers", keys: ["shift+3"] },
  { id: "tabSteps", group: "Look", name: "History and versions", keys: ["shift+4"] },
  { id: "tabRoom", group: "Look", name: "Room tone: swatches and quiet stretches", keys: ["shift+5"] },
  { id: "spanIn", group: "Select", name: "Span begins at the playhead", keys: ["i"] },
  { id: "spanOut", group: "Select", name: "Span ends at the playhead", keys: ["o"] },
  { id: "spanClip", group: "Select", name: "Span over the clip or gap at the playhead", keys: ["v"] },
  { id: "workUp", group: "Select", name: "Activate the track above as well", keys: ["shift+ArrowUp"] },
  { id: "workDown", group: "Select", name: "Activate the track below as well", keys: ["shift+ArrowDown"] },
  { id: "chooseHere", group: "Select", name: "Select the clips at the playhead, on active tracks", keys: ["u"] },
  { id: "chooseAll", group: "Select", name: "Select all clips on active tracks", keys: ["a"] },
  { id: "chooseAfter", group: "Select", name: "Select all clips after the playhead, on active tracks", keys: ["shift+A"] },
  { id: "actOut", group: "Select", name: "Trim the outgoing edge, or the first edge of a strike", keys: ["1"] },
  { id: "actIn", group: "Select", name: "Trim the incoming edge, or the last edge of a strike", keys: ["2"] },
  { id: "actCut", group: "Select", name: "Roll the cut: both edges", keys: ["3"] },
  { id: "actBlend", group: "Select", name: "Set the length of the blend or fade", keys: ["4"] },
  { id: "actClip", group: "Select", name: "Move the selected clips", keys: ["5"] },
  { id: "actSlip", group: "Select", name: "Slip the content of the selected clips", keys: ["6"] },
  { id: "actSlide", group: "Select", name: "Slide the selected clip between its neighbours", keys: ["7"] },
  { id: "earlier", group: "Trim", name: "Nudge back one frame, or shorten", keys: ["["] },
  { id: "later", group: "Trim", name: "Nudge forward one frame, or lengthen", keys: ["]"] },
  { id: "earlierTen", group: "Trim", name: "Nudge back ten frames", keys: ["{"] },
  { id: "laterTen", group: "Trim", name: "Nudge forward ten frames", keys: ["}"] },
  { id: "earlierFive", group: "Trim", name: "Nudge back five frames", keys: ["shift+9"] },
  { id: "laterFive", group: "Trim", name: "Nudge forward five frames", keys: ["shift+0"] },
  { id: "earlierMs", group: "Trim", name: "Nudge back one millisecond", keys: ["alt+["] },
  { id: "laterMs", group: "Trim", name: "Nudge forward one millisecond", keys: ["alt+]"] },
  { id: "earlierTyped", group: "Trim", name: "Nudge back by the typed size", keys: ["ctrl+["] },
  { id: "laterTyped", group: "Trim", name: "Nudge forward by the typed size", keys: ["ctrl+]"] },
  { id: "split", group: "Trim", name: "Split at the playhead", keys: ["s"] },
  { id: "join", group: "Trim", name: "Join the two clips of the seam", keys: ["shift+S"] },
  { id: "headHere", group: "Trim", name: "Head of the clip to the playhead", keys: ["h"] },
  { id: "tailHere", group: "Trim", name: "Tail of the clip to the playhead", keys: ["t"] },
  { id: "takeOut", group: "Trim", name: "Remove the span, or the selected clips", keys: ["Delete", "Backspace"] },
  { id: "takeOutOther", group: "Trim", name: "Remove, with the opposite ripple", keys: ["alt+Delete", "alt+Backspace"] },
  { id: "keepSpan", group: "Trim", name: "Keep only the span", keys: ["k"] },
  { id: "closeGap", group: "Trim", name: "Close the gap at the playhead", keys: ["alt+c"] },
  { id: "insertTime", group: "Trim", name: "Insert time as long as the span", keys: ["shift+I"] },
  { id: "follow", group: "Trim", name: "Later clips follow on all tracks, or stay (ripple)", keys: ["f"] },
  { id: "followTrack", group: "Trim", name: "Later clips follow on this track, or stay", keys: ["shift+F"] },
  { id: "snap", group: "Trim", name: "Snapping on or off", keys: ["g"] },
  { id: "copy", group: "Arrange", name: "Copy the selected clips, or the span", keys: ["ctrl+c"] },
  { id: "cut", group: "Arrange", name: "Cut the selected clips, or the span", keys: ["ctrl+x"] },
  { id: "paste", group: "Arrange", name: "Paste at the playhead", keys: ["ctrl+v"] },
  { id: "layIn", group: "Arrange", name: "Insert the marked stretch of the source at the playhead", keys: ["d"] },
  { id: "fillIn", group: "Arrange", name: "Fill the span or gap from the in point", keys: ["shift+D"] },
  { id: "fillOut", group: "Arrange", name: "Fill the span or gap up to the out point", keys: ["alt+d"] },
  { id: "source", group: "Arrange", name: "Go to the source of the clip", keys: ["r"] },
  { id: "moveUp", group: "Arrange", name: "Selected clips to the track above", keys: ["alt+ArrowUp"] },
  { id: "moveDown", group: "Arrange", name: "Selected clips to the track below", keys: ["alt+ArrowDown"] },
  { id: "orderUp", group: "Arrange", name: "Move the active track up", keys: ["alt+shift+ArrowUp"] },
  { id: "orderDown", group: "Arrange", name: "Move the active track down", keys: ["alt+shift+ArrowDown"] },
  { id: "mute", group: "Arrange", name: "Mute the active tracks", keys: ["shift+M"] },
  { id: "solo", group: "Arrange", name: "Solo the active tracks", keys: ["shift+O"] },
  { id: "lock", group: "Arrange", name: "Lock the active tracks", keys: ["shift+L"] },
  { id: "marker", group: "Arrange", name: "Add a marker at the playhead", keys: ["m"] },
  { id: "blend", group: "Mend", name: "Blend the seam", keys: ["b"] },
  { id: "nextPreset", group: "Mend", name: "Blend the seam by the next preset", keys: ["ctrl+b"] },
  { id: "takeOffer", group: "Mend", name: "Do what the message offers", keys: ["ctrl+Enter"] },
  { id: "sweep", group: "Mend", name: "Sweep: mend the seams of the span, or all that are not fine", keys: ["shift+B"] },
  { id: "blendSpan", group: "Mend", name: "Blend the cut over the span", keys: ["shift+K"] },
  { id: "better", group: "Mend", name: "Look for a better cut nearby", keys: ["q"] },
  { id: "accept", group: "Mend", name: "Accept the seam, until something near it changes", keys: ["y"] },
  { id: "acceptOn", group: "Mend", name: "Accept, and go to the next seam that is not fine", keys: ["shift+Y"] },
  { id: "hardCut", group: "Mend", name: "Remove the blend: a hard cut", keys: ["alt+b"] },
  { id: "splitEdit", group: "Picture", name: "Picture and sound at the cut, with the grips to lead or lag", keys: ["e"] },
  { id: "actLead", group: "Picture", name: "Set how the sound leads or lags its picture", keys: ["8"] },
  { id: "takeLead", group: "Picture", name: "Apply the suggested lead (J-cut)", keys: ["alt+j"] },
  { id: "takeLag", group: "Picture", name: "Apply the suggested lag (L-cut)", keys: ["alt+l"] },
  { id: "straight", group: "Picture", name: "Cut picture and sound straight", keys: ["alt+k"] },
  { id: "hearLead", group: "Picture", name: "Listen to the suggested lead with picture", keys: ["alt+shift+J"] },
  { id: "hearLag", group: "Picture", name: "Listen to the suggested lag with picture", keys: ["alt+shift+L"] },
  { id: "hearStraight", group: "Picture", name: "Listen to the straight cut with picture", keys: ["alt+shift+K"] },
  { id: "tie", group: "Picture", name: "Tie sound to its shot, or untie it", keys: ["alt+t"] },
  { id: "resyncMove", group: "Picture", name: "Bring sound back in sync by moving it", keys: ["alt+m"] },
  { id: "resyncSlip", group: "Picture", name: "Bring sound back in sync by slipping it", keys: ["alt+shift+M"] },
  { id: "nextCut", group: "Picture", name: "To the next picture cut", keys: ["alt+."] },
  { id: "prevCut", group: "Picture", name: "To the previous picture cut", keys: ["alt+,"] },
  { id: "picture", group: "Look", name: "Picture window on or off", keys: ["alt+v"] },
  { id: "strike", group: "Strike", name: "Strike the span: silence it without cutting", keys: ["x"] },
  { id: "lower", group: "Strike", name: "Lower the span instead, by the last depth", keys: ["shift+X"] },
  { id: "lift", group: "Strike", name: "Restore struck sound", keys: ["alt+x"] },
  { id: "tighten", group: "Strike", name: "Snap a strike to where its sound starts and ends", keys: ["shift+Q"] },
  { id: "strikeCovered", group: "Strike", name: "Strike the span and cover it", keys: ["alt+w"] },
  { id: "cover", group: "Strike", name: "Cover a strike, or fill a gap, with room tone", keys: ["c"] },
  { id: "nextTone", group: "Strike", name: "Next room tone", keys: ["shift+C"] },
  { id: "fills", group: "Strike", name: "Fill many gaps with room tone", keys: ["shift+T"] },
  { id: "bed", group: "Strike", name: "Add a bed of room tone under the scene", keys: ["shift+R"] },
  { id: "swatch", group: "Strike", name: "Save the marked stretch as a swatch", keys: ["shift+W"] },
  { id: "undo", group: "Reel", name: "Undo", keys: ["ctrl+z"] },
  { id: "redo", group: "Reel", name: "Redo", keys: ["ctrl+shift+z", "ctrl+y"] },
  { id: "keep", group: "Reel", name: "Save the reel as it is now as a version", keys: ["shift+V"] },
  { id: "export", group: "Reel", name: "Export", keys: ["shift+E"] },
  { id: "guide", group: "Reel", name: "First steps: a guide in six steps", keys: [] },
  { id: "palette", group: "Reel", name: "Command palette", keys: ["ctrl+k"] },
  { id: "help", group: "Reel", name: "All keys", keys: ["?"] },
  { id: "back", group: "Reel", name: "Cancel, stop, clear", keys: ["Escape"] },
];

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
  ["ctrl", /Mac/.test(navigator.platform) ? "⌘" : "Ctrl"],
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
