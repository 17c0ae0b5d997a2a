// Sources at the bench: marking stretches, laying them in, bringing files in.

import { el, panel } from "../lib/panel.js";
import { drag } from "../lib/drag.js";
import { Problem, get, say, send } from "../app/api.js";
import { fit } from "../lib/canvas.js";
import { Rehearsal } from "../app/rehearsal.js";
import { isList } from "../dialogs/lists.js";
import { drawMini } from "./sourceview.js";
import { frames, span, at as timecode, typed } from "../lib/timecode.js";

/** Sources by their folders, those without one first. @param {Listed[]} list @returns {Listed[]} */
const inFolders = (list) =>
  list
    .map((s, i) => ({ s, i }))
    .sort((a, b) => (a.s.folder ?? "").localeCompare(b.s.folder ?? "", undefined, { numeric: true }) || a.i - b.i)
    .map(({ s }) => s);

/** @param {import("../app/app.js").App} app */
export const sources = (app) =>
  panel({
    stretchName: "",
    /** @type {Listed[]} */ list: [],
    /** @type {any} */ choosing: null,
    over: false,

    async readSources() {
      const turn = ++this.turn,
        found = await get(`/reels/${app.doc.id}/sources`).catch(() => null);
      if (!found) return; // it is read anew once the line is there again
      if (turn < this.shown) return; // what was asked for later is here already
      this.shown = turn;
      void app.groups.readTakes();
      this.list = inFolders(found.sources);
      if (app.session.source) app.session.source = this.list.find((/** @type {Listed} */ s) => s.id === app.session.source?.id) ?? null;
      if (!app.session.source) app.session.stage = "seam";
      queueMicrotask(() => this.drawMinis());
    },
    /** Which reading of the list was begun last, and which is shown. */
    turn: 0,
    shown: 0,
    drawMinis() {
      if (app.page.tab !== "sources") return;
      requestAnimationFrame(() => {
        for (const c of document.querySelectorAll("canvas.mini")) {
          const s = app.doc.sources.get(Number(/** @type {HTMLElement} */ (c).dataset.source));
          if (s?.picture) this.drawStill(/** @type {HTMLCanvasElement} */ (c), s);
          else if (s) drawMini(/** @type {HTMLCanvasElement} */ (c), s, app.waves);
        }
      });
    },
    /** A row of frames along the strip of a picture. @param {HTMLCanvasElement} canvas @param {Source} s */
    drawStill(canvas, s) {
      const w = canvas.clientWidth,
        h = canvas.clientHeight,
        g = fit(canvas, w, h),
        pic = s.picture;
      canvas.style.width = canvas.style.height = "";
      if (!pic || !s.recording) return;
      const wide = (h * (pic.width || 16)) / (pic.height || 9),
        n = Math.max(Math.floor(w / wide), 1),
        step = Math.max(Math.floor(pic.frames / n), 1);
      for (let k = 0; k < n; k++) {
        const bitmap = app.frames.thumb(s.recording, pic.frames ? k * step : 0, pic.frames ? step : 1);
        if (bitmap) g.drawImage(bitmap, k * wide, 0, wide - 1, h);
      }
    },
    showTab(/** @type {string} */ tab) {
      app.page.tab = tab;
      if (tab === "sources") setTimeout(() => this.drawMinis());
      if (tab === "room") void app.room.readRooms();
      if (tab === "steps") void app.history.readSteps();
    },
    /** @param {Listed} s */
    sourceNote(s) {
      if (s.picture) return app.lists.pictureNote(s);
      if (!s.recording || s.gone) return "missing media"; // it has no length of its own
      const d = s.details;
      return `${span(s.length, app.doc.props)} · ${s.right >= 0 ? "stereo" : "mono"}${d.nativeRate ? ` · ${d.nativeRate / 1000} kHz` : ""}`;
    },
    /** @param {number} id @param {{from: number, to: number}} [stretch] */
    showSource(id, stretch) {
      const own = app.doc.sources.get(id),
        f = own?.fit,
        recorded = f && this.list.find((/** @type {Listed} */ x) => x.recording === f.of && x.left === f.left && x.right === f.right);
      if (own && f && recorded) {
        // What was fitted is shown as it was recorded.
        const at = (/** @type {number} */ n) => f.from + Math.round((n * (f.to - f.from)) / own.length);
        this.showSource(recorded.id, stretch && { from: at(stretch.from), to: at(stretch.to) });
        return;
      }
      const s = this.list.find((/** @type {Listed} */ x) => x.id === id);
      if (!s) return;
      this.showTab("sources");
      if (app.session.source?.id !== s.id) this.stretchName = "";
      app.session.source = s;
      app.session.stage = "source";
      app.session.track = null;
      app.session.chosen = new Set();
      app.clips.takeChosen();
      app.timeline.redraw();
      app.sourceView.pieces = app.extract.here();
      void app.marks.read();
      setTimeout(() => app.sourceView.show(app.doc.sources.get(id) ?? null, stretch));
    },
    closeSource() {
      app.session.stage = "seam";
      app.session.source = null;
      if (app.player.route?.name === "source") app.player.stop();
      app.close.redraw();
    },
    takeMark() {
      const p = app.doc.props,
        n = app.sourceView.out - app.sourceView.in;
      app.session.mark = { from: app.sourceView.in, to: app.sourceView.out, text: `${span(n, p)} · ${frames(n, p).toFixed(1)} fr` };
    },
    /** @param {string} which @param {string} v */
    setMark(which, v) {
      const n = Math.round(typed(v) * app.doc.props.sampleRate);
      if (!Number.isFinite(n)) return;
      if (which === "in") app.sourceView.mark(n, Math.max(app.session.mark.to, n + 1));
      else app.sourceView.mark(Math.min(app.session.mark.from, n - 1), n);
    },
    markSeconds(/** @type {number} */ n) {
      return (n / app.doc.props.sampleRate).toFixed(3);
    },
    /** The name that the next stretch gets: what was typed, with a number that goes on. */
    nameOfStretch() {
      const s = app.session.source,
        typed = this.stretchName.trim();
      return typed || s?.name;
    },
    async layIn() {
      const s = app.session.source;
      if (!s) {
        app.page.tell(
          `No source is open. Open one under Sources and mark a stretch. ${app.keys.keyOf("layIn")} inserts it at the playhead.`,
        );
        return;
      }
      if (s.picture) {
        await app.lists.layShot(s);
        return;
      }
      const length = app.session.mark.to - app.session.mark.from,
        start = Math.round(app.timeline.playhead);
      const c = await app.mend.edit("place", {
        source: s.id,
        track: app.session.target,
        start,
        offset: app.session.mark.from,
        length,
        name: this.nameOfStretch(),
        later: app.session.later,
      });
      if (c) this.laid(c);
    },
    /** Fills the span, or the gap at the playhead, exactly. @param {"in" | "out"} anchor */
    async fillGap(anchor) {
      const s = app.session.source;
      if (!s) {
        app.page.tell("No source is open. Open one under Sources and mark its in or out point.");
        return;
      }
      const at = app.session.span ?? { from: Math.round(app.timeline.playhead), to: 0 };
      const c = await app.mend.edit("fill", {
        source: s.id,
        track: app.session.target,
        from: at.from,
        to: at.to,
        mark: anchor === "in" ? app.session.mark.from : app.session.mark.to,
        anchor,
        name: this.nameOfStretch(),
      });
      if (c) this.laid(c);
    },
    /** Goes to a clip that was laid in. @param {Changed} c */
    laid(c) {
      const clip = c.outcome.made && app.doc.clips.get(c.outcome.made[0]);
      if (!clip) return;
      app.listen.seek(clip.start + clip.length);
      // The next stretch of a row is counted on by itself: “line 3” comes after “line 2”.
      const n = /^(.*?)(\d+)$/.exec(this.stretchName.trim());
      if (n) this.stretchName = `${n[1]}${Number(n[2]) + 1}`;
      app.timeline.show(clip.start, clip.start + clip.length);
      app.page.hint = `Inserted at ${timecode(clip.start, app.doc.props)}; the playhead is after it.`;
    },
    /** Lays a stretch of a source where it was dropped. @param {Listed} s @param {{track: number, start: number}} to @param {{offset: number, length: number}} stretch @param {string} name */
    put(s, to, stretch, name) {
      if (s.picture) {
        app.listen.seek(to.start);
        app.session.mark = { ...app.session.mark, from: stretch.offset, to: stretch.offset + stretch.length };
        void app.lists.layShot(s);
        return;
      }
      void app.mend
        .edit("place", { source: s.id, ...to, ...stretch, name, later: app.session.later }, true)
        .then((/** @type {Changed | null} */ c) => c && this.laid(c));
    },
    /** Drags a source from the list onto a track. @param {PointerEvent} e @param {Listed} s */
    takeHold(e, s) {
      if (e.button !== 0) return;
      const stretch =
        app.session.source?.id === s.id
          ? { offset: app.session.mark.from, length: app.session.mark.to - app.session.mark.from }
          : { offset: 0, length: s.length };
      const t = app.timeline,
        name = app.session.source?.id === s.id ? (this.nameOfStretch() ?? s.name) : s.name;
      /** @type {{track: number, start: number} | null} */
      let to = null;
      const rehearsal = new Rehearsal(
        app.doc,
        (r) => {
          if (!to) return;
          if (!(r instanceof Problem)) t.rehearse(r.change);
          const lines = r instanceof Problem ? [] : (r.outcome.says ?? []),
            stops = r instanceof Problem ? r.message : (r.stops ?? "");
          if (t.words) t.words = { ...t.words, lines, stops };
          app.page.hint = [stops, ...lines].filter(Boolean).join(" · ");
        },
        true,
      );
      const box = el("lanes").getBoundingClientRect();
      drag(e, {
        still: 6,
        move: (m) => {
          const row = t.rowAt(m.clientY - box.top),
            at = { x: m.clientX - box.left, y: m.clientY - box.top };
          to = row && at.x >= 0 && at.y >= 0 ? { track: row.track.id, start: Math.max(t.snapAt(t.sample(at.x), m), 0) } : null;
          t.words = to && { ...at, lines: t.words?.lines ?? [], stops: t.words?.stops ?? "" };
          if (to && s.picture) {
            const fits = app.doc.tracks.get(to.track)?.role === "picture";
            t.words = { ...at, lines: [`${name}, with its sound`], stops: fits ? "" : "Pictures go onto a track of pictures." };
          } else if (to) rehearsal.try("place", { source: s.id, ...to, ...stretch, name, later: app.session.later });
          else {
            t.rehearse(null);
            app.page.hint = "Drag onto a track";
          }
        },
        end: (kept, moved) => {
          rehearsal.end();
          t.words = null;
          t.rehearse(null);
          if (!kept) return;
          if (!moved) this.showSource(s.id);
          else if (to) this.put(s, to, stretch, name);
        },
      });
    },
    listenSource() {
      const s = app.session.source;
      if (!s || s.picture || !s.recording) return;
      if (app.session.playing && app.player.route?.name === "source") {
        app.player.stop();
        return;
      }
      const from =
        app.sourceView.playhead >= app.session.mark.from && app.sourceView.playhead < app.session.mark.to - 100
          ? app.sourceView.playhead
          : app.session.mark.from;
      app.session.hearing = "source";
      void app.player.play({
        name: "source",
        from,
        to: app.session.mark.to,
        ...(app.session.looping ? { loopFrom: app.session.mark.from } : {}),
        address: (a, b) => `/recordings/${s.recording}/${app.doc.props.sampleRate}/pcm?left=${s.left}&right=${s.right}&from=${a}&to=${b}`,
      });
    },
    /** @param {Listed} s */
    async removeSource(s) {
      try {
        app.doc.take(await send("DELETE", `/reels/${app.doc.id}/sources/${s.id}`));
        this.closeSource();
        app.page.tell(
          `“${s.name}” was removed from the reel.`,
          "Undo",
          () => void send("POST", `/reels/${app.doc.id}/sources/${s.id}/restore`).then((c) => app.doc.take(c)),
        );
      } catch (err) {
        app.page.tell(say(err));
      }
    },

    /** @param {File[] | FileList | null} files */
    bringIn(files) {
      if (!files?.length) return;
      const edits = [...files].filter(isList),
        media = [...files].filter((f) => !isList(f));
      if (edits.length) void app.lists.openList(edits[0]);
      if (edits.length > 1) app.page.tell("Import edit lists one at a time.");
      this.showTab("sources");
      if (media.length) app.uploads.add(media);
    },
    /** @param {Event} e */
    pickFiles(e) {
      const input = /** @type {HTMLInputElement} */ (e.target);
      this.bringIn(input.files);
      input.value = "";
    },
    /** @param {ImportJob} j */
    chooseChannels(j) {
      this.choosing = {
        id: j.id,
        name: j.name,
        channels: Array.from({ length: j.channels ?? 0 }, (_, i) => ({ n: i, take: false, name: j.tracks?.[i] ?? "" })),
        pair: false,
      };
      el("channels").showModal();
    },
    get chosenChannels() {
      return (this.choosing?.channels ?? []).filter((/** @type {any} */ c) => c.take).map((/** @type {any} */ c) => c.n);
    },
    async takeChannels() {
      const j = this.choosing,
        picked = this.chosenChannels,
        stem = j.name.replace(/\.[^.]*$/, ""),
        called = (/** @type {number} */ n) => `${stem} ${j.channels[n].name || `ch ${n + 1}`}`;
      const picks =
        j.pair && picked.length === 2
          ? [{ left: picked[0], right: picked[1], name: stem }]
          : picked.map((/** @type {number} */ n) => ({ left: n, right: -1, name: called(n) }));
      try {
        await send("POST", `/reels/${app.doc.id}/imports/${j.id}/channels`, { picks });
        el("channels").close();
      } catch (err) {
        app.page.tell(say(err));
      }
    },
  });
