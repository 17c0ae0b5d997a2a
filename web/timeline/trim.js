// Trimming and arranging at the bench: the edits that keys and buttons make at
// the playhead, of the span, and of what is copied.

import { say, send } from "../app/api.js";
import { frames, span } from "../lib/timecode.js";

/** What was copied, kept so that other reels' pages can paste it. */
const board = "copied";

/**
 * @param {import("../app/bench.js").Tools} tools
 * @returns {object & ThisType<any>}
 */
export const trimming = (tools) => ({
  // ——— Edits at the playhead and of the span ———

  splitHere() {
    const at = Math.round(tools.timeline.playhead), clips = this.clipsHere();
    if (clips.length) void this.edit("split", { clips: clips.map((/** @type {Clip} */ c) => c.id), at, ...(clips.some((/** @type {Clip} */ c) => tools.doc.shows(c)) ? { tied: true } : {}) });
    else this.tell("No clip at the playhead on the active tracks. The up and down keys activate another track.");
  },
  async joinSeam() {
    await tools.doc.settled(); // what was pressed before comes first: the seam may be another one then
    const s = this.seam, two = [...tools.timeline.chosen].map((id) => tools.doc.clips.get(id)).filter((c) => c !== undefined).sort((a, b) => a.start - b.start);
    if (two.length === 2) await this.edit("join", { left: two[0].id, right: two[1].id });
    else if (s?.kind === "cut") await this.edit("join", { left: s.left, right: s.right });
    else this.tell("Select two clips that meet, or their seam, to join them.");
  },
  /** Brings the head or the tail of the clip at the playhead there, or of the nearest one that lies before or after it. @param {"head" | "tail"} end */
  trimHere(end) {
    const at = Math.round(tools.timeline.playhead), edge = (/** @type {Clip} */ c) => (end === "head" ? c.start : c.start + c.length);
    const chosen = [...tools.timeline.chosen].map((id) => tools.doc.clips.get(id)).filter((c) => c !== undefined), lanes = this.workingClips();
    const over = (/** @type {Clip} */ c) => c.start < at && at < c.start + c.length;
    let clips = chosen.filter(over).length ? chosen.filter(over) : lanes.filter(over);
    const there = lanes.find((/** @type {Clip} */ c) => edge(c) === at);
    if (!clips.length && there) {
      this.tell(`The ${end} of “${there.name}” is at the playhead already.`);
      return;
    }
    if (!clips.length) {
      clips = tools.doc.order().filter((t) => tools.timeline.working.has(t.id)).flatMap((t) => {
        const lane = tools.doc.lanes.get(t.id) ?? [];
        const c = end === "head" ? lane.find((o) => o.start > at) : lane.findLast((o) => o.start + o.length < at);
        return c ? [c] : [];
      });
    }
    if (clips.length) {
      void this.edit("trimTo", { clips: clips.map((/** @type {Clip} */ c) => c.id), end, at, later: this.later }).then((/** @type {Changed | null} */ c) => {
        // What was cut off has closed: one stands at the head that is there now.
        if (c && end === "head" && this.later !== "stay") this.seek(clips[0].start);
      });
    }
    else this.tell("No clip at or next to the playhead on the active tracks.");
  },
  /** @param {boolean} [other] later clips do the other of staying and following */
  takeOut(other = false) {
    const later = !other ? this.later : this.later === "stay" ? tools.timeline.following : "stay", s = tools.timeline.span, chosen = [...tools.timeline.chosen];
    if (s) {
      void this.edit("removeSpan", { from: s.from, to: s.to, tracks: [...tools.timeline.working], later }).then((/** @type {Changed | null} */ c) => {
        if (!c) return;
        this.clearSpan();
        if (later !== "stay") this.seek(s.from);
      });
    } else if (chosen.length) void this.edit("remove", { clips: chosen, later, ...(tools.doc.ties.size ? { tied: true } : {}) });
    else this.tell(`Nothing is selected. Click a clip or mark a span; ${this.keyOf("takeOut")} removes it.`);
  },
  /** @param {boolean} close */
  takeSpanOut(close) {
    this.takeOut(close === (this.later === "stay"));
  },
  keepSpan() {
    const s = tools.timeline.span;
    if (s) void this.edit("keepSpan", { from: s.from, to: s.to, tracks: [...tools.timeline.working], later: this.later }).then((/** @type {Changed | null} */ c) => c && this.clearSpan());
    else this.tell("Mark a span on a clip first. What is outside it is trimmed off.");
  },
  closeGap() {
    this.closeGapAt(this.tracks.find((/** @type {any} */ t) => tools.timeline.working.has(t.id))?.id ?? this.target, Math.round(tools.timeline.playhead));
  },
  /** @param {number} track @param {number} at */
  closeGapAt(track, at) {
    void this.edit("closeGap", { track, at, later: this.later === "stay" ? "followTrack" : this.later });
  },
  insertTime() {
    const s = tools.timeline.span;
    if (s) void this.edit("insertTime", { at: s.from, length: s.to - s.from, tracks: [...tools.timeline.working], later: this.later === "stay" ? "follow" : this.later });
    else this.tell("Mark a span first: that much time is inserted at its start.");
  },
  /** Marks the clip or the gap at the playhead as a span. */
  spanHere() {
    const at = Math.round(tools.timeline.playhead), lane = this.workingClips();
    const c = lane.find((/** @type {Clip} */ o) => o.start <= at && at < o.start + o.length);
    const from = c ? c.start : Math.max(0, ...lane.filter((/** @type {Clip} */ o) => o.start + o.length <= at).map((/** @type {Clip} */ o) => o.start + o.length));
    const to = c ? c.start + c.length : Math.min(...lane.filter((/** @type {Clip} */ o) => o.start > at).map((/** @type {Clip} */ o) => o.start));
    if (!Number.isFinite(to)) {
      this.tell("Nothing after the playhead on the active tracks.");
      return;
    }
    tools.timeline.span = { from, to };
    tools.timeline.redraw();
    this.takeSpan();
  },

  // ——— Copies ———

  async copy() {
    const s = tools.timeline.span, clips = [...tools.timeline.chosen];
    if (!s && !clips.length) {
      this.tell("Nothing to copy. Select clips, or mark a span.");
      return false;
    }
    try {
      const x = /** @type {Excerpt} */ (await send("POST", `/reels/${tools.doc.id}/excerpts`, s ? { from: s.from, to: s.to, tracks: [...tools.timeline.working] } : { clips }));
      localStorage.setItem(board, JSON.stringify(x));
      this.hint = `Copied ${x.clips.length} ${x.clips.length === 1 ? "clip" : "clips"}, ${span(x.length, tools.doc.props)}, ${frames(x.length, tools.doc.props).toFixed(1)} frames; ${this.keyOf("paste")} pastes at the playhead`;
      return true;
    } catch (err) {
      this.tell(err instanceof DOMException ? "Too much to copy: the browser cannot hold it." : say(err));
      return false;
    }
  },
  async cut() {
    if (await this.copy()) this.takeOut();
  },
  paste() {
    const text = localStorage.getItem(board);
    if (!text) {
      this.tell(`Nothing copied yet. Select clips or mark a span, then press ${this.keyOf("copy")}.`);
      return;
    }
    const track = this.tracks.find((/** @type {any} */ t) => tools.timeline.working.has(t.id))?.id, what = JSON.parse(text), at = Math.round(tools.timeline.playhead);
    void this.edit("paste", { what, track, at, later: this.later }).then((/** @type {Changed | null} */ c) => {
      if (!c) return;
      this.chooseClips(c.outcome.made ?? []);
      this.seek(at + what.length);
    });
  },
  /** Moves the chosen clips to the track above or below. @param {number} down */
  moveClips(down) {
    const clips = [...tools.timeline.chosen];
    if (clips.length) void this.edit("move", { clips, by: 0, down });
    else this.tell("No clip is selected.");
  },
  goToSource() {
    const c = this.clip ?? this.clipsHere()[0] ?? tools.doc.clips.get(this.seam?.right || this.seam?.left);
    if (c) this.showSource(c.source, { from: c.offset, to: c.offset + c.length });
  },
});
