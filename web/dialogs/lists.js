// Edit lists at the bench: one is brought in after it was looked at, what it
// lacks is linked, and the edit is written out.

import { el, panel } from "../lib/panel.js";
import { Problem, get, say, send } from "../app/api.js";
import { at as timecode, format, frameOf } from "../lib/timecode.js";
import { count } from "../lib/words.js";

/** Whether a file is an edit list, by its name. @param {File} f */
export const isList = (f) => /\.(edl|otio|adl)$/i.test(f.name);

/** @param {import("../app/app.js").App} app */
export const lists = (app) =>
  panel({
    /** @type {{file: File, name: string, busy: boolean, problem: string, look: any} | null} */
    opened: null,
    /** @type {any[]} sources that are known by name alone */
    missing: [],
    linking: false,
    /** Which reading of what is missing was begun last, and which is shown. */
    turn: 0,
    shown: 0,

    /** @param {FileList | null} files */
    pickList(files) {
      const file = files?.[0];
      if (file) void this.openList(file);
      el("list-file").value = "";
    },
    /** @param {File} file */
    async openList(file) {
      this.opened = { file, name: file.name, busy: true, problem: "", look: null };
      el("list").showModal();
      await this.lookAtList("");
    },
    /** Has the list read, at a frame rate or at the one that fits. @param {string} rate */
    async lookAtList(rate) {
      const l = this.opened;
      if (!l) return;
      this.opened = { ...l, busy: true, problem: "" };
      try {
        const look = /** @type {ListLook} */ (await this.sendList(rate, false));
        const p = app.doc.props,
          code = (/** @type {number} */ n) => format(frameOf(n, p), p.frameRate);
        this.opened = {
          ...l,
          busy: false,
          problem: look.refused ? [look.refused.reason, look.refused.possible].filter(Boolean).join(" ") : "",
          look: {
            ...look,
            notes: look.notes ?? [],
            found: (look.found ?? []).map((k, i) => ({ ...k, key: i, text: `matches “${k.source}” by ${k.why}` })),
            lacking: (look.lacking ?? []).map((k, i) => ({ ...k, key: i, span: `${code(k.from)} – ${code(k.to)}` })),
          },
        };
      } catch (err) {
        this.opened = { ...l, busy: false, problem: err instanceof Problem ? err.message : say(err), look: null };
      }
    },
    /** @param {string} rate @param {boolean} take */
    async sendList(rate, take) {
      const l = this.opened;
      if (!l) throw new Error("No list is open.");
      const q = new URLSearchParams({ name: l.name, ...(rate ? { rate } : {}), ...(take ? { take: "1" } : {}) });
      const res = await fetch(`/api/v1/reels/${app.doc.id}/lists?${q}`, {
        method: "POST",
        body: l.file,
        headers: { "Content-Type": "application/octet-stream" },
      });
      const body = await res.json();
      if (!res.ok) throw new Problem(body);
      return body;
    },
    async takeList() {
      const l = this.opened;
      if (!l?.look) return;
      this.opened = { ...l, busy: true };
      try {
        const c = /** @type {Changed} */ (await this.sendList(l.look.rate, true));
        app.doc.take(c);
        el("list").close();
        await app.doc.settled();
        app.timeline.whole();
        app.page.hint = (c.outcome.says ?? []).join(" · ");
        await this.readMissing();
        if (this.missing.length) app.sources.showTab("sources");
      } catch (err) {
        this.opened = { ...l, busy: false, problem: say(err) };
      }
    },
    lackingText() {
      const n = this.opened?.look?.lacking.length ?? 0;
      return n === 0 ? "All its media is here" : n === 1 ? "1 source has no media" : `${n} sources have no media`;
    },
    closeList() {
      this.opened = null;
    },

    // ——— What is missing ———

    /** Reads what is missing; with linking under way, what has come is linked by its name. */
    async readMissing() {
      const p = app.doc.props,
        turn = ++this.turn,
        linking = this.linking, // what was asked for before all had come links nothing
        list = /** @type {{missing: MissingSource[]}} */ (await get(`/reels/${app.doc.id}/missing`).catch(() => ({ missing: [] })));
      if (turn < this.shown && !linking) return; // what was asked for later is here already
      this.shown = Math.max(this.shown, turn);
      const code = (/** @type {number} */ n) => format(frameOf(Math.max(n, 0), p), p.frameRate);
      this.missing = list.missing.map((m) => ({
        ...m,
        kind: m.picture ? "picture" : "sound",
        note: [
          `${m.picture ? "picture" : "sound"} ${code(m.from)}–${code(m.to)}`,
          m.gone ? "import the same file to restore it" : "",
          m.match ? `${m.edit ? "matches" : "may match"} “${app.doc.sources.get(m.match)?.name ?? ""}” by ${m.why}` : "",
        ]
          .filter(Boolean)
          .join(" · "),
      }));
      app.doc.gone = new Set(list.missing.filter((m) => m.gone).map((m) => m.id));
      app.timeline.redrawSoon();
      const ready = list.missing.filter((m) => m.edit);
      if (linking && ready.length) await this.linkFound();
    },
    canLink() {
      return this.missing.some((/** @type {any} */ m) => m.edit);
    },
    /** Links all whose recordings are here, as one step. */
    async linkFound() {
      const edits = this.missing.filter((/** @type {any} */ m) => m.edit).map((/** @type {any} */ m) => m.edit);
      if (!edits.length) return;
      await app.mend.edit("together", { label: `link ${edits.length} ${edits.length === 1 ? "source" : "sources"}`, edits });
    },
    /** Links one source to a recording of the reel. @param {any} m @param {string} to */
    linkTo(m, to) {
      if (Number(to)) void app.mend.edit("link", { source: m.id, to: Number(to) });
    },
    /** Recordings that a missing source could be. @param {any} m @returns {Listed[]} */
    couldBe(m) {
      return app.sources.list.filter((/** @type {Listed} */ s) => Boolean(s.picture) === Boolean(m.picture) && !app.doc.lacks(s));
    },
    /** Takes files, or those of a folder, in whose names are asked for. @param {FileList | null} files @param {boolean} folder */
    async linkFiles(files, folder) {
      const all = [...(files ?? [])],
        wanted = folder && all.length ? await this.wantedOf(all) : all;
      if (!all.length) return;
      if (!wanted.length) {
        app.page.tell(
          `None of the ${all.length} files in that folder has the name of a missing source. Pick the files themselves, or link by hand.`,
        );
        return;
      }
      // Of a folder all is read first, so that of files of one name the best is linked.
      this.linking = !folder;
      const had = new Set(app.doc.sources.keys());
      app.page.hint = `Importing ${count(wanted.length, "file")} to link by name`;
      await app.uploads.add(wanted);
      if (folder) await this.leaveUnused(wanted, had);
    },
    /** Files of a folder that have the name of a source without media. @param {File[]} files */
    async wantedOf(files) {
      const { files: names } = await send("POST", `/reels/${app.doc.id}/wanted`, {
        files: files.map((f) => f.name),
        bytes: files.map((f) => f.size),
      }).catch((err) => {
        app.page.tell(say(err));
        return { files: [] };
      });
      return files.filter((f) => names.includes(f.name));
    },
    /** Once a folder's files were read, those that nothing was linked to leave the list of sources again. @param {File[]} files @param {Set<number>} had sources that were there before */
    async leaveUnused(files, had) {
      const names = new Set(files.map((f) => f.name)),
        running = () =>
          app.imports.list.some((/** @type {ImportJob} */ j) => names.has(j.name) && ["receiving", "waiting", "reading"].includes(j.state));
      await app.imports.read();
      while (running()) await new Promise((r) => setTimeout(r, 200));
      this.linking = true;
      await this.readMissing(); // links what has come
      await app.doc.settled();
      await app.sources.readSources();
      const kept = new Set(app.sources.list.filter((/** @type {Listed} */ s) => s.used.length).map((/** @type {Listed} */ s) => s.sound)); // of a picture that was linked
      const jobs = app.imports.list.filter((/** @type {ImportJob} */ j) => names.has(j.name)),
        made = new Set(jobs.flatMap((j) => [j.source ?? 0, ...(j.pictures ?? [])]));
      const over = app.sources.list.filter((s) => made.has(s.id) && !had.has(s.id) && !kept.has(s.id) && !s.used.length && !s.unlisted);
      for (const s of over) {
        try {
          app.doc.take(await send("DELETE", `/reels/${app.doc.id}/sources/${s.id}`));
        } catch {
          return; // it stays listed, and can be taken off by hand
        }
      }
      if (over.length)
        app.page.tell(
          `Not needed, so not listed: ${over.map((/** @type {Listed} */ s) => s.details?.fileName || s.name).join(", ")}. No clip uses ${over.length === 1 ? "it" : "them"}.`,
        );
    },

    // ——— Writing ———

    /** Whether an audio decision list goes with its sound. */
    withSound: true,
    /** Which of its fades are files of their own. */
    fades: /** @type {"" | "leans" | "curved"} */ (""),
    /** Whether clips that it cannot say are files of their own. */
    clips: true,
    writing: { lost: /** @type {string[]} */ ([]), format: "", busy: false, problem: "" },
    /** Says what a format does not hold, before it is written. @param {string} name */
    async lookAtWriting(name) {
      this.writing = { lost: [], format: name, busy: true, problem: "" };
      const choice = () => (name === "adl" && this.withSound ? `?sound=true&fades=${this.fades}&clips=${this.clips}` : ""),
        asked = choice();
      // Another format or choice may have been made meanwhile: a late answer says nothing of that.
      const current = () => this.writing.format === name && choice() === asked;
      try {
        const { lost } = await get(`/reels/${app.doc.id}/lists/${name}/survey${asked}`);
        if (current()) this.writing = { lost, format: name, busy: false, problem: "" };
      } catch (err) {
        if (current()) this.writing = { lost: [], format: name, busy: false, problem: say(err) };
      }
    },
    async doWrite() {
      if (this.writing.format === "adl" && this.withSound) {
        try {
          await app.jobs.begin(`/reels/${app.doc.id}/bundles`, {
            history: false,
            versions: false,
            list: "adl",
            fades: this.fades,
            clips: this.clips,
          });
        } catch (err) {
          this.writing.problem = say(err);
          return;
        }
        el("export").close();
        app.exporter.showJobs();
        return;
      }
      const a = document.createElement("a");
      a.href = `/api/v1/reels/${app.doc.id}/lists/${this.writing.format}`;
      a.download = "";
      a.click();
      el("export").close();
    },

    // ——— Laying pictures in ———

    /** Lays the marked stretch of a picture in at the playhead, with its sound tied to it. @param {Listed} s */
    async layShot(s) {
      const target =
        app.doc.tracks.get(app.session.target)?.role === "picture"
          ? app.doc.order().find((t) => t.role === "dialogue")
          : app.doc.tracks.get(app.session.target);
      const length = s.picture?.frames
        ? app.session.mark.to - app.session.mark.from
        : Math.min(app.session.mark.to - app.session.mark.from, app.doc.props.sampleRate * 5);
      const c = await app.mend.edit(
        "layShot",
        {
          picture: s.id,
          track: 0,
          start: Math.round(app.timeline.playhead),
          offset: app.session.mark.from,
          length,
          sounds: s.sound && target ? [{ source: s.sound, track: target.id }] : [],
          later: app.session.later,
        },
        true,
      );
      if (c) app.sources.laid(c);
    },
    pictureNote(/** @type {Listed} */ s) {
      const pic = s.picture,
        p = app.doc.props;
      if (!pic) return "";
      if (!s.recording || s.gone) return "picture, missing media";
      return pic.frames
        ? `${timecode(s.length, { ...p, startFrame: 0 }).slice(3)} · ${count(pic.frames, "frame")} · ${(pic.rate.num / pic.rate.den).toFixed(3).replace(/\.?0+$/, "")} fps`
        : "still";
    },
  });
