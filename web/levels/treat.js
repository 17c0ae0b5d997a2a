// Treatment of a track or a clip: filters and an expander, by their fields and by the
// curve, and the tone that is matched.

import { el, panel } from "../lib/panel.js";
import { say, send } from "../app/api.js";
import { decibels, typedDecibels } from "../lib/decibels.js";
import { typed } from "../lib/timecode.js";
import { TreatView } from "./treatview.js";

/** @typedef {"highPass" | "lowPass" | "lowShelf" | "highShelf" | 0 | 1 | 2 | 3} BandID a filter by its name, a bell by its number */

const copy = (/** @type {Settings} */ s) => /** @type {Settings} */ (JSON.parse(JSON.stringify(s)));

/** A frequency as a field shows it. @param {number} hz */
const hertz = (hz) => String(Math.round(hz * 10) / 10);

/** A frequency as it is typed: 80, 1.2k, 2 kHz. @param {string} text */
const typedHz = (text) => {
  const m = /^\s*([\d.,]+)\s*(k?)(hz)?\s*$/i.exec(text);
  return m ? typed(m[1]) * (m[2] ? 1000 : 1) : NaN;
};

/** @param {import("../app/app.js").App} app */
export const treating = (app) =>
  panel({
    /** @type {{kind: "clip" | "track", id: number, does: Settings, off: boolean, alone: boolean, look: TreatmentLook | null} | null} */ now: null,
    /** The clip or track that is heard as it was before, 0 for none. */
    without: 0,
    busy: "",
    /** The uncertainty of each third octave of the tone that was matched last, and the clip. @type {{clip: number, unsure: number[]} | null} */
    matched: null,
    /** The filters in the order of what they act on. @type {{id: BandID, name: string, says: string, cut?: boolean, bell?: boolean}[]} */
    bands: [
      { id: "highPass", name: "High-pass", says: "Lets pass what lies above", cut: true },
      { id: "lowShelf", name: "Low shelf", says: "Raises or lowers all below" },
      { id: 0, name: "Bell 1", says: "Raises or lowers what lies around", bell: true },
      { id: 1, name: "Bell 2", says: "Raises or lowers what lies around", bell: true },
      { id: 2, name: "Bell 3", says: "Raises or lowers what lies around", bell: true },
      { id: 3, name: "Bell 4", says: "Raises or lowers what lies around", bell: true },
      { id: "highShelf", name: "High shelf", says: "Raises or lowers all above" },
      { id: "lowPass", name: "Low-pass", says: "Lets pass what lies below", cut: true },
    ],
    /** @type {[keyof Expander, string, string][]} */
    expanderFields: [
      ["thresholdDB", "Threshold", "dBFS; what is louder stays"],
      ["rangeDB", "Range", "dB by which it lowers at most"],
      ["ratio", "Ratio", "dB that come out for each dB under the threshold"],
      ["attack", "Attack", "ms in which it opens"],
      ["ahead", "Before", "ms before a word at which it begins to open"],
      ["hold", "Hold", "ms for which it stays open after a word"],
      ["release", "Release", "ms in which it closes"],
    ],

    /** What is treated, in words. */
    of() {
      const w = this.now;
      if (!w) return "";
      return w.kind === "clip" ? `of “${app.doc.clips.get(w.id)?.name}”` : `of the track ${app.doc.tracks.get(w.id)?.name}`;
    },
    usual() {
      return app.doc.usual?.treatments ?? [];
    },
    /** What is said of a clip's or a track's treatment where it is opened. @param {number | undefined} id */
    words(id) {
      const t = this.seen >= 0 && id && this.there(id);
      if (!t) return "none";
      const { does } = t,
        said = [];
      if (does.highPass?.slope) said.push(`from ${hertz(does.highPass.hz)} Hz`);
      if (does.lowPass?.slope) said.push(`to ${hertz(does.lowPass.hz)} Hz`);
      const n = [does.lowShelf, does.highShelf, ...(does.bells ?? [])].filter((b) => b?.db).length;
      if (n) said.push(n === 1 ? "1 band" : `${n} bands`);
      if (does.tone?.amount) said.push("tone");
      if (does.expander?.rangeDB) said.push("expander");
      if (t.alone) said.push("track treatment bypassed");
      return (t.off ? "off: " : "") + said.join(", ");
    },
    /** @param {number} id */
    there(id) {
      return [...app.doc.treatments.values()].find((t) => t.clip === id || t.track === id);
    },

    /** Opens the treatment of the track that is shown, or of the one that keys act on. */
    openTrack() {
      const t = app.session.track ?? app.clips.tracks.find((o) => app.session.working.has(o.id) && o.role !== "picture");
      if (!t || t.role === "picture") app.page.tell("Select a track with sound first.");
      else this.open("track", t.id);
    },
    openClip() {
      const c = app.levels.meant()[0];
      if (c) this.open("clip", c.id);
      else app.page.tell("Select a clip with sound first.");
    },
    /** @param {"clip" | "track"} kind @param {number} id */
    open(kind, id) {
      if (this.now?.id === id) return this.drop();
      this.drop();
      this.now = { kind, id, does: copy(/** @type {Settings} */ (app.doc.usual?.treatment)), off: false, alone: false, look: null };
      this.take();
      void Alpine.nextTick(() => {
        this.view = new TreatView(el("treat-view"), app, this);
      });
      return undefined;
    },
    /** @type {TreatView | null} */ view: null,
    drop() {
      this.now = null;
      this.view?.end();
      this.view = null;
      if (this.without) this.compare();
    },

    /** How often treatments have changed, for what tells of them. */
    seen: 0,
    /** @param {Change | undefined} change none where the reel was read anew */
    touch(change) {
      if (!change || change.treatments) this.seen++;
      if (!this.now || (this.view?.held ?? null) !== null) return;
      if (!change || change.treatments || change.clips || change.tracks) this.take();
    },
    /** Takes what has become of it. */
    take() {
      const w = this.now;
      if (!w) return;
      if (!(w.kind === "clip" ? app.doc.clips : app.doc.tracks).has(w.id)) {
        this.drop();
        return;
      }
      const t = this.there(w.id),
        start = /** @type {Settings} */ (app.doc.usual?.treatment);
      const was = w.does,
        does = copy({ ...start, ...t?.does });
      does.bells = /** @type {Bell[]} */ (start.bells).map((b, i) => (t?.does.bells?.[i]?.hz ? t.does.bells[i] : b));
      for (const k of /** @type {const} */ (["highPass", "lowPass", "lowShelf", "highShelf"]))
        if (!does[k]?.hz) does[k] = /** @type {any} */ ({ ...start[k] });
      // Of filters that do nothing what was typed stays, for when they do.
      const idle = (/** @type {any} */ b) => !(b?.slope ?? b?.db);
      for (const k of /** @type {const} */ (["highPass", "lowPass", "lowShelf", "highShelf"]))
        if (idle(does[k]) && idle(was[k])) does[k] = /** @type {any} */ (was[k]);
      does.bells = does.bells.map((b, i) => (idle(b) && idle(was.bells?.[i]) ? /** @type {Bell} */ (was.bells?.[i]) : b));
      Object.assign(w, { does, off: t?.off ?? false, alone: t?.alone ?? false });
      this.look(true);
    },
    /** Asks what the settings do; of what was asked meanwhile the newest counts. @param {boolean} listen */
    look(listen) {
      this.listen = this.listen || listen;
      if (this.asking) return;
      this.asking = true;
      void (async () => {
        for (let asked = ""; this.now;) {
          const w = this.now,
            listen = this.listen,
            what = { [w.kind]: w.id, does: w.does, at: Math.round(app.timeline.playhead), listen },
            text = JSON.stringify(what);
          if (text === asked && !listen) break;
          asked = text;
          this.listen = false;
          const found = await send("POST", `/reels/${app.doc.id}/treatment`, what).catch((err) => void app.page.tell(say(err)));
          if (!found) break;
          if (this.now === w) w.look = listen ? found : { ...w.look, ...found };
          this.view?.redraw();
        }
        this.asking = false;
      })();
    },
    asking: false,
    listen: false,

    /** One of the filters. @param {BandID} id @returns {any} */
    get(id) {
      const does = this.now?.does;
      return typeof id === "number" ? does?.bells?.[id] : does?.[id];
    },
    /** Whether a filter does anything. @param {BandID} id */
    acts(id) {
      const b = this.get(id);
      return Boolean(b && (b.slope ?? b.db));
    },
    /** @param {BandID} id @param {"hz" | "db" | "q"} which */
    field(id, which) {
      const b = this.get(id);
      if (!b) return "";
      return which === "db" ? decibels(b.db ?? 0) : which === "hz" ? hertz(b.hz) : String(b.q);
    },
    /** Sets one number of a filter. @param {BandID} id @param {"hz" | "db" | "q"} which @param {HTMLInputElement} field */
    type(id, which, field) {
      const text = field.value,
        n = which === "db" ? typedDecibels(text) : which === "hz" ? typedHz(text) : typed(text);
      field.value = this.field(id, which);
      if (Number.isNaN(n)) app.page.tell(`“${text}” is not a ${which === "hz" ? "frequency. Type 80 or 1.2k." : "number."}`);
      else this.set(id, { [which]: n });
    },
    /** @param {BandID} id @param {string} v */
    slope(id, v) {
      this.set(id, { slope: Number(v) });
    },
    /** An arrow in a field of gain steps it by half a dB. @param {BandID} id @param {KeyboardEvent} e */
    arrow(id, e) {
      const way = { ArrowUp: 1, ArrowDown: -1 }[e.key];
      if (!way) return;
      e.preventDefault();
      this.set(id, { db: (this.get(id).db ?? 0) + way * (e.shiftKey ? 3 : 0.5) });
    },
    /** Takes a filter out, or puts it in as it is used most. @param {BandID} id */
    toggle(id) {
      const b = this.get(id);
      if (b.slope !== undefined || id === "highPass" || id === "lowPass") this.set(id, { slope: b.slope ? 0 : 12 });
      else this.set(id, { db: b.db ? 0 : id === "lowShelf" ? -3 : 3 });
    },
    /** Alters a filter, and keeps it. @param {BandID} id @param {Record<string, number>} alter */
    set(id, alter) {
      const idle = !this.acts(id);
      this.alter(id, alter);
      if (idle && !this.acts(id)) this.view?.redraw();
      else void this.keep();
    },
    /** Alters a filter as it is shown. @param {BandID} id @param {Record<string, number>} alter */
    alter(id, alter) {
      Object.assign(this.get(id), alter);
    },
    /** Makes the reel so; without more as its filters are shown. @param {Record<string, unknown>} [alter] */
    async keep(alter) {
      const w = this.now;
      if (!w) return;
      const of = w.kind === "clip" ? { clips: [w.id] } : { track: w.id };
      await app.mend.edit("treat", { ...of, ...copy(/** @type {any} */ (alter ?? { does: w.does })) });
      this.take(); // also what was refused
    },
    /** @param {boolean} off */
    bypass(off) {
      void this.keep({ off });
    },
    /** @param {boolean} alone */
    setAlone(alone) {
      void this.keep({ alone });
    },
    /** @param {HTMLSelectElement} list */
    choose(list) {
      const n = this.usual()[Number(list.value)];
      if (list.value !== "" && n && this.now) {
        this.now.does = { ...copy(n.does), expander: this.now.does.expander, tone: this.now.does.tone };
        void this.keep();
      }
      list.value = "";
    },
    remove() {
      void this.keep({ does: {}, alone: this.now?.kind === "clip" ? false : undefined });
    },

    expands() {
      return Boolean(this.now?.does.expander?.rangeDB);
    },
    /** @param {keyof Expander} which */
    expander(which) {
      const e = this.expands() ? this.now?.does.expander : app.doc.usual?.expander;
      if (!e) return "";
      return which === "thresholdDB" ? decibels(e[which]) : String(e[which]);
    },
    /** @param {boolean} on */
    expand(on) {
      const w = this.now;
      if (!w) return;
      w.does.expander = on ? { .../** @type {Expander} */ (app.doc.usual?.expander) } : undefined;
      if (on && w.look?.threshold !== undefined && w.does.expander) w.does.expander.thresholdDB = w.look.threshold;
      void this.keep();
    },
    /** @param {keyof Expander} which @param {HTMLInputElement} field */
    typeExpander(which, field) {
      const text = field.value,
        n = which === "thresholdDB" ? typedDecibels(text) : typed(text);
      field.value = this.expander(which);
      if (Number.isNaN(n)) app.page.tell(`“${text}” is not a number.`);
      else if (this.now?.does.expander) {
        this.now.does.expander[which] = n;
        void this.keep();
      }
    },
    room() {
      const db = this.now?.look?.room;
      return db === undefined ? "" : decibels(db);
    },
    threshold() {
      const db = this.now?.look?.threshold;
      return db === undefined ? "" : decibels(db);
    },
    fromRoom() {
      const db = this.now?.look?.threshold;
      if (db === undefined || !this.now) return;
      this.now.does.expander = {
        .../** @type {Expander} */ (this.expands() ? this.now.does.expander : app.doc.usual?.expander),
        thresholdDB: db,
      };
      void this.keep();
    },

    toned() {
      return Boolean(this.now?.does.tone?.bands?.some((db) => db !== 0));
    },
    amount() {
      return Math.round(100 * (this.now?.does.tone?.amount ?? 0));
    },
    /** @param {string} v */
    setAmount(v) {
      const tone = this.now?.does.tone;
      if (tone) void this.keep({ tone: { ...tone, amount: Number(v) / 100 } });
    },
    /** Brings the tone of the clips that are meant to the first of them, or of one to the clip before. */
    async matchTone() {
      const clips = this.now?.kind === "clip" && app.session.chosen.size < 2 ? [this.now.id] : app.levels.meant().map((c) => c.id);
      if (!clips.length) {
        app.page.tell("Select a clip with sound first.");
        return;
      }
      await app.doc.settled();
      this.busy = "Listening to the speech…";
      try {
        const found = /** @type {ToneProposal} */ (await send("POST", `/reels/${app.doc.id}/match-tone`, { clips }));
        if (found.edit) await app.mend.edit(found.edit.do, /** @type {any} */ (found.edit.with));
        const row = found.rows?.find((r) => r.clip === this.now?.id);
        this.matched = row?.unsure ? { clip: row.clip, unsure: row.unsure } : null;
        this.view?.redraw();
        app.page.hint = found.words || "The tone is matched already.";
        const anyway = found.anyway;
        if (anyway)
          app.page.tell(found.words, "Match anyway", async () => {
            if (await app.mend.edit(anyway.do, /** @type {any} */ (anyway.with)))
              app.page.hint = "Tone matched, with the uncertainty shown";
          });
      } catch (err) {
        app.page.tell(say(err));
      } finally {
        this.busy = "";
      }
    },

    /** The uncertainty of the shown tone in dB, a value for each third octave from 100 Hz. */
    unsure() {
      return this.matched && this.now?.kind === "clip" && this.now.id === this.matched.clip ? this.matched.unsure : [];
    },
    unsureText() {
      const all = this.unsure();
      return all.length ? `±${Math.min(...all).toFixed(1)} to ${Math.max(...all).toFixed(1)} dB` : "";
    },

    /** Hears what is treated as it was before, or as it is again. */
    compare() {
      const on = this.now?.id ?? (app.session.track ? app.session.track.id : app.levels.meant()[0]?.id);
      if (!this.without && !(on && this.there(on))) {
        app.page.tell(on ? "No treatment here to compare." : "Select a track or a clip first.");
        return;
      }
      this.without = this.without ? 0 : (on ?? 0);
      app.player.refresh();
      app.page.hint = this.without ? "Heard without the treatment" : "Heard with the treatment";
    },
    /** What is added to the address of what is heard. */
    heard() {
      return this.without ? `&untreated=${this.without}` : "";
    },
  });
