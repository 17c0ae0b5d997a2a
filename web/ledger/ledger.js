// The ledger: every seam with its verdict, the worst first or by time; going
// from one to the next, marking one as heard, and playing through them.

import { el, panel } from "../lib/panel.js";
import { say, send } from "../app/api.js";
import { Still, asks, finding, listed, worstOf } from "./listed.js";
import { SeamRows } from "./seamrows.js";

/** @type {ReturnType<typeof setTimeout> | undefined} until a pointer counts as at rest */
let pointing;

/** Height of a row of the ledger, as in app.css. */
const rowHeight = 46;

/** @param {import("../app/app.js").App} app */
export const ledger = (app, seamRows = new SeamRows(app)) =>
  panel({
    /** @type {readonly any[]} */ seams: [],
    seamNumber: 0,
    seamTitle: "",

    /** Notes what a change may mean for rows. @param {Change | undefined} change none where the reel was read anew */
    touch: (change) => seamRows.touch(change),

    takeSeams() {
      app.page.length = app.doc.length;
      this.takeRated();
      setTimeout(() => void app.lead.readLeads());
      const mine = app.session.seam;
      if (mine) {
        // After a trim the two may have parted: go with the edge that is acted on. After a split
        // one of them is another clip, at the same place.
        const edge = app.session.acting === "in" || app.session.acting === "out",
          incoming = app.session.acting === "in";
        // What was struck and is lifted leaves its clip's own seams; they never become a struck span.
        const plain = app.doc.seams.filter((s) => s.kind !== "struck");
        const along = (/** @type {Seam} */ s) =>
          incoming ? s.right === mine.right && mine.right !== 0 : s.left === mine.left && mine.left !== 0;
        const here = (/** @type {Seam} */ s) => s.track === mine.track && s.at === mine.at && s.kind === mine.kind;
        const still =
          app.doc.seams.find((s) => s.left === mine.left && s.right === mine.right) ??
          (edge ? plain.find(along) : app.doc.seams.find(here)) ??
          plain.find(along) ??
          plain.find(
            (s) => s.kind === "cut" && ((s.left === mine.left && mine.left !== 0) || (s.right === mine.right && mine.right !== 0)),
          ) ??
          plain.find((s) => (s.left === mine.left && mine.left !== 0) || (s.right === mine.right && mine.right !== 0));
        if (still) this.setSeam(still);
        else this.setSeam(app.doc.seams.find((s) => s.at >= mine.at) ?? app.doc.seams.at(-1) ?? null);
      } else if (app.doc.seams.length && !app.page.ready) {
        this.setSeam(app.doc.seams.find((s) => s.kind === "cut") ?? app.doc.seams[0]);
      }
      app.timeline.redrawSoon();
    },

    /** @param {any} s */
    isSeam(s) {
      return Boolean(app.session.seam && s.left === app.session.seam.left && s.right === app.session.seam.right);
    },

    /** @param {Seam | null} s */
    setSeam(s) {
      const was = app.session.seam,
        another = !s || !was || s.left !== was.left || s.right !== was.right,
        other = another || s.at !== was?.at;
      app.session.seam = s ? { ...s } : null;
      void app.lead.readLeads();
      app.splitLine.redraw();
      const row = this.rowFor(app.session.seam);
      this.seamNumber = row?.number ?? 0;
      this.seamTitle = row?.title ?? "";
      if (another) {
        app.measures.leaveBetter();
        this.holdSeam();
        Alpine.nextTick(() => this.bringRow());
      }
      if (other) {
        app.closeup.limit = "";
        void app.close.look(app.session.seam);
      } else {
        app.close.seam = app.session.seam;
        void app.close.read();
      }
      app.timeline.redraw();
    },

    /** Shows a seam everywhere. @param {Seam} s @param {string} [edge] which of its edges is meant @param {boolean} [here] it was pointed at: the timeline keeps its view @param {boolean} [keep] clips that are chosen stay so */
    chooseSeam(s, edge, here = false, keep = false) {
      app.rides.clear();
      this.setSeam(s);
      if (edge) app.session.acting = edge;
      else if (["clip", "slip", "slide"].includes(app.session.acting)) app.session.acting = "cut";
      app.session.working = new Set([s.track]);
      app.act.takeWorking();
      app.session.stage = "seam";
      app.session.source = null;
      if (!keep) app.session.chosen = new Set();
      app.session.track = null;
      app.clips.takeChosen();
      if (!app.session.playing) app.listen.seek(s.at);
      const reach = app.doc.props.sampleRate * 2;
      if (!here) app.timeline.show(s.at - reach, s.at + reach);
      this.bringRow();
      app.page.toAddress();
    },

    filter: "all",
    order: "worst",
    ledgerTop: 0,
    ledgerHeight: 600,
    measuring: "",
    /** @type {{worst: number} | null} how bad the chosen seam was when one came to it */
    held: null,
    /** @type {{list: Seam[], at: number} | null} seams that are played one after the other */
    walking: null,

    /** Whether a seam still asks for something. @param {Seam} s */
    asks(s) {
      return asks(s);
    },
    /** The row of a seam, or undefined. @param {{left: number, right: number} | null} s */
    rowFor(s) {
      return s ? this.seams.find((o) => o.left === s.left && o.right === s.right) : undefined;
    },

    /** What is looked for among clips, tracks, timecodes and what was found. */
    find: "",
    /** The seams that have all words that are looked for. */
    get found() {
      return finding(
        this.seams,
        this.find,
        (s) => `${s.title} ${s.why} ${s.brief ?? ""} ${s.word} ${s.time} ${app.doc.tracks.get(s.track)?.name ?? ""}`,
      );
    },
    /** From what is looked for to the list. @param {boolean} go to its first seam */
    endFind(go) {
      if (!go) this.find = "";
      el("ledger").focus();
      if (go && this.shown.length && this.placeShown() < 0) this.chooseSeam(this.shown[0]);
    },

    /** Seams that the filter lets through, by time. */
    get along() {
      return listed(this.found).through(this.filter).along;
    },
    /** The same in the order of the list. The chosen seam keeps its place while it is mended, and sinks when one goes on. */
    get shown() {
      if (this.order === "time") return this.along;
      const s = app.session.seam,
        sorted = listed(this.found)
          .through(this.filter)
          .sorted(s ?? null, s ? this.held?.worst : undefined);
      return this.still ? this.still.of(sorted) : sorted;
    },
    /** @type {Still | null} the order that the list keeps while one points at it */
    still: null,
    /** No row moves under a pointer that is on its way to it; one that rests lets the list be ordered again. @param {boolean} over */
    point(over) {
      clearTimeout(pointing);
      if (over) pointing = setTimeout(() => this.point(false), 1500);
      if (over === Boolean(this.still)) return;
      const was = this.placeShown();
      this.still = over ? new Still(this.shown) : null;
      if (!over) this.followRow(was);
    },
    /** What one looks at stays where it is in sight, however the others are ordered anew. @param {number} was its place before */
    followRow(was) {
      const box = el("ledger"),
        now = this.placeShown();
      const seen = was >= 0 && was * rowHeight >= box.scrollTop - rowHeight && was * rowHeight < box.scrollTop + box.clientHeight;
      // At the top of the list the worst stay in sight, as long as it is there too.
      const atTop = box.scrollTop === 0 && (now + 1) * rowHeight <= box.clientHeight;
      if (seen && now >= 0 && now !== was && !atTop) Alpine.nextTick(() => (box.scrollTop += (now - was) * rowHeight));
    },
    /** Remembers how bad the chosen seam was when one came to it. */
    holdSeam() {
      const s = this.rowFor(app.session.seam);
      this.held = s && s.verdict ? { worst: worstOf(s) } : null;
    },
    /** @param {string} kind */
    countOf(kind) {
      return listed(this.found).counts[kind];
    },
    toggleOrder() {
      this.still = null;
      this.order = this.order === "worst" ? "time" : "worst";
      Alpine.nextTick(() => this.bringRow());
    },

    // Only the rows in sight are made, so that thousands of seams stay light.
    get firstRow() {
      return Math.max(Math.floor(this.ledgerTop / rowHeight) - 4, 0);
    },
    get rows() {
      return this.shown.slice(this.firstRow, this.firstRow + Math.ceil(this.ledgerHeight / rowHeight) + 8);
    },
    get padTop() {
      return `${this.firstRow * rowHeight}px`;
    },
    get padBottom() {
      return `${Math.max(this.shown.length - this.firstRow - this.rows.length, 0) * rowHeight}px`;
    },

    /** What was measured meanwhile comes into the rows. */
    takeRated() {
      const was = this.placeShown();
      // Frozen, so that the page does not watch each of thousands of rows: they are always made anew.
      this.seams = seamRows.all();
      this.tellMeasuring();
      if (!this.held) this.holdSeam();
      this.followRow(was);
      app.timeline.redrawSoon();
    },
    tellMeasuring() {
      const left = app.doc.seams.filter((s) => !s.verdict || s.stale).length;
      this.measuring = left ? `measuring ${left} of ${app.doc.seams.length}` : "";
    },

    /** The place of the chosen seam in the list as shown, −1 where it is not. */
    placeShown() {
      const row = this.rowFor(app.session.seam);
      return row ? this.shown.indexOf(row) : -1;
    },
    /** Scrolls the ledger to the chosen seam. */
    bringRow() {
      const i = this.placeShown(),
        box = el("ledger");
      if (i < 0) return;
      if (i * rowHeight < box.scrollTop) box.scrollTop = i * rowHeight;
      else if ((i + 1) * rowHeight > box.scrollTop + box.clientHeight) box.scrollTop = (i + 1) * rowHeight - box.clientHeight;
    },

    /**
     * Goes along a list from the chosen seam, or from its place when it has left the list by being mended.
     * @param {readonly any[]} list @param {number} by
     */
    stepAlong(list, by) {
      if (!list.length) return null;
      let i = list.indexOf(this.rowFor(app.session.seam));
      if (i < 0) {
        const here = app.session.seam?.at ?? app.timeline.playhead,
          next = list.findIndex((s) => s.at >= here);
        i = (next < 0 ? list.length : next) - (by > 0 ? 1 : 0);
      }
      const next = list[Math.min(Math.max(i + by, 0), list.length - 1)];
      this.chooseSeam(next);
      if (["blend", "hard"].includes(app.session.hearing)) void app.listen.playSeam(app.session.hearing);
      return next;
    },
    /** By time, through the seams that the filter shows. @param {number} by */
    stepSeam(by) {
      this.stepAlong(this.along, by);
    },
    /** Down the list as it stands. @param {number} by */
    stepRow(by) {
      this.stepAlong(this.shown, by);
    },
    /** To the next or previous seam that is not fine, by time, and round again, among those that are looked for. @param {number} by */
    stepBad(by) {
      /** @type {readonly any[]} */
      const all = this.found,
        list = all.filter((s) => this.asks(s));
      if (!list.length) {
        app.page.tell(
          this.measuring
            ? "No seam to check or mend so far. Some are still being measured."
            : this.find
              ? `No seam with “${this.find}” to check or mend.`
              : "No seam to check or mend: all are fine or accepted.",
        );
        return;
      }
      const here = this.rowFor(app.session.seam)?.number ?? 0;
      const next =
        by > 0 ? (list.find((s) => s.number > here) ?? list[0]) : (list.findLast((s) => s.number < here) ?? list[list.length - 1]);
      this.chooseSeam(next);
      const round = by > 0 ? next.number <= here : next.number >= here;
      app.page.hint = `${list.indexOf(next) + 1} of ${list.length} to check or mend${round ? `, from the ${by > 0 ? "first" : "last"} again` : ""}`;
      if (["blend", "hard"].includes(app.session.hearing)) void app.listen.playSeam(app.session.hearing);
    },

    /** Marks the chosen seam as heard and found good, or takes the mark off. */
    async accept() {
      const row = this.rowFor(app.session.seam);
      if (!row) return;
      if (!row.verdict || row.stale) {
        app.page.tell("This seam is still being measured. Try again in a moment.");
        return;
      }
      if (row.verdict === "fine" && !row.accepted) {
        app.page.tell("This seam is fine: nothing to accept.");
        return;
      }
      try {
        await send("POST", `/reels/${app.doc.id}/accept`, { print: row.print, good: !row.accepted });
        app.doc.takeAccepted({ print: row.print, good: !row.accepted });
        app.page.hint = row.accepted ? `${row.title}: no longer accepted` : `${row.title}: accepted, until something near it changes`;
      } catch (err) {
        app.page.tell(say(err));
      }
    },

    /** Marks the chosen seam as heard and good, and goes on to the next that asks for something. */
    async acceptOn() {
      const row = this.rowFor(app.session.seam);
      if (row && this.asks(row)) await this.accept();
      this.stepBad(1);
    },

    /** Plays every seam that is not fine, one after another with its surroundings; once more stops. */
    walk() {
      if (this.walking) {
        this.walking = null;
        app.player.stop();
        return;
      }
      const list = this.found.filter((/** @type {any} */ s) => this.asks(s));
      if (!list.length) {
        app.page.tell("Nothing to play through: no seam to check or mend.");
        return;
      }
      // From here on, and round to the ones before.
      const here = app.session.seam?.at ?? 0,
        at = Math.max(
          list.findIndex((/** @type {any} */ s) => s.at >= here),
          0,
        );
      this.walking = { list: [...list.slice(at), ...list.slice(0, at)], at: 0 };
      app.session.looping = false;
      this.chooseSeam(list[at]);
      void app.listen.playSeam("blend");
    },
    /** The seam that was played has ended: the next one. */
    walkOn() {
      const w = this.walking;
      if (!w) return;
      // What was mended or accepted meanwhile is passed over.
      for (w.at++; w.at < w.list.length; w.at++) {
        const s = this.rowFor(w.list[w.at]);
        if (!s || !this.asks(s)) continue;
        this.chooseSeam(s);
        app.page.hint = `${w.at + 1} of ${w.list.length}`;
        void app.listen.playSeam("blend");
        return;
      }
      this.walking = null;
      app.page.hint = "Played through: that was the last seam to check";
    },
  });
