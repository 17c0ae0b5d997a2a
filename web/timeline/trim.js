// Trimming and arranging at the bench: the edits that keys and buttons make at
// the playhead, of the span, and of what is copied.

import { panel } from "../lib/panel.js";
import { say, send } from "../app/api.js";
import { frames, span } from "../lib/timecode.js";

/** What was copied, kept so that other reels' pages can paste it. */
const board = "copied";

/** @param {import("../app/app.js").App} app */
export const trimming = (app) =>
  panel({
    // ——— Edits at the playhead and of the span ———

    splitHere() {
      const at = Math.round(app.timeline.playhead),
        clips = app.act.clipsHere();
      if (clips.length)
        void app.mend.edit("split", {
          clips: clips.map((/** @type {Clip} */ c) => c.id),
          at,
          ...(clips.some((/** @type {Clip} */ c) => app.doc.shows(c)) ? { tied: true } : {}),
        });
      else app.page.tell("No clip at the playhead on the active tracks. The up and down keys activate another track.");
    },
    async joinSeam() {
      await app.doc.settled(); // what was pressed before comes first: the seam may be another one then
      const s = app.session.seam,
        two = [...app.session.chosen]
          .map((id) => app.doc.clips.get(id))
          .filter((c) => c !== undefined)
          .sort((a, b) => a.start - b.start);
      if (two.length === 2) await app.mend.edit("join", { left: two[0].id, right: two[1].id });
      else if (s?.kind === "cut") await app.mend.edit("join", { left: s.left, right: s.right });
      else app.page.tell("Select two clips that meet, or their seam, to join them.");
    },
    /** Brings the head or the tail of the clip at the playhead there, or of the nearest one that lies before or after it. @param {"head" | "tail"} end */
    trimHere(end) {
      const at = Math.round(app.timeline.playhead),
        edge = (/** @type {Clip} */ c) => (end === "head" ? c.start : c.start + c.length);
      const chosen = [...app.session.chosen].map((id) => app.doc.clips.get(id)).filter((c) => c !== undefined),
        lanes = app.act.workingClips();
      const over = (/** @type {Clip} */ c) => c.start < at && at < c.start + c.length;
      let clips = chosen.filter(over).length ? chosen.filter(over) : lanes.filter(over);
      const there = lanes.find((/** @type {Clip} */ c) => edge(c) === at);
      if (!clips.length && there) {
        app.page.tell(`The ${end} of “${there.name}” is at the playhead already.`);
        return;
      }
      if (!clips.length) {
        clips = app.doc
          .order()
          .filter((t) => app.session.working.has(t.id))
          .flatMap((t) => {
            const lane = app.doc.lanes.get(t.id) ?? [];
            const c = end === "head" ? lane.find((o) => o.start > at) : lane.findLast((o) => o.start + o.length < at);
            return c ? [c] : [];
          });
      }
      if (clips.length) {
        void app.mend
          .edit("trimTo", { clips: clips.map((/** @type {Clip} */ c) => c.id), end, at, later: app.session.later })
          .then((/** @type {Changed | null} */ c) => {
            // What was cut off has closed: one stands at the head that is there now.
            if (c && end === "head" && app.session.later !== "stay") app.listen.seek(clips[0].start);
          });
      } else app.page.tell("No clip at or next to the playhead on the active tracks.");
    },
    /** @param {boolean} [other] later clips do the other of staying and following */
    takeOut(other = false) {
      if (app.rides.count) return app.rides.remove();
      const later = !other ? app.session.later : app.session.later === "stay" ? app.session.following : "stay",
        s = app.session.span,
        chosen = [...app.session.chosen];
      if (s) {
        void app.mend
          .edit("removeSpan", { from: s.from, to: s.to, tracks: [...app.session.working], later })
          .then((/** @type {Changed | null} */ c) => {
            if (!c) return;
            app.listen.clearSpan();
            if (later !== "stay") app.listen.seek(s.from);
          });
      } else if (chosen.length) void app.mend.edit("remove", { clips: chosen, later, ...(app.doc.ties.size ? { tied: true } : {}) });
      else app.page.tell(`Nothing is selected. Click a clip or mark a span; ${app.keys.keyOf("takeOut")} removes it.`);
    },
    /** @param {boolean} close */
    takeSpanOut(close) {
      this.takeOut(close === (app.session.later === "stay"));
    },
    keepSpan() {
      const s = app.session.span;
      if (s)
        void app.mend
          .edit("keepSpan", { from: s.from, to: s.to, tracks: [...app.session.working], later: app.session.later })
          .then((/** @type {Changed | null} */ c) => c && app.listen.clearSpan());
      else app.page.tell("Mark a span on a clip first. What is outside it is trimmed off.");
    },
    closeGap() {
      this.closeGapAt(
        app.clips.tracks.find((/** @type {any} */ t) => app.session.working.has(t.id))?.id ?? app.session.target,
        Math.round(app.timeline.playhead),
      );
    },
    /** @param {number} track @param {number} at */
    closeGapAt(track, at) {
      void app.mend.edit("closeGap", { track, at, later: app.session.later === "stay" ? "followTrack" : app.session.later });
    },
    insertTime() {
      const s = app.session.span;
      if (s)
        void app.mend.edit("insertTime", {
          at: s.from,
          length: s.to - s.from,
          tracks: [...app.session.working],
          later: app.session.later === "stay" ? "follow" : app.session.later,
        });
      else app.page.tell("Mark a span first: that much time is inserted at its start.");
    },
    /** Marks the clip or the gap at the playhead as a span. */
    spanHere() {
      const at = Math.round(app.timeline.playhead),
        lane = app.act.workingClips();
      const c = lane.find((/** @type {Clip} */ o) => o.start <= at && at < o.start + o.length);
      const from = c
        ? c.start
        : Math.max(
            0,
            ...lane.filter((/** @type {Clip} */ o) => o.start + o.length <= at).map((/** @type {Clip} */ o) => o.start + o.length),
          );
      const to = c
        ? c.start + c.length
        : Math.min(...lane.filter((/** @type {Clip} */ o) => o.start > at).map((/** @type {Clip} */ o) => o.start));
      if (!Number.isFinite(to)) {
        app.page.tell("Nothing after the playhead on the active tracks.");
        return;
      }
      app.session.span = { from, to };
      app.timeline.redraw();
    },

    // ——— Copies ———

    async copy() {
      const s = app.session.span,
        clips = [...app.session.chosen];
      if (!s && !clips.length) {
        app.page.tell("Nothing to copy. Select clips, or mark a span.");
        return false;
      }
      try {
        const x = /** @type {Excerpt} */ (
          await send("POST", `/reels/${app.doc.id}/excerpts`, s ? { from: s.from, to: s.to, tracks: [...app.session.working] } : { clips })
        );
        localStorage.setItem(board, JSON.stringify(x));
        app.page.hint = `Copied ${x.clips.length} ${x.clips.length === 1 ? "clip" : "clips"}, ${span(x.length, app.doc.props)}, ${frames(x.length, app.doc.props).toFixed(1)} frames; ${app.keys.keyOf("paste")} pastes at the playhead`;
        return true;
      } catch (err) {
        app.page.tell(err instanceof DOMException ? "Too much to copy: the browser cannot hold it." : say(err));
        return false;
      }
    },
    async cut() {
      if (await this.copy()) this.takeOut();
    },
    paste() {
      const text = localStorage.getItem(board);
      if (!text) {
        app.page.tell(`Nothing copied yet. Select clips or mark a span, then press ${app.keys.keyOf("copy")}.`);
        return;
      }
      const track = app.clips.tracks.find((/** @type {any} */ t) => app.session.working.has(t.id))?.id,
        what = JSON.parse(text),
        at = Math.round(app.timeline.playhead);
      void app.mend.edit("paste", { what, track, at, later: app.session.later }).then((/** @type {Changed | null} */ c) => {
        if (!c) return;
        app.clips.chooseClips(c.outcome.made ?? []);
        app.listen.seek(at + what.length);
      });
    },
    /** Moves the chosen clips to the track above or below. @param {number} down */
    moveClips(down) {
      const clips = [...app.session.chosen];
      if (clips.length) void app.mend.edit("move", { clips, by: 0, down });
      else app.page.tell("No clip is selected.");
    },
    goToSource() {
      const c = app.clips.clip ?? app.act.clipsHere()[0] ?? app.doc.clips.get(app.session.seam?.right || app.session.seam?.left || 0);
      if (c) app.sources.showSource(c.source, { from: c.offset, to: c.offset + c.length });
    },
  });
