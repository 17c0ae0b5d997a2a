// What the keys and buttons of the bench act on: an edge, the cut, clips, and the
// tracks that are worked on; and how later clips and snapping are set.

import { panel } from "../lib/panel.js";
import { frameLength, lengthOf, noLength } from "../lib/timecode.js";
import { count } from "../lib/words.js";

/** @param {import("./app.js").App} app */
export const acting = (app) =>
  panel({
    // ——— What is acted on ———

    /** @param {string} what */
    actOn(what) {
      const clips = ["clip", "slip", "slide"].includes(what);
      if (clips && !app.session.chosen.size) {
        // The clip of the seam, or the one at the playhead, is meant.
        const id = app.session.seam?.right || app.session.seam?.left;
        if (id && app.doc.clips.has(id)) app.clips.chooseClips([id]);
      }
      if (!clips && app.session.chosen.size) app.clips.chooseClips([]);
      if (what === "slide" && app.session.chosen.size > 1) {
        app.page.tell("Only one clip can slide at a time. Select one.");
        return;
      }
      app.session.acting = what;
      app.page.hint = this.actText();
    },
    /** What [ and ] would move, in words. */
    actText() {
      const s = app.session.seam,
        left = app.doc.clips.get(s?.left ?? 0)?.name,
        right = app.doc.clips.get(s?.right ?? 0)?.name;
      const keys = `${app.keys.keyOf("earlier")} and ${app.keys.keyOf("later")}`,
        n = app.clips.chosenCount;
      /** @type {Record<string, string>} */
      const words = {
        out: left ? `${keys} trim the tail of ${left}` : "Nothing outgoing here",
        in: right ? `${keys} trim the head of ${right}` : "Nothing incoming here",
        cut: s?.kind === "cut" ? `${keys} roll the cut of ${left} and ${right}` : `${keys} trim the edge`,
        blend: s?.kind === "cut" ? `${keys} make the blend shorter and longer` : `${keys} make the fade shorter and longer`,
        clip: `${keys} move ${n === 1 ? (app.clips.clip?.name ?? "the clip") : `${n} clips`}`,
        slip: `${keys} slip the content of ${n === 1 ? (app.clips.clip?.name ?? "the clip") : `${n} clips`}`,
        lead: `${keys} let the sound lead or lag its picture by a frame more`,
        slide: `${keys} slide ${app.clips.clip?.name ?? "the clip"} between its neighbours`,
      };
      if (s?.kind === "struck" && !n)
        return `${keys} move ${app.session.acting === "in" ? "the last edge" : app.session.acting === "cut" ? "the whole" : app.session.acting === "blend" ? "both fades" : "the first edge"} of the strike`;
      return words[app.session.acting] ?? "";
    },
    /** What can be acted on where one is, for the row of choices: its name here, in words, and shorter. */
    acts() {
      if (app.clips.chosenCount) return [["clip", "Move"], ["slip", "Slip"], ...(app.clips.chosenCount === 1 ? [["slide", "Slide"]] : [])];
      const kind = app.session.seam?.kind;
      if (kind === "struck")
        return [
          ["out", "First edge", "First"],
          ["cut", "Whole"],
          ["in", "Last edge", "Last"],
          ["blend", "Fades"],
        ];
      if (kind === "cut")
        return [
          ["out", "Out edge", "Out"],
          ["cut", "Cut"],
          ["in", "In edge", "In"],
          ["blend", "Blend"],
          ...(app.session.seam?.cut ? [["lead", "Lead"]] : []),
        ];
      return kind
        ? [
            [kind === "head" ? "in" : "out", "Edge"],
            ["blend", "Fade"],
          ]
        : [];
    },
    /** @param {string} what */
    isActing(what) {
      const at = app.session.acting;
      if (app.session.seam?.kind === "struck" && !app.clips.chosenCount) return at === what || (what === "out" && at === "from");
      return (
        at === what || (app.session.seam && app.session.seam.kind !== "cut" && !app.clips.chosenCount && at !== "blend" && what !== "blend")
      );
    },

    /** By key what is tied goes along; parts of a frame are for the clip alone. */
    tiedToo(/** @type {number} */ by) {
      return app.doc.ties.size && Math.abs(by) >= frameLength(app.doc.props) - 1 ? { tied: true } : {};
    },

    /** A nudge's own size, as it was typed. */
    nudgeBy: "100 ms",
    /** @param {HTMLInputElement} field */
    setNudgeBy(field) {
      const v = field.value.trim(),
        n = lengthOf(v, app.doc.props, "f");
      if (n > 0) this.nudgeBy = /[a-z:]/i.test(v) ? v : `${v} f`;
      else app.page.tell(noLength(v));
      field.value = this.nudgeBy;
    },
    /** Nudges by the typed size. @param {1 | -1} way */
    nudgeTyped(way) {
      const n = lengthOf(this.nudgeBy, app.doc.props, "f");
      if (n > 0) void this.nudge(way * n);
    },

    nudging: { by: 0, busy: false },
    /** Moves what is acted on by so many samples. What a key that is held down adds meanwhile goes in one. @param {number} by */
    async nudge(by) {
      this.nudging.by += by;
      if (this.nudging.busy) return;
      this.nudging.busy = true;
      while (this.nudging.by) {
        await app.doc.settled(); // what was pressed before comes first
        const n = this.nudging.by;
        this.nudging.by = 0;
        await this.nudgeNow(n);
      }
      this.nudging.busy = false;
    },
    /** @param {number} by @returns {Promise<unknown> | undefined} */
    nudgeNow(by) {
      if (app.rides.count) return app.rides.move({ by });
      const chosen = [...app.session.chosen],
        s = app.session.seam;
      if (chosen.length) {
        if (app.session.acting === "slip") return app.mend.edit("slip", { clips: chosen, by, ...this.tiedToo(by) });
        if (app.session.acting === "slide" && chosen.length === 1)
          return app.mend.edit("slide", { clip: chosen[0], by, ...this.tiedToo(by) });
        return app.mend.edit("move", { clips: chosen, by, ...this.tiedToo(by) });
      }
      if (!s) return undefined;
      if (s.kind === "struck") return app.strike.nudgeStrike(by);
      if (app.session.acting === "lead" && s.cut) return app.lead.nudgeLead(by);
      if (app.session.acting === "blend") return this.nudgeLength(by);
      const end =
        s.kind === "head" || (s.kind === "cut" && app.session.acting === "in")
          ? "head"
          : s.kind === "tail" || app.session.acting === "out"
            ? "tail"
            : "";
      if (!end) return app.mend.edit("roll", { left: s.left, right: s.right, by });
      return app.mend.edit("trim", { clips: [end === "head" ? s.right : s.left], end, by, later: app.session.later });
    },
    /** Makes the blend or fade longer by so many samples. @param {number} by @returns {Promise<unknown> | undefined} */
    nudgeLength(by) {
      const s = app.session.seam;
      if (!s) return undefined;
      if (s.kind === "cut") {
        if (app.doc.blendOf(s.left, s.right)) return app.mend.setLength(app.mend.blendNow().before + app.mend.blendNow().after + by);
        app.page.tell(`No blend on this seam. ${app.keys.keyOf("blend")} adds one.`);
        return undefined;
      }
      const c = app.doc.clips.get(s.right || s.left),
        end = s.kind === "head" ? "head" : "tail";
      return c && app.mend.setFade(c.id, end, { length: Math.max((end === "head" ? c.fadeIn : c.fadeOut).length + by, 0) });
    },

    // ——— The tracks that are worked on ———

    takeWorking() {
      const there = [...app.session.working].filter((id) => app.doc.tracks.has(id)),
        w = new Set(there.length || !app.clips.tracks[0] ? there : [app.clips.tracks[0].id]);
      if (w.size !== app.session.working.size || ![...w].every((id) => app.session.working.has(id))) app.session.working = w;
      if (!w.has(app.session.target))
        app.session.target = app.clips.tracks.find((/** @type {any} */ t) => w.has(t.id))?.id ?? app.session.target;
      app.timeline.redraw();
    },
    /** @param {number} id */
    isWorking(id) {
      return app.session.working.has(id);
    },
    /** Works on the track above or below, or on it as well. @param {number} by @param {boolean} more */
    workOn(by, more) {
      const order = app.doc.order(),
        at = order.map((t, i) => (app.session.working.has(t.id) ? i : -1)).filter((i) => i >= 0);
      const edge = by < 0 ? Math.min(...at) : Math.max(...at),
        next = order[Math.min(Math.max(edge + by, 0), order.length - 1)];
      if (!next) return;
      app.session.working = new Set(more ? [...app.session.working, next.id] : [next.id]);
      if (app.session.track) app.session.track = { ...next };
      this.takeWorking();
      app.page.hint = more ? `${count(app.session.working.size, "track is", "tracks are")} active` : `${next.name} is active`;
      const row = app.timeline.layout().find((r) => r.track.id === next.id),
        box = app.timeline.parts.tracks;
      if (row && row.top < box.scrollTop) box.scrollTop = row.top;
      else if (row && row.top + row.height > box.scrollTop + box.clientHeight) box.scrollTop = row.top + row.height - box.clientHeight;
    },
    /** @returns {Clip[]} the clips of the tracks that are worked on, as shown and by start */
    workingClips() {
      return app.doc
        .order()
        .filter((t) => app.session.working.has(t.id))
        .flatMap((t) => app.doc.lanes.get(t.id) ?? []);
    },
    /** The clips that a key at the playhead means: of those chosen, or of the tracks worked on. @returns {Clip[]} */
    clipsHere() {
      const at = Math.round(app.timeline.playhead),
        over = (/** @type {Clip} */ c) => c.start <= at && at < c.start + c.length;
      const chosen = [...app.session.chosen].map((id) => app.doc.clips.get(id)).filter((c) => c !== undefined && over(c));
      return chosen.length ? /** @type {Clip[]} */ (chosen) : this.workingClips().filter(over);
    },
    /** @param {"mute" | "solo" | "locked"} what */
    switchWorking(what) {
      for (const id of app.session.working) {
        const t = app.doc.tracks.get(id);
        if (t) app.clips.setTrack(id, { [what]: !t[what] });
      }
    },

    /** @param {Later} later */
    setLater(later) {
      app.session.later = later;
      if (later !== "stay") app.session.following = later;
      app.page.hint =
        later === "stay"
          ? "Later clips stay: trims and removals leave a gap"
          : later === "follow"
            ? "Later clips follow on all tracks that ripple: trims and removals close up"
            : "Later clips follow on this track; other tracks stay";
    },
    /** @param {boolean} on */
    setSnapping(on) {
      app.session.snapping = on;
      app.page.hint = on ? "Snapping to edges, the playhead, markers and frames" : "Snapping is off";
    },
  });
