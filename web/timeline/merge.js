// Clips become one recording and one clip, and come apart again.

import { say } from "../app/api.js";
import { panel } from "../lib/panel.js";

/** @param {import("../app/app.js").App} app */
export const merging = (app) =>
  panel({
    /** What would be merged: the selected clips, or the span on the one active track. @returns {Record<string, any> | null} */
    what() {
      const s = app.session.span,
        clips = app.levels.clips().map((c) => c.id),
        tracks = app.doc.order().filter((t) => app.session.working.has(t.id) && t.role !== "picture");
      if (clips.length > 1 || (clips.length === 1 && !s)) return { clips };
      if (s && tracks.length === 1) return { track: tracks[0].id, from: s.from, to: s.to };
      app.page.tell(
        s
          ? "Several tracks are active. Activate one to merge what it holds in the span, or select clips."
          : "Select clips that meet, or mark a span on one track, to merge them.",
      );
      return null;
    },
    /** @param {boolean} [plain] without gains and rides */
    async merge(plain = false) {
      const what = this.what();
      if (!what) return;
      app.page.hint = "Merging…";
      try {
        const c = await app.doc.step(`/reels/${app.doc.id}/merge`, () => ({ base: app.doc.revision, ...what, plain }));
        if (c.outcome.notes?.length) app.page.tell(c.outcome.notes.join(" "));
        app.page.hint = `${c.outcome.says?.join(" · ") ?? ""}. ${app.keys.keyOf("unmerge")} restores its clips.`;
        app.clips.chooseClips(c.outcome.made ?? []);
      } catch (err) {
        app.page.hint = "";
        app.page.tell(say(err));
      }
    },
    /** Whether a clip was made by merging. @param {Clip | undefined} c */
    merged: (c) => Boolean(c && app.doc.sources.get(c.source)?.former),
    async unmerge() {
      const [clip] = app.levels.clips(),
        c = clip ?? app.act.clipsHere()[0];
      if (!c) {
        app.page.tell("Select a merged clip to restore the clips it was made of.");
        return;
      }
      const done = await app.mend.edit("unmerge", { clip: c.id });
      if (done) app.clips.chooseClips(done.outcome.made ?? []);
    },
  });
