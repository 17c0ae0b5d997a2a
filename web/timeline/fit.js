// Clips are played slower or faster with their pitch kept, to fit their place. What that
// takes is computed by the server as a job; until it is there the clip is as it was.

import { Problem, say, send } from "../app/api.js";
import { panel } from "../lib/panel.js";
import { lengthOf, noLength, span, typed } from "../lib/timecode.js";
import { ended } from "../jobs/jobs.js";

/** How many times as long as recorded a source is. @param {Source | undefined} s */
export function factorOf(s) {
  if (s?.picture) return s.picture.own ? (s.picture.over ?? 0) / s.picture.own : 1;
  return s?.fit ? s.length / (s.fit.to - s.fit.from) : 1;
}

/** Clips of sound tied to a shot that can run with it. @param {import("../app/doc.js").Doc} doc @param {Clip | undefined | null} shot */
export function soundsWith(doc, shot) {
  const runs = (/** @type {Clip | undefined} */ c) => {
    const src = c && doc.sources.get(c.source);
    return src && src.recording && !src.bed;
  };
  return [...doc.ties.values()]
    .filter((t) => t.shot === shot?.id && runs(doc.clips.get(t.clip)))
    .map((t) => /** @type {Clip} */ (doc.clips.get(t.clip)));
}

/** A factor in words. @param {number} f */
export const percent = (f) => `${(f * 100).toFixed(Math.abs(f * 100 - Math.round(f * 100)) < 0.05 ? 0 : 1)} %`;

