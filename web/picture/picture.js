// Picture at the bench: the window that shows the frame at the playhead, the two
// frames that meet at a cut, and what is tied to what.

import { el, panel } from "../lib/panel.js";
import { fit } from "../lib/canvas.js";
import { colour } from "../lib/colours.js";
import { drawShot, inSource, shotAt, sourceCode } from "./shots.js";
import { at as timecode } from "../lib/timecode.js";

/** @param {import("../app/app.js").App} app */
export const picture = (app) =>
  panel({
    seen: false, // the reel has a track of pictures
    pictureOpen: true,
    /** What is drawn now, so that nothing is drawn twice. @type {Record<string, string>} */
    drawn: {},
    pictureWords: "",

    takePicture() {
      this.seen = app.doc.pictureTracks().length > 0;
      if (!this.seen && app.measures.view === "picture") app.measures.setView("wave");
      this.drawn = {};
    },
    togglePicture() {
      this.pictureOpen = !this.pictureOpen;
      this.drawn = {};
    },
    /** Draws what is seen now, each time the page is drawn. @param {number} [heard] what is heard now */
    tickPicture(heard = app.player.playing ? app.player.position() : undefined) {
      if (!this.seen) return;
      const playing = heard !== undefined && app.player.route?.name !== "source";
      const at = Math.max(playing ? heard : app.timeline.playhead, 0);
      if (this.pictureOpen) this.drawWindow(at, playing);
      if (app.measures.view === "picture" && app.session.stage === "seam") this.drawMeeting();
    },
    /** The shot that is seen at a place. @param {number} at */
    shotHere: (at) => shotAt(app.doc, app.timeline.lie, at),
    /** The window: the frame at a place, through a dissolve both. @param {number} at @param {boolean} playing */
    drawWindow(at, playing) {
      const canvas = /** @type {HTMLCanvasElement} */ (el("picture")),
        w = canvas.parentElement?.clientWidth ?? 0,
        h = Math.round((w * 9) / 16);
      if (!w) return;
      const doc = app.doc,
        lie = app.timeline.lie,
        shot = shotAt(doc, lie, at),
        p = doc.props;
      const key = `${w} ${shot?.id} ${shot ? inSource(shot, at, p) : ""} ${Boolean(app.timeline.trial)} ${shot?.source} ${colour.slate}`;
      if (this.drawn.window === key) return;
      const g = fit(canvas, w, h),
        box = { doc, lie, x: 0, y: 0, w, h };
      g.fillStyle = colour.foot;
      g.fillRect(0, 0, w, h);
      let whole = true;
      if (shot) {
        const b = [...lie.blends.values()].find(
          (o) => (o.left === shot.id && at >= shot.start + shot.length - o.before) || (o.right === shot.id && at < shot.start + o.after),
        );
        const other = b && lie.clips.get(b.left === shot.id ? b.right : b.left),
          cut = b ? (b.left === shot.id ? shot.start + shot.length : shot.start) : 0;
        whole = drawShot(g, app.frames, { ...box, shot, at });
        if (b && other) {
          const x = (at - cut + b.before) / (b.before + b.after);
          g.globalAlpha = b.left === shot.id ? x : 1 - x;
          whole = drawShot(g, app.frames, { ...box, shot: other, at }) && whole;
          g.globalAlpha = 1;
        }
        const src = doc.sources.get(shot.source);
        if (playing && src?.recording && src.picture) app.frames.ahead(src.recording, Math.max(inSource(shot, at, p), 0), 30);
      } else {
        g.fillStyle = colour.ash;
        g.font = "13px 'Atkinson Next', sans-serif";
        g.textAlign = "center";
        g.fillText("no picture here", w / 2, h / 2 + 4);
      }
      canvas.dataset.frame = whole && shot ? `${shot.id}:${inSource(shot, at, p)}` : "";
      if (whole) this.drawn.window = key; // what is on its way is drawn when it comes
      const src = shot && doc.sources.get(shot.source);
      this.pictureWords = shot ? `${shot.name} · ${sourceCode(src ?? undefined, inSource(shot, at, p), p)}` : "";
    },
    /** The last frame going out and the first coming in, as they are or as a drag would leave them. */
    drawMeeting() {
      const cut = app.session.seam?.cut,
        doc = app.doc,
        lie = app.timeline.lie,
        p = doc.props;
      const left = cut && lie.clips.get(cut.left),
        right = cut && lie.clips.get(cut.right);
      /** @type {[string, Clip | undefined, number][]} */
      const sides = [
        ["frame-out", left, left ? left.start + left.length - 1 : 0],
        ["frame-in", right, right?.start ?? 0],
      ];
      for (const [id, shot, at] of sides) {
        const canvas = /** @type {HTMLCanvasElement} */ (el(id)),
          box = canvas.parentElement,
          bw = box?.clientWidth ?? 0,
          bh = box?.clientHeight ?? 0;
        const w = Math.min(bw, (bh * 16) / 9),
          h = (w * 9) / 16;
        const n = shot ? inSource(shot, at, p) : 0,
          key = `${Math.round(w)} ${shot?.id} ${n} ${shot?.source} ${colour.slate}`;
        if (!w || this.drawn[id] === key) continue;
        const g = fit(canvas, w, h);
        g.fillStyle = colour.foot;
        g.fillRect(0, 0, w, h);
        let whole = true;
        if (shot) {
          whole = drawShot(g, app.frames, { doc, lie, shot, at, x: 0, y: 0, w, h });
          const src = doc.sources.get(shot.source),
            text = `${id === "frame-out" ? "out" : "in"} · ${shot.name} · ${sourceCode(src, n, p)}`;
          g.font = "12px 'Atkinson Next', sans-serif";
          const tw = g.measureText(text).width;
          g.fillStyle = colour.foot;
          g.fillRect(0, 0, tw + 12, 19);
          g.fillStyle = colour["foot-ink"];
          g.fillText(text, 6, 13.5);
        }
        canvas.dataset.frame = whole && shot ? `${shot.id}:${n}` : "";
        canvas.setAttribute(
          "aria-label",
          shot
            ? `${id === "frame-out" ? "Last frame going out" : "First frame coming in"}: ${shot.name}, ${sourceCode(doc.sources.get(shot.source), n, p)}`
            : "No picture",
        );
        if (whole) this.drawn[id] = key;
      }
    },

    /** How many shots a track has. @param {Track} t */
    shotCount(t) {
      const n = (app.doc.lanes.get(t.id) ?? []).length;
      return n === 1 ? "1 shot" : `${n} shots`;
    },

    // ——— Ties ———

    /** Ties the chosen clips, or what lies at the playhead; unties them where all are tied. */
    tieChosen() {
      const doc = app.doc,
        ids = app.session.chosen.size ? [...app.session.chosen] : app.act.clipsHere().map((/** @type {Clip} */ c) => c.id);
      if (!ids.length) app.page.tell("Select a shot and its sound, or sound clips alone: each is tied to the shot above it.");
      else if (ids.every((/** @type {number} */ id) => doc.isTied(id))) void app.mend.edit("untie", { clips: ids });
      else void app.mend.edit("tie", { clips: ids });
    },
    /** Sound that stands off its picture among what is chosen, at the playhead, or at the seam. */
    offHere() {
      const off = app.doc.off,
        near = app.session.chosen.size
          ? [...app.session.chosen]
          : [app.session.seam?.right ?? 0, app.session.seam?.left ?? 0, ...app.act.clipsHere().map((/** @type {Clip} */ c) => c.id)];
      return [...new Set(near)].filter((id) => off.has(id));
    },
    /** @param {"move" | "slip"} way */
    resync(way) {
      let clips = this.offHere();
      if (!clips.length) clips = [...app.doc.off.keys()].slice(0, 1);
      if (!clips.length) app.page.tell("All tied sound is in sync with its picture.");
      else void app.mend.edit("resync", { clips, way });
    },
    /** What stands off at the seam, in words. */
    offWords() {
      const s = app.session.seam;
      return [s?.left ?? 0, s?.right ?? 0]
        .filter((id) => app.doc.off.has(id))
        .map((id) => `${app.doc.clips.get(id)?.name} is ${app.doc.off.get(id)?.words}`)
        .join(", ");
    },
    /** Whether the chosen clip is a shot. */
    clipSeen() {
      return app.doc.shows(app.clips.clip);
    },
    /** How a clip is tied, for its card. */
    tieText() {
      const c = app.clips.clip,
        doc = app.doc;
      if (!c || !this.seen) return "";
      const t = doc.tieOf(c.id),
        off = doc.off.get(c.id);
      if (t) return `${doc.clips.get(t.shot)?.name ?? ""}, ${off ? off.words : "in sync"}`;
      if (doc.shows(c)) {
        const n = [...doc.ties.values()].filter((k) => k.shot === c.id).length;
        return n ? `${n} ${n === 1 ? "clip" : "clips"} of sound` : "nothing";
      }
      return "nothing";
    },
    /** Goes to the picture cut before or after the playhead. @param {number} by */
    stepCut(by) {
      const doc = app.doc,
        lane = doc.pictureTracks().flatMap((t) => doc.lanes.get(t.id) ?? []),
        here = Math.round(app.timeline.playhead);
      const at = lane.flatMap((c) => [c.start, c.start + c.length]).sort((a, b) => a - b),
        next = by > 0 ? at.find((a) => a > here) : at.findLast((a) => a < here);
      if (next === undefined) return;
      // With it one comes to the seam of its sound, where it has one.
      const seam = doc.seams.find((s) => s.cut?.at === next && s.kind === "cut");
      if (seam) app.ledger.chooseSeam(seam);
      app.listen.seek(next);
      app.timeline.show(next, next);
      app.page.hint = `Picture cut at ${timecode(next, doc.props)}`;
    },
  });
