// What the keys and buttons of the bench act on: an edge, the cut, clips, and the
// tracks that are worked on; and how later clips and snapping are set.

import { frameLength, lengthOf, noLength } from "../lib/timecode.js";
import { count } from "../lib/words.js";

/**
 * @param {import("./bench.js").Tools} tools
 * @returns {object & ThisType<any>}
 */
export const acting = (tools) => ({
  // ——— What is acted on ———

  /** @param {string} what */
  actOn(what) {
    const clips = ["clip", "slip", "slide"].includes(what);
    if (clips && !tools.timeline.chosen.size) {
      // The clip of the seam, or the one at the playhead, is meant.
      const id = this.seam?.right || this.seam?.left;
      if (id && tools.doc.clips.has(id)) this.chooseClips([id]);
    }
    if (!clips && tools.timeline.chosen.size) this.chooseClips([]);
    if (what === "slide" && tools.timeline.chosen.size > 1) {
      this.tell("Only one clip can slide at a time. Select one.");
      return;
    }
    this.acting = what;
    this.hint = this.actText();
  },
  /** What [ and ] would move, in words. */
  actText() {
    const s = this.seam, left = tools.doc.clips.get(s?.left)?.name, right = tools.doc.clips.get(s?.right)?.name;
    const keys = `${this.keyOf("earlier")} and ${this.keyOf("later")}`, n = this.chosenCount;
    /** @type {Record<string, string>} */
    const words = {
      out: left ? `${keys} trim the tail of ${left}` : "Nothing outgoing here",
      in: right ? `${keys} trim the head of ${right}` : "Nothing incoming here",
      cut: s?.kind === "cut" ? `${keys} roll the cut of ${left} and ${right}` : `${keys} trim the edge`,
      blend: s?.kind === "cut" ? `${keys} make the blend shorter and longer` : `${keys} make the fade shorter and longer`,
      clip: `${keys} move ${n === 1 ? this.clip?.name ?? "the clip" : `${n} clips`}`,
      slip: `${keys} slip the content of ${n === 1 ? this.clip?.name ?? "the clip" : `${n} clips`}`,
      lead: `${keys} let the sound lead or lag its picture by a frame more`,
      slide: `${keys} slide ${this.clip?.name ?? "the clip"} between its neighbours`,
    };
    if (s?.kind === "struck" && !n) return `${keys} move ${this.acting === "in" ? "the last edge" : this.acting === "cut" ? "the whole" : this.acting === "blend" ? "both fades" : "the first edge"} of the strike`;
    return words[this.acting] ?? "";
  },
  /** What can be acted on where one is, for the row of choices: its name here, in words, and shorter. */
  acts() {
    if (this.chosenCount) return [["clip", "Move"], ["slip", "Slip"], ...(this.chosenCount === 1 ? [["slide", "Slide"]] : [])];
    const kind = this.seam?.kind;
    if (kind === "struck") return [["out", "First edge", "First"], ["cut", "Whole"], ["in", "Last edge", "Last"], ["blend", "Fades"]];
    if (kind === "cut") return [["out", "Out edge", "Out"], ["cut", "Cut"], ["in", "In edge", "In"], ["blend", "Blend"], ...(this.seam?.cut ? [["lead", "Lead"]] : [])];
    return kind ? [[kind === "head" ? "in" : "out", "Edge"], ["blend", "Fade"]] : [];
  },
  /** @param {string} what */
  isActing(what) {
    const at = this.acting;
    if (this.seam?.kind === "struck" && !this.chosenCount) return at === what || (what === "out" && at === "from");
    return at === what || (this.seam && this.seam.kind !== "cut" && !this.chosenCount && at !== "blend" && what !== "blend");
  },

  /** By key what is tied goes along; parts of a frame are for the clip alone. */
  tiedToo(/** @type {number} */ by) {
    return tools.doc.ties.size && Math.abs(by) >= frameLength(tools.doc.props) - 1 ? { tied: true } : {};
  },

  /** A nudge's own size, as it was typed. */
  nudgeBy: "100 ms",
  /** @param {HTMLInputElement} field */
  setNudgeBy(field) {
    const v = field.value.trim(), n = lengthOf(v, tools.doc.props, "f");
    if (n > 0) this.nudgeBy = /[a-z:]/i.test(v) ? v : `${v} f`;
    else this.tell(noLength(v));
    field.value = this.nudgeBy;
  },
  /** Nudges by the typed size. @param {1 | -1} way */
  nudgeTyped(way) {
    const n = lengthOf(this.nudgeBy, tools.doc.props, "f");
    if (n > 0) void this.nudge(way * n);
  },

  nudging: { by: 0, busy: false },
  /** Moves what is acted on by so many samples. What a key that is held down adds meanwhile goes in one. @param {number} by */
  async nudge(by) {
    this.nudging.by += by;
    if (this.nudging.busy) return;
    this.nudging.busy = true;
    while (this.nudging.by) {
      await tools.doc.settled(); // what was pressed before comes first
      const n = this.nudging.by;
      this.nudging.by = 0;
      await this.nudgeNow(n);
    }
    this.nudging.busy = false;
  },
  /** @param {number} by @returns {Promise<unknown> | undefined} */
  nudgeNow(by) {
    const chosen = [...tools.timeline.chosen], s = this.seam;
    if (chosen.length) {
      if (this.acting === "slip") return this.edit("slip", { clips: chosen, by, ...this.tiedToo(by) });
      if (this.acting === "slide" && chosen.length === 1) return this.edit("slide", { clip: chosen[0], by, ...this.tiedToo(by) });
      return this.edit("move", { clips: chosen, by, ...this.tiedToo(by) });
    }
    if (!s) return undefined;
    if (s.kind === "struck") return this.nudgeStrike(by);
    if (this.acting === "lead" && s.cut) return this.nudgeLead(by);
    if (this.acting === "blend") return this.nudgeLength(by);
    const end = s.kind === "head" || (s.kind === "cut" && this.acting === "in") ? "head" : s.kind === "tail" || this.acting === "out" ? "tail" : "";
    if (!end) return this.edit("roll", { left: s.left, right: s.right, by });
    return this.edit("trim", { clips: [end === "head" ? s.right : s.left], end, by, later: this.later });
  },
  /** Makes the blend or fade longer by so many samples. @param {number} by @returns {Promise<unknown> | undefined} */
  nudgeLength(by) {
    const s = this.seam;
    if (s.kind === "cut") {
      if (tools.doc.blendOf(s.left, s.right)) return this.setLength(this.blendNow().before + this.blendNow().after + by);
      this.tell(`No blend on this seam. ${this.keyOf("blend")} adds one.`);
      return undefined;
    }
    const c = tools.doc.clips.get(s.right || s.left), end = s.kind === "head" ? "head" : "tail";
    return c && this.setFade(c.id, end, { length: Math.max((end === "head" ? c.fadeIn : c.fadeOut).length + by, 0) });
  },

  // ——— The tracks that are worked on ———

  takeWorking() {
    const w = tools.timeline.working;
    for (const id of [...w]) if (!tools.doc.tracks.has(id)) w.delete(id);
    if (!w.size && this.tracks[0]) w.add(this.tracks[0].id);
    this.working = [...w];
    if (tools.timeline.span) this.takeSpan();
    if (!w.has(this.target)) this.target = this.tracks.find((/** @type {any} */ t) => w.has(t.id))?.id ?? this.target;
    tools.timeline.redraw();
  },
  /** @param {number} id */
  isWorking(id) {
    return this.working.includes(id);
  },
  /** Works on the track above or below, or on it as well. @param {number} by @param {boolean} more */
  workOn(by, more) {
    const order = tools.doc.order(), at = order.map((t, i) => (tools.timeline.working.has(t.id) ? i : -1)).filter((i) => i >= 0);
    const edge = by < 0 ? Math.min(...at) : Math.max(...at), next = order[Math.min(Math.max(edge + by, 0), order.length - 1)];
    if (!next) return;
    if (more) tools.timeline.working.add(next.id);
    else tools.timeline.working = new Set([next.id]);
    if (this.track) this.track = { ...next };
    this.takeWorking();
    this.hint = more ? `${count(tools.timeline.working.size, "track is", "tracks are")} active` : `${next.name} is active`;
    const row = tools.timeline.layout().find((r) => r.track.id === next.id), box = tools.timeline.parts.tracks;
    if (row && row.top < box.scrollTop) box.scrollTop = row.top;
    else if (row && row.top + row.height > box.scrollTop + box.clientHeight) box.scrollTop = row.top + row.height - box.clientHeight;
  },
  /** @returns {Clip[]} the clips of the tracks that are worked on, as shown and by start */
  workingClips() {
    return tools.doc.order().filter((t) => tools.timeline.working.has(t.id)).flatMap((t) => tools.doc.lanes.get(t.id) ?? []);
  },
  /** The clips that a key at the playhead means: of those chosen, or of the tracks worked on. @returns {Clip[]} */
  clipsHere() {
    const at = Math.round(tools.timeline.playhead), over = (/** @type {Clip} */ c) => c.start <= at && at < c.start + c.length;
    const chosen = [...tools.timeline.chosen].map((id) => tools.doc.clips.get(id)).filter((c) => c !== undefined && over(c));
    return chosen.length ? /** @type {Clip[]} */ (chosen) : this.workingClips().filter(over);
  },
  /** @param {"mute" | "solo" | "locked"} what */
  switchWorking(what) {
    for (const id of tools.timeline.working) {
      const t = tools.doc.tracks.get(id);
      if (t) this.setTrack(id, { [what]: !t[what] });
    }
  },

  /** @param {Later} later */
  setLater(later) {
    this.later = tools.timeline.later = later;
    if (later !== "stay") tools.timeline.following = later;
    this.hint = later === "stay" ? "Later clips stay: trims and removals leave a gap"
      : later === "follow" ? "Later clips follow on all tracks that ripple: trims and removals close up" : "Later clips follow on this track; other tracks stay";
  },
  /** @param {boolean} on */
  setSnapping(on) {
    this.snapping = tools.timeline.snapping = on;
    this.hint = on ? "Snapping to edges, the playhead, markers and frames" : "Snapping is off";
  },
});
