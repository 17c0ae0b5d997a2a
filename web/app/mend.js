// Edits at the bench: blends, fades, undo.

import { panel } from "../lib/panel.js";
import { Problem, say } from "./api.js";
import { lengthOf, noLength, span } from "../lib/timecode.js";

/** A trial under way, and the newest that waits. */
const trial = { busy: false, next: /** @type {(() => Promise<void>) | null} */ (null) };

/** @param {import("./app.js").App} app */
export const mending = (app) =>
  panel({
    /**
     * Makes an edit; a refusal is told with what would be possible, one click away.
     * @param {string} kind
     * @param {Record<string, any>} what
     * @param {boolean} [nearest] what cannot go all the way goes as far as it can, and says why
     * @returns {Promise<Changed | null>}
     */
    async edit(kind, what, nearest = false) {
      // What was offered before is not what this edit is answered with.
      if (app.page.toast?.action) app.page.toast = null;
      try {
        const c = await app.doc.edit(kind, what);
        if (c.outcome.notes?.length) app.page.tell(c.outcome.notes.join(" "));
        else app.page.toast = null;
        if (c.outcome.says?.length) app.page.hint = c.outcome.says.join(" · ");
        return c;
      } catch (err) {
        const p = err instanceof Problem ? err : null;
        if (p && nearest && p.offer?.do === kind) {
          const c = await this.edit(kind, /** @type {any} */ (p.offer.with));
          if (c && !c.outcome.notes?.length) app.page.tell(p.message);
          return c;
        }
        const better = p?.offer;
        if (p && better) app.page.tell(p.message, p.take, () => void this.edit(better.do, /** @type {any} */ (better.with)));
        else app.page.tell(say(err));
        // Fields go back to what is.
        void app.close.read();
        app.clips.takeChosen();
        if (app.session.track) app.session.track = { ...app.session.track };
        return null;
      }
    },

    /** Tries an edit while a control is moved, and shows what it would lead to. @param {string} kind @param {Record<string, any>} what */
    rehearse(kind, what) {
      trial.next = async () => {
        try {
          const r = await app.doc.dryRun(kind, what, app.close.query);
          if (r.closeUp) app.close.rehearse(r.closeUp, r.change);
          app.closeup.limit = "";
        } catch (err) {
          app.closeup.limit = say(err);
        }
      };
      if (trial.busy) return;
      trial.busy = true;
      app.close.trial = true;
      void (async () => {
        while (trial.next) {
          const run = trial.next;
          trial.next = null;
          await run();
        }
        trial.busy = false;
        app.close.trial = false;
      })();
    },

    /** The blend that is there, or the usual one. */
    blendNow() {
      const s = app.session.seam,
        b = s && app.doc.blendOf(s.left, s.right);
      if (b) return { before: b.before, after: b.after, law: b.law, lean: b.lean, out: b.out, in: b.in };
      return app.blends.blendFrom(app.blends.usual);
    },

    /** @param {Record<string, any>} alter @param {boolean} [trial] */
    setBlend(alter, trial = false) {
      const s = app.session.seam;
      if (!s || s.kind !== "cut") {
        app.page.tell(
          "A blend joins two clips that meet. Select a cut between two clips, or two overlapping clips on two tracks; at a gap, use a fade.",
        );
        return undefined;
      }
      const what = { left: s.left, right: s.right, ...this.blendNow(), ...alter };
      if (!trial) return this.edit("setBlend", what);
      this.rehearse("setBlend", what);
      return undefined;
    },

    /** Two chosen clips on two tracks that overlap or meet, the earlier one first. */
    pairOver() {
      const two = [...app.session.chosen]
        .map((id) => app.doc.clips.get(id))
        .filter((c) => c !== undefined)
        .sort((a, b) => a.start - b.start);
      return two.length === 2 && two[0].track !== two[1].track ? two : null;
    },
    /** The cuts between chosen clips that have no blend. @returns {{left: number, right: number}[]} */
    bareCuts() {
      const chosen = app.session.chosen;
      if (chosen.size < 3) return []; // two that meet are one seam
      return app.doc.seams
        .filter((s) => s.kind === "cut" && !s.blend && chosen.has(s.left) && chosen.has(s.right))
        .map(({ left, right }) => ({ left, right }));
    },
    /** Blends two clips over two tracks: their overlap, or by the usual blend where they meet. @param {Clip[]} two */
    async blendOver([left, right]) {
      const made =
        left.start + left.length === right.start
          ? await this.edit("setBlend", { left: left.id, right: right.id, ...app.blends.blendFrom(app.blends.usual) })
          : await this.edit("blendOver", { left: left.id, right: right.id, law: app.blends.usual.law, lean: app.blends.usual.lean });
      if (!made) return;
      await app.doc.settled();
      const s = app.doc.seams.find((o) => o.left === left.id && o.right === right.id);
      if (s) app.ledger.chooseSeam(s, undefined, true);
    },

    /** One side of the blend by itself, or left to the law. @param {"out" | "in"} side @param {Record<string, any>} alter @param {boolean} [trial] */
    setSide(side, alter, trial = false) {
      const b = /** @type {{lean: number, out?: Side, in?: Side}} */ (this.blendNow()),
        own = b[side],
        now = own?.shape ? own : { shape: "", bend: b.lean },
        next = { ...now, ...alter };
      return this.setBlend({ [side]: next.shape ? next : undefined }, trial);
    },
    /** @param {"out" | "in"} side */
    sideOf(side) {
      return side === "out" ? app.closeup.blend.outSide : app.closeup.blend.inSide;
    },
    /** Shapes both sides by themselves, as they are by the law, or leaves them to it. @param {boolean} apart */
    setApart(apart) {
      return this.setBlend(apart ? { apart } : { out: undefined, in: undefined });
    },
    /** Makes the blend as long as the marked span, where it lies over the cut. */
    blendSpan() {
      const span = app.session.span,
        s = app.session.seam;
      if (!span || !s || s.kind !== "cut") return app.page.tell("Mark a span over the cut first. The blend then covers the span.");
      if (span.from > s.at || span.to < s.at) return app.page.tell("The span does not reach the cut. Mark one that does.");
      return this.setBlend({ before: s.at - span.from, after: span.to - s.at });
    },

    /** Sets the length and keeps where the blend lies. @param {number} n @param {boolean} [trial] */
    setLength(n, trial = false) {
      n = Math.max(Math.round(n), 1);
      const b = this.blendNow(),
        all = b.before + b.after;
      const before =
        b.after === 0 ? n : b.before === 0 ? 0 : Math.abs(b.before - b.after) <= 1 ? Math.floor(n / 2) : Math.round((n * b.before) / all);
      return this.setBlend({ before, after: n - before }, trial);
    },
    /** @param {string} v */
    lengthMs(v) {
      this.typedLength(v, "ms");
    },
    /** @param {string} v */
    lengthFrames(v) {
      this.typedLength(v, "f");
    },
    /** @param {string} v @param {"ms" | "f"} unit */
    typedLength(v, unit) {
      const n = lengthOf(v, app.doc.props, unit);
      if (n > 0) this.setLength(n);
      else {
        app.page.tell(noLength(v));
        app.closeup.takeInfo();
      }
    },
    /** The slider is fine where blends are short. @param {string} v @param {boolean} trial */
    slideLength(v, trial) {
      this.setLength((Number(v) / 1000) ** 3 * app.closeup.blend.max, trial);
    },
    /** @param {string} law */
    setLaw(law) {
      this.setBlend({ law });
    },
    /** Another law, eased where the one that is there is. What is there is read from the reel, as what is shown may be a moment behind. @param {string} base */
    setBase(base) {
      this.setLaw(base + (this.blendNow().law.endsWith("Eased") ? "Eased" : ""));
    },
    ease() {
      const { law } = this.blendNow();
      if (law !== "matched") this.setLaw(law.endsWith("Eased") ? law.slice(0, -"Eased".length) : `${law}Eased`);
    },
    /** @param {string} lie */
    setLie(lie) {
      const b = this.blendNow(),
        n = b.before + b.after;
      this.setBlend(
        lie === "before"
          ? { before: n, after: 0 }
          : lie === "after"
            ? { before: 0, after: n }
            : { before: Math.floor(n / 2), after: n - Math.floor(n / 2) },
      );
    },
    /** @param {string} v @param {boolean} trial */
    setLean(v, trial) {
      this.setBlend({ lean: Number(v) }, trial);
    },
    /** What the blend key would put here, in words. */
    usualText() {
      const b = this.blendNow(),
        p = app.doc.props;
      return `${span(b.before + b.after, p)} ${b.after === 0 ? "before" : b.before === 0 ? "after" : "across"}`;
    },
    putBlend() {
      const two = this.pairOver();
      if (two) {
        void this.blendOver(two);
        return;
      }
      const cuts = this.bareCuts();
      if (cuts.length > 1) {
        const { ms, law, lean } = app.blends.usual;
        void this.edit("blendCuts", {
          cuts,
          usual: {
            length: Math.round((ms / 1000) * app.doc.props.sampleRate),
            blend: { left: 0, right: 0, before: 0, after: 0, law, lean },
          },
        });
        return;
      }
      if (app.session.seam?.kind === "struck") {
        app.page.tell(`A strike has its own fades: set them in its panel. ${app.keys.keyOf("cover")} covers it.`);
        return;
      }
      if (app.session.seam && app.session.seam.kind !== "cut") {
        const s = app.session.seam,
          c = app.doc.clips.get(s.right || s.left);
        if (c && !(s.kind === "head" ? c.fadeIn : c.fadeOut).length)
          this.setFade(c.id, s.kind === "head" ? "head" : "tail", { length: Math.round(0.08 * app.doc.props.sampleRate) });
        else this.setBlend({});
        return;
      }
      this.setBlend({});
    },
    takeBlendOff() {
      const s = app.session.seam,
        b = s && app.doc.blendOf(s.left, s.right);
      if (b) void this.edit("removeBlend", { blend: b.id });
      else if (app.closeup.fade?.length) this.setFade(app.closeup.fade.clip, app.closeup.fade.end, { length: 0 });
      else app.page.tell("No blend on this seam.");
    },

    /** @param {number} clip @param {string} end @param {Record<string, any>} alter @param {boolean} [trial] */
    setFade(clip, end, alter, trial = false) {
      const c = app.doc.clips.get(clip);
      if (!c) return undefined;
      const fade = { ...(end === "head" ? c.fadeIn : c.fadeOut), ...alter };
      if (!trial) return this.edit("setFade", { clip, end, fade });
      this.rehearse("setFade", { clip, end, fade });
      return undefined;
    },
    /** @param {any} f @param {string} v */
    fadeMs(f, v) {
      this.typedFade(f, v, "ms");
    },
    /** @param {any} f @param {string} v */
    fadeFrames(f, v) {
      this.typedFade(f, v, "f");
    },
    /** @param {any} f @param {string} v @param {"ms" | "f"} unit */
    typedFade(f, v, unit) {
      const n = lengthOf(v, app.doc.props, unit);
      if (n >= 0) this.setFade(f.clip, f.end, { length: n });
      else app.page.tell(noLength(v));
    },

    async undoStep() {
      if (!app.page.undo) return;
      try {
        const c = await app.doc.undo();
        app.page.hint = `Undone: ${c.outcome.label}`;
      } catch (err) {
        app.page.tell(say(err));
      }
    },
    async redoStep() {
      if (!app.page.redo) return;
      try {
        const c = await app.doc.redo();
        app.page.hint = `Redone: ${c.outcome.label}`;
      } catch (err) {
        app.page.tell(say(err));
      }
    },
  });
