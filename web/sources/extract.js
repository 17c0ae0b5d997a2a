// Named stretches of a recording, marked while one listens and saved in one go. Until
// they are saved they are kept in this browser, by reel.

import { say } from "../app/api.js";
import { el, panel } from "../lib/panel.js";
import { count } from "../lib/words.js";
import { span } from "../lib/timecode.js";

/** @typedef {{source: number, name: string, from: number, to: number}} Piece */

/** @param {import("../app/app.js").App} app */
export const extracting = (app) =>
  panel({
    /** @type {Piece[] | null} */ kept: null,
    form: { file: "wav", bits: 24, pattern: "{number} {name}", files: true, sources: true, problem: "", busy: false, open: false },

    /** Where the stretches are kept. */
    place: () => `stretches ${app.doc.uid}`,
    /** All that are kept, of all sources. @returns {Piece[]} */
    all() {
      if (!this.kept) {
        try {
          this.kept = JSON.parse(localStorage.getItem(this.place()) ?? "[]");
        } catch {
          this.kept = [];
        }
      }
      return this.kept ?? [];
    },
    /** @param {Piece[]} now */
    keepAll(now) {
      this.kept = now;
      localStorage.setItem(this.place(), JSON.stringify(now));
      app.sourceView.pieces = this.here();
      app.sourceView.redraw();
    },
    /** Those of the source that is open, by their start. */
    here() {
      const s = app.session.source;
      return s
        ? this.all()
            .filter((p) => p.source === s.id)
            .sort((a, b) => a.from - b.from)
        : [];
    },
    title() {
      return count(this.here().length, "stretch", "stretches");
    },
    /** @param {Piece} p */
    text: (p) => `${span(p.from, app.doc.props)} · ${span(p.to - p.from, app.doc.props)}`,
    /** The name of the next: what was typed last counts on. */
    nextName() {
      const typed = app.sources.stretchName.trim(),
        n = this.here().length + 1;
      return typed || `${app.session.source?.name ?? "stretch"} ${n}`;
    },
    /** Keeps the marked stretch under its name, and marks what comes after it. */
    add() {
      const s = app.session.source;
      if (!s || s.picture || !s.recording) {
        app.page.tell("Open a recording under Sources and mark a stretch of it first.");
        return;
      }
      const { from, to } = app.session.mark,
        piece = { source: s.id, name: this.nextName(), from, to };
      this.keepAll([...this.all(), piece]);
      const n = /^(.*?)(\d+)$/.exec(app.sources.stretchName.trim());
      if (n) app.sources.stretchName = `${n[1]}${Number(n[2]) + 1}`;
      else app.sources.stretchName = "";
      if (to < s.length - 1) app.sourceView.mark(to, s.length);
      app.page.hint = `Stretch “${piece.name}” kept, ${span(to - from, app.doc.props)}. ${app.keys.keyOf("saveStretches")} saves all.`;
    },
    /** @param {Piece} p @param {string} name */
    rename(p, name) {
      const at = this.all().findIndex((o) => o.source === p.source && o.from === p.from && o.to === p.to && o.name === p.name);
      if (at >= 0 && name.trim()) this.keepAll(this.all().map((o, i) => (i === at ? { ...o, name: name.trim() } : o)));
    },
    /** @param {Piece} p */
    remove(p) {
      const was = this.all(),
        at = was.findIndex((o) => o.source === p.source && o.from === p.from && o.to === p.to && o.name === p.name);
      if (at < 0) return;
      this.keepAll(was.filter((_, i) => i !== at));
      app.page.tell(`Stretch “${p.name}” removed.`, "Undo", () => this.keepAll(was));
    },
    /** Marks a stretch again, to be listened to. @param {Piece} p */
    mark: (p) => app.sourceView.mark(p.from, p.to),
    open() {
      if (!this.here().length) {
        app.page.tell(`No stretches yet. Mark one in a source, then ${app.keys.keyOf("keepStretch")} keeps it.`);
        return;
      }
      this.form.problem = "";
      this.form.open = true;
      el("extract").showModal();
    },
    async save() {
      const f = this.form,
        here = this.here();
      f.problem = "";
      f.busy = true;
      try {
        await app.jobs.begin(`/reels/${app.doc.id}/extracts`, {
          source: here[0].source,
          stretches: here.map(({ name, from, to }) => ({ name, from, to })),
          pattern: f.pattern,
          files: f.files,
          sources: f.sources,
          file: f.file,
          bits: f.file === "wav" || f.file === "flac" ? f.bits : 0,
        });
        el("extract").close();
        app.page.hint = `Saving ${this.title()}…`;
      } catch (err) {
        f.problem = say(err);
      }
      f.busy = false;
    },
    /** Forgets the stretches of this source. */
    clear() {
      const was = this.all(),
        s = app.session.source;
      this.keepAll(was.filter((p) => p.source !== s?.id));
      el("extract").close();
      app.page.tell("The list of stretches is empty.", "Undo", () => this.keepAll(was));
    },
  });