/** @param {import("../app/app.js").App} app */
export const fitting = (app) =>
  panel({
    /** The clip that is fitted: the one that is selected, or at the playhead. @returns {Clip | undefined} */
    clip() {
      const c = [...app.session.chosen].map((id) => app.doc.clips.get(id)).find((o) => o) ?? app.act.clipsHere()[0];
      if (!c) app.page.tell("Select a clip to fit it.");
      return c;
    },
    /** @param {Clip} c */
    factor: (c) => factorOf(app.doc.sources.get(c.source)),
    /** @param {Clip | undefined} c */
    text(c) {
      if (this.stands(c)) return "still";
      return c ? percent(this.factor(c)) : "";
    },
    /** Whether a shot stands on a frame. @param {Clip | undefined} c */
    stands: (c) => Boolean(c && app.doc.sources.get(c.source)?.picture?.held),
    /** Whether a clip plays as it was recorded. @param {Clip} c */
    recorded(c) {
      return this.factor(c) === 1 && !this.stands(c);
    },
    /** Has the selected shot, or the one at the playhead, stand still on the frame at the playhead. */
    async freeze() {
      const at = app.timeline.playhead,
        chosen = [...app.session.chosen].map((id) => app.doc.clips.get(id)),
        c = chosen.find((o) => o && app.doc.shows(o)) ?? app.picture.shotHere(at);
      if (!c) return app.page.tell("No shot is at the playhead. Select a shot to freeze it.");
      app.clips.chooseClips([c.id]); // its card says that it stands
      await app.mend.edit("paceShot", { shot: c.id, freeze: Math.min(Math.max(at, c.start), c.start + c.length - 1) });
    },
    /** Whether the sound that is tied to a shot runs with it. */
    along: true,
    /** @param {Clip | undefined | null} shot */
    sounds: (shot) => soundsWith(app.doc, shot),
    /**
     * Has a shot run slower or faster: alone at once, with its sound once that is computed.
     * @param {Clip} c @param {number} length @param {string} later @param {boolean} along
     */
    async askShot(c, length, later, along) {
      if (!along || !this.sounds(c).length) return void (await app.mend.edit("paceShot", { shot: c.id, length, later }));
      await this.begin("shot-fits", c, { shot: c.id, length, later }, (offer) => this.askShot(c, offer.length, later, along));
    },
    /** The job that fits a clip. @param {Clip | undefined} c */
    job: (c) => app.jobs.list.find((j) => j.kind === "fit" && j.clip === c?.id && !ended(j)),
    /** @param {Clip | undefined} c */
    jobText(c) {
      const j = this.job(c);
      return j ? `Fitting, ${app.jobs.standing(j)}` : "";
    },
    /**
     * Has a clip made so long.
     * @param {Clip} c @param {number} length @param {Record<string, any>} [more]
     */
    async ask(c, length, more = {}) {
      if (app.doc.shows(c)) return this.askShot(c, length, more.later ?? app.session.later, this.along);
      if (this.pauses && !more.end) return this.askPauses(c, length, more);
      const what = { clip: c.id, length, later: app.session.later, ...more };
      await this.begin("fits", c, what, (offer) => this.ask(c, offer.length, { ...more, ...offer }));
    },
    /**
     * Begins to compute a fit; where there is no room, what would be possible is one click away.
     * @param {string} kind @param {Clip} c @param {Record<string, any>} what @param {(offer: Record<string, any>) => unknown} take
     */
    async begin(kind, c, what, take) {
      await app.doc.settled();
      try {
        await app.jobs.begin(`/reels/${app.doc.id}/${kind}`, { base: app.doc.revision, ...what });
        app.page.hint = `Fitting “${c.name}” to ${span(what.length, app.doc.props)}…`;
      } catch (err) {
        const offer =
          err instanceof Problem && /^fit/.test(err.offer?.do ?? "") ? /** @type {Record<string, any>} */ (err.offer?.with) : null;
        if (err instanceof Problem && offer) app.page.tell(err.message, err.take, () => void take(offer));
        else app.page.tell(say(err));
        app.clips.takeChosen();
      }
    },
    /** Whether only the pauses are made longer or shorter. */
    pauses: false,
    /**
     * Brings a clip to a length by its pauses alone: at once, and in words beside what a stretch would do.
     * @param {Clip} c @param {number} length @param {Record<string, any>} more
     */
    async askPauses(c, length, more) {
      await app.doc.settled();
      const later = more.later ?? app.session.later;
      try {
        const found = await send("POST", `/reels/${app.doc.id}/pauses-fit`, { clip: c.id, length, later });
        const edits = [found.edit],
          by = (more.start ?? c.start) - c.start;
        if (by) edits.unshift({ do: "move", with: { clips: [c.id], by } });
        const done =
          edits.length > 1
            ? await app.mend.edit("together", { label: `fit “${c.name}” by its pauses`, edits })
            : await app.mend.edit("fitPauses", found.edit.with);
        if (done)
          app.page.hint = `${found.pauses === 1 ? "1 pause" : `${found.pauses} pauses`} changed by up to ${span(found.by, app.doc.props)}, no word touched. By speed it would be ${percent(found.factor)}.`;
      } catch (err) {
        app.page.tell(say(err));
        app.clips.takeChosen();
      }
    },
    /** A length or a percentage that was typed. @param {string} text */
    type(text) {
      const c = this.clip(),
        by = /^\s*([\d.,]+)\s*%\s*$/.exec(text);
      if (!c) return;
      const n = by ? Math.round((c.length / this.factor(c)) * (typed(by[1]) / 100)) : lengthOf(text, app.doc.props, "ms");
      if (n === c.length) return;
      if (n > 0) void this.ask(c, n);
      else {
        app.page.tell(noLength(text).replace("Type ", "Type 110 %, "));
        app.clips.takeChosen();
      }
    },
    /** So that it ends where the clip after it on its track begins. */
    toGap() {
      const c = this.clip(),
        next = c && (app.doc.lanes.get(c.track) ?? []).find((o) => o.start >= c.start + c.length);
      if (!c) return;
      if (next) void this.ask(c, next.start - c.start, { later: "stay" });
      else app.page.tell("No clip follows on this track: there is no gap to fit it to. Type a length, or mark a span.");
    },
    toSpan() {
      const c = this.clip(),
        s = app.session.span;
      if (!c) return;
      if (s && app.doc.shows(c)) void this.ask(c, s.to - c.start, { later: "stay" });
      else if (s) void this.ask(c, s.to - s.from, { start: s.from, later: "stay" });
      else app.page.tell("Mark a span first. The clip then fills it.");
    },
    /** To the shot above its middle. */
    toShot() {
      const c = this.clip(),
        middle = c ? c.start + c.length / 2 : 0,
        shot = app.doc
          .pictureTracks()
          .flatMap((t) => app.doc.lanes.get(t.id) ?? [])
          .find((o) => o.start <= middle && middle < o.start + o.length);
      if (!c) return;
      if (shot) void this.ask(c, shot.length, { start: shot.start, later: "stay" });
      else app.page.tell("No shot is above this clip.");
    },
    /** As it was recorded: at once, as nothing has to be computed. It is looked for among what is selected, then at the playhead. */
    async back() {
      const chosen = [...app.session.chosen].map((id) => app.doc.clips.get(id)),
        here = [...app.act.clipsHere(), app.picture.shotHere(app.timeline.playhead)];
      const c = [...chosen, ...here].find((o) => o && !this.recorded(o)) ?? this.clip();
      if (c && app.doc.shows(c)) await this.shotBack(c);
      else if (c) await app.mend.edit("fit", { clip: c.id, length: 0, later: app.session.later });
    },
    /** @param {Clip} c */
    async shotBack(c) {
      const too = this.along && this.sounds(c).some((o) => !this.recorded(o)),
        later = app.session.later;
      if (too) await app.mend.edit("fitShot", { shot: c.id, length: 0, later });
      else await app.mend.edit("paceShot", { shot: c.id, later });
    },
    /** @param {HTMLSelectElement} choice */
    choose(choice) {
      const how = choice.value;
      choice.value = "";
      if (how === "gap") this.toGap();
      else if (how === "span") this.toSpan();
      else if (how === "shot") this.toShot();
      else if (how === "still") void this.freeze();
      else if (how === "recorded") void this.back();
    },
    /** @param {Clip} c */
    stop(c) {
      const j = this.job(c);
      if (j) void app.jobs.cancel(j);
    },
  });
