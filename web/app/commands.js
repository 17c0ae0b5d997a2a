// What each key does at the bench.

import { el, panel } from "../lib/panel.js";
import { combination, commandOf, commands, keyName, keysOf } from "./keys.js";
import { frameLength, frameOf, sampleOf } from "../lib/timecode.js";

/** @param {import("./app.js").App} app */
export const keys = (app) =>
  panel({
    keySearch: "",
    helping: false, // the list is made when it is asked for
    /** The commands that a search finds, by group. */
    get groups() {
      const words = this.keySearch.toLowerCase().split(/\s+/).filter(Boolean);
      const found = commands
        .map((c) => ({ ...c, shown: keysOf(c.id).map(keyName) }))
        .filter((c) => words.every((/** @type {string} */ w) => `${c.name} ${c.group} ${c.shown.join(" ")}`.toLowerCase().includes(w)));
      return [...new Set(found.map((c) => c.group))].map((group) => ({
        group,
        commands: found.filter((c) => c.group === group).map((c) => ({ id: c.id, name: c.name, keys: c.shown })),
      }));
    },
    /** The keys of a command, for tooltips. @param {string} id */
    keyOf(id) {
      const k = keysOf(id)[0];
      return k ? keyName(k) : "";
    },
    /** A tooltip with the keys in force. @param {string} text @param {string} id */
    tip(text, id) {
      const k = this.keyOf(id);
      return k ? `${text} (${k})` : text;
    },
    /** What the foot line says when nothing is pointed at. */
    footText() {
      const k = (/** @type {string} */ id) => this.keyOf(id);
      return `${k("play")} plays · ${k("nextSeam")} and ${k("prevSeam")} go from seam to seam · ${k("playBlend")} plays the seam · ${k("earlier")} and ${k("later")} trim it · ${k("blend")} blends it · ${k("help")} shows all keys`;
    },
    help() {
      this.keySearch = "";
      this.helping = true;
      el("help").showModal();
    },

    /** @param {KeyboardEvent} e */
    press(e) {
      if (e.defaultPrevented || document.querySelector("dialog[open]") || app.menu.open) return;
      // The key for the menu opens it at the playhead, on the track worked on.
      if (e.key === "ContextMenu" || (e.key === "F10" && e.shiftKey)) {
        const t = app.timeline,
          row = t.layout().find((r) => t.working.has(r.track.id)),
          box = t.parts.lanes.getBoundingClientRect();
        e.preventDefault();
        app.menu.openMenu({
          clip: app.act.clipsHere()[0],
          track: row?.track,
          at: Math.round(t.playhead),
          x: box.left + t.x(t.playhead),
          y: box.top + (row?.top ?? 0),
        });
        return;
      }
      const target = /** @type {HTMLElement} */ (e.target);
      // What was marked as text is the browser's to copy.
      if (/^ctrl\+[cx]$/.test(combination(e)) && String(getSelection() ?? "")) return;
      const writing = target.matches?.("input:not([type=range]):not([type=checkbox]), select, textarea");
      const id = commandOf(e);
      if (writing) {
        if (e.key === "Escape" || e.key === "Enter") target.blur();
        return;
      }
      if (!id) return;
      // A button keeps its own keys, a slider its arrows, the ledger its up and down.
      if (
        target.matches?.("button, a, summary, [role=option]") &&
        (e.key === " " || e.key === "Enter") &&
        !e.shiftKey &&
        target.dataset.keys !== "pass"
      )
        return;
      if (target.matches?.("input[type=range], [role=radio]") && e.key.startsWith("Arrow")) return;
      if (app.listen.going && id !== "gotoTime") {
        e.preventDefault();
        void app.listen.going.then(() => this.run(id));
        return;
      }
      if (this.run(id)) e.preventDefault();
    },

    /** @param {string} id @returns {boolean} whether it is a command */
    run(id) {
      const p = app.doc.props,
        frame = Math.round(frameLength(p)),
        rate = p.sampleRate;
      const step = (/** @type {number} */ n) =>
        app.listen.seek(sampleOf(Math.max(frameOf(Math.round(app.timeline.playhead), p) + n, 0), p));
      /** @type {Record<string, () => void>} */
      const does = {
        play: () => app.listen.playStop(),
        playBlend: () => void app.listen.playSeam("blend"),
        playHard: () => void app.listen.playSeam("hard"),
        playOut: () => void app.listen.playSeam("out"),
        playIn: () => void app.listen.playSeam("in"),
        playBefore: () => void app.listen.playSeam("before"),
        walk: () => app.ledger.walk(),
        loop: () => app.listen.toggleLoop(),
        nextBad: () => app.ledger.stepBad(1),
        prevBad: () => app.ledger.stepBad(-1),
        sweep: () => app.sweep.openSweep(),
        blendSpan: () => void app.mend.blendSpan(),
        better: () => void app.measures.findBetter(),
        accept: () => void app.ledger.accept(),
        nextSeam: () => app.ledger.stepSeam(1),
        prevSeam: () => app.ledger.stepSeam(-1),
        frameLeft: () => step(-1),
        frameRight: () => step(1),
        tenLeft: () => step(-10),
        tenRight: () => step(10),
        toStart: () => app.listen.seek(0),
        toEnd: () => app.listen.seek(app.doc.length),
        spanIn: () =>
          app.session.stage === "source"
            ? app.sourceView.mark(Math.max(app.sourceView.playhead, 0), app.session.mark.to)
            : app.listen.setSpan("from"),
        spanOut: () =>
          app.session.stage === "source"
            ? app.sourceView.mark(app.session.mark.from, Math.max(app.sourceView.playhead, 1))
            : app.listen.setSpan("to"),
        zoomIn: () => (app.session.stage === "source" ? app.sourceView.zoom(0.6) : app.timeline.zoom(0.6)),
        zoomOut: () => (app.session.stage === "source" ? app.sourceView.zoom(1 / 0.6) : app.timeline.zoom(1 / 0.6)),
        zoomSeam: () => {
          if (!app.session.seam) return;
          app.timeline.look(app.session.seam.at - rate * 1.5, (rate * 3) / app.timeline.width);
        },
        zoomWhole: () => app.timeline.whole(),
        strike: () => void app.strike.strikeSpan(),
        strikeCovered: () => void app.strike.strikeCovered(),
        acceptOn: () => void app.ledger.acceptOn(),
        lower: () => void app.strike.strikeSpan(true),
        lift: () => app.strike.liftStrike(),
        tighten: () => void app.strike.tighten(),
        cover: () => void app.strike.cover(),
        nextTone: () => void app.strike.nextTone(),
        fills: () => app.fill.openFills(),
        bed: () => app.fill.openBed(),
        swatch: () => void app.room.keepMarked(),
        nextHole: () => app.holes.stepHole(1),
        prevHole: () => app.holes.stepHole(-1),
        tabRoom: () => app.sources.showTab("room"),
        prevMarker: () => app.history.stepMarker(-1),
        nextMarker: () => app.history.stepMarker(1),
        marker: () => app.history.addMarker(),
        trackUp: () => app.act.workOn(-1, false),
        trackDown: () => app.act.workOn(1, false),
        workUp: () => app.act.workOn(-1, true),
        workDown: () => app.act.workOn(1, true),
        gotoTime: () => el("timecode").select(),
        tabSeams: () => app.sources.showTab("seams"),
        tabSources: () => app.sources.showTab("sources"),
        tabMarkers: () => app.sources.showTab("markers"),
        tabSteps: () => app.sources.showTab("steps"),
        spanClip: () => app.trim.spanHere(),
        chooseHere: () => app.clips.chooseMany("here"),
        chooseAll: () => app.clips.chooseMany("all"),
        chooseAfter: () => app.clips.chooseMany("after"),
        actOut: () => app.act.actOn("out"),
        actIn: () => app.act.actOn("in"),
        actCut: () => app.act.actOn("cut"),
        actBlend: () => app.act.actOn("blend"),
        splitEdit: () => app.lead.toggleSplit(),
        actLead: () => app.act.actOn("lead"),
        takeLead: () => void app.lead.takeLeadWay("leads"),
        takeLag: () => void app.lead.takeLeadWay("lags"),
        straight: () => void app.lead.takeLeadWay("straight"),
        hearLead: () => void app.lead.takeLeadWay("leads", true),
        hearLag: () => void app.lead.takeLeadWay("lags", true),
        hearStraight: () => void app.lead.takeLeadWay("straight", true),
        tie: () => app.picture.tieChosen(),
        resyncMove: () => app.picture.resync("move"),
        resyncSlip: () => app.picture.resync("slip"),
        nextCut: () => app.picture.stepCut(1),
        prevCut: () => app.picture.stepCut(-1),
        picture: () => app.picture.togglePicture(),
        actClip: () => app.act.actOn("clip"),
        actSlip: () => app.act.actOn("slip"),
        actSlide: () => app.act.actOn("slide"),
        blend: () => app.mend.putBlend(),
        hardCut: () => app.mend.takeBlendOff(),
        later: () => app.act.nudge(frame),
        earlier: () => app.act.nudge(-frame),
        laterTen: () => app.act.nudge(Math.round(10 * frameLength(p))),
        earlierTen: () => app.act.nudge(-Math.round(10 * frameLength(p))),
        laterFive: () => app.act.nudge(Math.round(5 * frameLength(p))),
        earlierFive: () => app.act.nudge(-Math.round(5 * frameLength(p))),
        laterTyped: () => app.act.nudgeTyped(1),
        earlierTyped: () => app.act.nudgeTyped(-1),
        waves: () => app.view.toggleShown("waves"),
        curves: () => app.view.toggleShown("curves"),
        foldList: () => app.view.fold("list"),
        foldCard: () => app.view.fold("card"),
        numbers: () => void app.view.explain(""),
        laterMs: () => app.act.nudge(Math.round(rate / 1000)),
        earlierMs: () => app.act.nudge(-Math.round(rate / 1000)),
        split: () => app.trim.splitHere(),
        join: () => void app.trim.joinSeam(),
        headHere: () => app.trim.trimHere("head"),
        tailHere: () => app.trim.trimHere("tail"),
        takeOut: () => app.trim.takeOut(),
        takeOutOther: () => app.trim.takeOut(true),
        keepSpan: () => app.trim.keepSpan(),
        closeGap: () => app.trim.closeGap(),
        insertTime: () => app.trim.insertTime(),
        follow: () => app.act.setLater(app.session.later === "follow" ? "stay" : "follow"),
        followTrack: () => app.act.setLater(app.session.later === "followTrack" ? "stay" : "followTrack"),
        snap: () => app.act.setSnapping(!app.session.snapping),
        copy: () => void app.trim.copy(),
        cut: () => void app.trim.cut(),
        paste: () => app.trim.paste(),
        layIn: () => void app.sources.layIn(),
        fillIn: () => void app.sources.fillGap("in"),
        fillOut: () => void app.sources.fillGap("out"),
        source: () => app.trim.goToSource(),
        moveUp: () => app.trim.moveClips(-1),
        moveDown: () => app.trim.moveClips(1),
        orderUp: () => app.clips.orderTrack(-1),
        orderDown: () => app.clips.orderTrack(1),
        mute: () => app.act.switchWorking("mute"),
        solo: () => app.act.switchWorking("solo"),
        lock: () => app.act.switchWorking("locked"),
        keep: () => app.history.keepVersion(),
        undo: () => void app.mend.undoStep(),
        redo: () => void app.mend.redoStep(),
        export: () => app.exporter.openExport(),
        nextPreset: () => void app.blends.nextPreset(),
        takeOffer: () => app.page.takeOffer(),
        help: () => this.help(),
        palette: () => app.palette.openPalette(),
        guide: () => app.guide.startGuide(),
        back: () => this.backOut(),
      };
      does[id]?.();
      return id in does;
    },

    /** Escape backs out of what is going on, the nearest first. */
    backOut() {
      if (app.timeline.backOut) app.timeline.backOut();
      else if (app.close.backOut) app.close.backOut();
      else if (app.session.playing) app.player.stop();
      else if (app.page.toast) app.page.toast = null;
      else if (app.session.span) app.listen.clearSpan();
      else if (app.session.stage === "source") app.sources.closeSource();
      else if (app.session.chosen.size || app.session.track) {
        app.session.chosen = new Set();
        app.session.track = null;
        app.clips.takeChosen();
        app.timeline.redraw();
      }
    },
  });
