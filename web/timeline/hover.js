// What a pointer over the timeline is told: what it could take hold of there, and
// what a drag would do.

import { beadWords } from "../levels/thread.js";

/** @typedef {import("./timeline.js").Timeline} Timeline */

/** @type {Record<string, string>} */
const cursors = {
  nothing: "default",
  lane: "text",
  tab: "grab",
  wave: "text",
  knot: "col-resize",
  end: "pointer",
  fade: "ew-resize",
  frame: "text",
  pictureCut: "col-resize",
  edge: "ew-resize",
  bead: "grab",
  thread: "copy",
  gain: "ns-resize",
  ribbon: "grab",
  struck: "text",
  struckEdge: "ew-resize",
};

/** What can be done at each kind of place. @param {Timeline} t @param {import("./timeline.js").Hit} h @returns {Record<string, string>} */
function wordsOf(t, h) {
  const later =
    t.session.later === "stay"
      ? "later clips stay, with shift they follow"
      : `later clips follow${t.session.later === "follow" ? "" : " on this track"}, with shift they stay`;
  return {
    nothing: "Drag a box around clips to select them · drop recordings here to import them",
    lane: "Drag to mark a span, up or down over more tracks · click to move the playhead",
    tab: `Drag the tab to move the clip, with shift to slide it between its neighbours, with alt to blend where it overlaps · shift-click selects more · ${t.keyOf("takeOut")} removes it`,
    wave: `Drag along the wave to mark a span · ${t.keyOf("split")} splits at the playhead · double-click shows the source`,
    knot: `Drag to roll the cut · click to see it close up · ${t.keyOf("playBlend")} plays it · ${t.keyOf("blend")} blends it`,
    end: `Click to see this end close up · ${t.keyOf("playBlend")} plays it · ${t.keyOf("blend")} fades it`,
    fade: "Drag to set the fade",
    edge: `Drag to trim the ${h.end ?? ""}: ${later} · with ctrl nothing snaps`,
    struck: `Strike: click to see it close up · ${t.keyOf("cover")} covers it, ${t.keyOf("lift")} restores it · drag along it to mark a span`,
    struckEdge: "Drag this edge of the strike · with ctrl nothing snaps",
    frame: `Drag along the shot to mark a span · ${t.keyOf("split")} splits at the playhead, with its sound`,
    pictureCut: "Drag to roll the picture cut with its sound, with alt alone: the sound then leads or lags",
    gain: `Drag up or down to set the gain, with ctrl finely · ${t.keyOf("louder")} and ${t.keyOf("softer")} by 0.5 dB`,
    bead: `Drag the point in time and level; shift keeps one of the two, ctrl is fine · shift-click selects more · ${t.keyOf("takeOut")} removes it`,
    thread: "Click to add a point to the gain line · drag to raise or lower this part · alt-drag a box to select points",
    ribbon: "Drag the ribbon to slip the content; the clip keeps its place and length",
  };
}

/** @param {Timeline} t @param {PointerEvent} e */
export function hover(t, e) {
  const { x, y } = t.point(e),
    h = t.hit(x, y),
    lanes = t.parts.lanes;
  // A gain line without points is in nobody's way: it wants alt.
  const empty = h.what === "thread" && !h.thread?.points.length;
  if (empty) h.what = h.clip ? "wave" : "lane";
  if (h.what === "knot" && h.seam?.kind !== "cut") h.what = "end";
  if (h.track?.locked && ["tab", "edge", "ribbon", "gain", "bead", "thread", "fade", "struckEdge", "pictureCut"].includes(h.what)) {
    lanes.style.cursor = "not-allowed";
    t.hint(`${h.track.name} is locked: unlock it at its head to edit its clips`);
    return;
  }
  lanes.style.cursor = cursors[h.what];
  let text = wordsOf(t, h)[h.what];
  if (h.clip && t.doc.isTied(h.clip.id) && ["tab", "ribbon", "edge"].includes(h.what))
    text +=
      h.what === "edge" && !t.doc.shows(h.clip)
        ? " · with alt its picture goes along"
        : " · what is tied to it goes along, with alt it does not";
  if (empty) text = `Alt-click adds a point to the gain line · ${text}`;
  if (h.point) text = `${beadWords(h.point)} · ${text}`;
  else if (h.clip && h.what !== "fade") text = `${h.clip.name}: ${t.describe(h.clip)} · ${text}`;
  t.hint(text);
}
