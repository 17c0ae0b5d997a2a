// Split edits: how the sound of a seam leads or lags its picture cut, by number,
// by key and as suggested.

import { panel } from "../lib/panel.js";
import { get, say } from "../app/api.js";
import { frameLength, frames, sampleOf, typed } from "../lib/timecode.js";

/** @param {import("../app/app.js").App} app */
export const splitting = (app) =>
  panel({
    /** @type {Leads | null} what is possible at the chosen seam */
    leads: null,
    leadsBusy: false,
    leadsFor: "",

    /** By how many frames the sound of the chosen seam leads. */
    leadNow() {
      return Math.round((app.session.seam?.cut?.lead ?? 0) * 10) / 10;
    },
    /** @returns {string} */
    leadText() {
      const c = app.session.seam?.cut;
      return c ? c.words || "straight" : "";
    },
    leadSize() {
      return Math.abs(this.leadNow());
    },
    /** What else would be heard, the nearest first. @returns {string[]} */
    beyondList() {
      /** @type {{beyond: number, kind: string, says: string}[]} */
      const all = this.leads?.warnings ?? [];
      return all
        .filter((w) => w.kind !== "handle")
        .sort((a, b) => Math.abs(a.beyond) - Math.abs(b.beyond))
        .map((w) => `${w.beyond > 0 ? "leading" : "lagging"} more than ${Math.abs(w.beyond)}: ${w.says}`);
    },
    beyondText() {
      return this.beyondList()[0] ?? "";
    },
    beyondAll() {
      return this.beyondList().join("\n");
    },
    leadWay() {
      const n = this.leadNow();
      return n > 0 ? "leads" : n < 0 ? "lags" : "straight";
    },
    /** What can be done, in words. */
    leadRange() {
      const l = this.leads;
      return l
        ? `can lead ${Math.floor(Math.max(l.mostLead, 0))}, lag ${Math.floor(Math.max(l.mostLag, 0))} frames`
        : this.leadsBusy
          ? "listening to the handles…"
          : "";
    },
    /** Asks what is possible, when the seam or what lies there has changed. */
    async readLeads() {
      const s = app.session.seam;
      if (!app.picture.seen || !s?.cut || app.measures.view !== "picture") {
        if (!s?.cut) this.leads = null;
        return;
      }
      const key = `${s.left}-${s.right} ${app.doc.revision}`;
      if (this.leadsFor === key) return;
      this.leadsFor = key;
      this.leadsBusy = true;
      if (!this.leads || !String(this.leadsOf).startsWith(`${s.left}-${s.right}`)) this.leads = app.splitLine.leads = null;
      try {
        const found = /** @type {Leads} */ (await get(`/reels/${app.doc.id}/leads?left=${s.left}&right=${s.right}`));
        if (this.leadsFor !== key) return;
        this.leads = app.splitLine.leads = found;
        this.leadsOf = key;
      } catch {
        if (this.leadsFor === key) this.leads = null;
      }
      if (this.leadsFor === key) this.leadsBusy = false;
      app.splitLine.redraw();
    },
    leadsOf: "",

    /** The view of pictures with its grips, or back to the waves. */
    toggleSplit() {
      if (!app.picture.seen) {
        app.page.tell("This reel has no picture. Import a video or an edit list under Sources.");
        return;
      }
      app.measures.setView(app.measures.view === "picture" ? "wave" : "picture");
      if (app.measures.view === "picture" && app.session.seam?.cut) app.session.acting = "lead";
      else if (app.session.acting === "lead") app.session.acting = "cut";
    },

    /** Sets the lead of the chosen seam, or of all cuts of the span. @param {number} n frames @param {boolean} [many] @param {number} [parts] of a frame that count */
    setLead(n, many = false, parts = 10) {
      const s = app.session.seam,
        span = app.session.span;
      let cuts = s?.cut ? [{ left: s.left, right: s.right }] : [];
      if (many && span)
        cuts = app.doc.seams
          .filter((o) => o.cut && o.kind === "cut" && o.cut.at >= span.from && o.cut.at <= span.to)
          .map((o) => ({ left: o.left, right: o.right }));
      if (!cuts.length) {
        app.page.tell(many ? "No picture cuts in the span." : "No picture cut here. Tie the clips to their shots first.");
        return;
      }
      return app.mend.edit("lead", { cuts, frames: Math.round(n * parts) / parts });
    },
    /** @param {string} v */
    typeLead(v) {
      const n = typed(v);
      if (Number.isFinite(n)) void this.setLead(this.leadWay() === "lags" && n > 0 ? -n : n);
    },
    /** @param {string} way */
    turnLead(way) {
      const n = Math.abs(this.leadNow()) || 8;
      void this.setLead(way === "straight" ? 0 : way === "leads" ? n : -n);
    },
    /** Moves the sound's cut by so many samples, also by parts of a frame. @param {number} by */
    nudgeLead(by) {
      const p = app.doc.props,
        lag = app.session.seam?.cut?.lag ?? 0;
      return this.setLead(-frames(lag, p) - by / frameLength(p), false, 1000);
    },
    /** All cuts of the span as the chosen one. */
    leadSpan() {
      void this.setLead(this.leadNow(), true);
    },

    // ——— The picture's own dissolve ———

    /** Frames of the dissolve at the picture cut, 0 for a cut. */
    dissolveNow() {
      const c = app.session.seam?.cut,
        b = c && app.doc.blendOf(c.left, c.right);
      return b ? Math.round(frames(b.before + b.after, app.doc.props)) : 0;
    },
    /** @param {string} v frames */
    setDissolve(v) {
      const c = app.session.seam?.cut,
        n = Math.round(typed(v)),
        b = c && app.doc.blendOf(c.left, c.right),
        p = app.doc.props;
      if (!c || !Number.isFinite(n) || n < 0) return;
      if (n === 0) {
        if (b) void app.mend.edit("removeBlend", { blend: b.id });
        return;
      }
      void app.mend.edit("setBlend", {
        left: c.left,
        right: c.right,
        before: sampleOf(Math.ceil(n / 2), p),
        after: sampleOf(Math.floor(n / 2), p),
        law: "constantGain",
        lean: 0.5,
      });
    },

    // ——— Suggestions ———

    /** @param {SplitOffer} o */
    offerNote(o) {
      return o.after.verdict === "fine" ? "fine" : o.after.brief;
    },
    /** The suggestion of one way: lead, lag or straight. @param {string} way @returns {SplitOffer | undefined} */
    offerOf(way) {
      return this.leads?.offers.find((/** @type {SplitOffer} */ o) =>
        way === "leads" ? o.frames > 0 : way === "lags" ? o.frames < 0 : o.frames === 0,
      );
    },
    /** Hears a suggestion, with its picture. @param {SplitOffer} o */
    async hearLead(o) {
      try {
        const r = await app.doc.dryRun(o.edit.do, o.edit.with, undefined, false, true);
        app.timeline.rehearse(r.change);
        this.leadTrial = true;
        void app.listen.playSeam("blend", r.trial);
      } catch (err) {
        app.page.tell(say(err));
      }
    },
    leadTrial: false,
    /** What was heard on trial is over. */
    dropLeadTrial() {
      if (!this.leadTrial) return;
      this.leadTrial = false;
      app.timeline.rehearse(null);
    },
    /** Takes a suggestion. @param {SplitOffer} o */
    takeLead(o) {
      void app.mend.edit(o.edit.do, o.edit.with);
    },
    /** By key: asks first where nothing is known yet. @param {string} way @param {boolean} [hear] to hear it instead of taking it */
    async takeLeadWay(way, hear = false) {
      if (!app.session.seam?.cut) {
        app.page.tell("No picture cut here.");
        return;
      }
      await app.doc.settled();
      if (app.measures.view !== "picture") app.measures.setView("picture");
      await this.readLeads();
      while (this.leadsBusy) await new Promise((r) => setTimeout(r, 30));
      const o = this.offerOf(way);
      if (o && hear) void this.hearLead(o);
      else if (o) this.takeLead(o);
      else
        app.page.tell(
          way === "leads"
            ? "No lead suggested: nothing incoming starts before the picture cut."
            : "No lag suggested: nothing outgoing continues after the picture cut.",
        );
    },
  });
