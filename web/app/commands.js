// What each key does at the bench.

import { combination, commandOf, commands, keyName, keysOf } from "./keys.js";
import { frameLength, frameOf, sampleOf } from "../lib/timecode.js";

/** @param {string} id @returns {any} */
const el = (id) => document.getElementById(id);

/**
 * @param {import("./bench.js").Tools} tools
 * @returns {object & ThisType<any>}
 */
export const keys = (tools) => ({
  keySearch: "",
  helping: false, // the list is made when it is asked for
  /** The commands that a search finds, by group. */
  get groups() {
    const words = this.keySearch.toLowerCase().split(/\s+/).filter(Boolean);
    const found = commands.map((c) => ({ ...c, shown: keysOf(c.id).map(keyName) })).filter((c) => words.every((/** @type {string} */ w) => `${c.name} ${c.group} ${c.shown.join(" ")}`.toLowerCase().includes(w)));
    return [...new Set(found.map((c) => c.group))].map((group) => ({ group, commands: found.filter((c) => c.group === group).map((c) => ({ id: c.id, name: c.name, keys: c.shown })) }));
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
  key(e) {
    if (e.defaultPrevented || document.querySelector("dialog[open]") || this.menu) return;
    // The key for the menu opens it at the playhead, on the track worked on.
    if (e.key === "ContextMenu" || (e.key === "F10" && e.shiftKey)) {
      const t = tools.timeline, row = t.layout().find((r) => t.working.has(r.track.id)), box = t.parts.lanes.getBoundingClientRect();
      e.preventDefault();
      this.openMenu({ clip: this.clipsHere()[0], track: row?.track, at: Math.round(t.playhead), x: box.left + t.x(t.playhead), y: box.top + (row?.top ?? 0) });
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
    if (target.matches?.("button, a, summary, [role=option]") && (e.key === " " || e.key === "Enter") && !e.shiftKey && target.dataset.keys !== "pass") return;
    if (target.matches?.("input[type=range], [role=radio]") && e.key.startsWith("Arrow")) return;
    if (this.going && id !== "gotoTime") {
      e.preventDefault();
      void this.going.then(() => this.run(id));
      return;
    }
    if (this.run(id)) e.preventDefault();
  },

  /** @param {string} id @returns {boolean} whether it is a command */
  run(id) {
    const p = tools.doc.props, frame = Math.round(frameLength(p)), rate = p.sampleRate;
    const step = (/** @type {number} */ n) => this.seek(sampleOf(Math.max(frameOf(Math.round(tools.timeline.playhead), p) + n, 0), p));
    /** @type {Record<string, () => void>} */
    const does = {
      play: () => this.playStop(),
      playBlend: () => void this.playSeam("blend"),
      playHard: () => void this.playSeam("hard"),
      playOut: () => void this.playSeam("out"),
      playIn: () => void this.playSeam("in"),
      playBefore: () => void this.playSeam("before"),
      walk: () => this.walk(),
      loop: () => this.toggleLoop(),
      nextBad: () => this.stepBad(1),
      prevBad: () => this.stepBad(-1),
      sweep: () => this.openSweep(),
      blendSpan: () => void this.blendSpan(),
      better: () => void this.findBetter(),
      accept: () => void this.accept(),
      nextSeam: () => this.stepSeam(1),
      prevSeam: () => this.stepSeam(-1),
      frameLeft: () => step(-1), frameRight: () => step(1), tenLeft: () => step(-10), tenRight: () => step(10),
      toStart: () => this.seek(0), toEnd: () => this.seek(tools.doc.length),
      spanIn: () => (this.stage === "source" ? tools.sourceView.mark(Math.max(tools.sourceView.playhead, 0), this.mark.to) : this.setSpan("from")),
      spanOut: () => (this.stage === "source" ? tools.sourceView.mark(this.mark.from, Math.max(tools.sourceView.playhead, 1)) : this.setSpan("to")),
      zoomIn: () => (this.stage === "source" ? tools.sourceView.zoom(0.6) : tools.timeline.zoom(0.6)),
      zoomOut: () => (this.stage === "source" ? tools.sourceView.zoom(1 / 0.6) : tools.timeline.zoom(1 / 0.6)),
      zoomSeam: () => {
        if (!this.seam) return;
        tools.timeline.look(this.seam.at - rate * 1.5, (rate * 3) / tools.timeline.width);
      },
      zoomWhole: () => tools.timeline.whole(),
      strike: () => void this.strike(), strikeCovered: () => void this.strikeCovered(), acceptOn: () => void this.acceptOn(), lower: () => void this.strike(true), lift: () => this.liftStrike(), tighten: () => void this.tighten(),
      cover: () => void this.cover(), nextTone: () => void this.nextTone(), fills: () => this.openFills(), bed: () => this.openBed(), swatch: () => void this.keepMarked(),
      nextHole: () => this.stepHole(1), prevHole: () => this.stepHole(-1), tabRoom: () => this.showTab("room"),
      prevMarker: () => this.stepMarker(-1), nextMarker: () => this.stepMarker(1), marker: () => this.addMarker(),
      trackUp: () => this.workOn(-1, false), trackDown: () => this.workOn(1, false), workUp: () => this.workOn(-1, true), workDown: () => this.workOn(1, true),
      gotoTime: () => el("timecode").select(),
      tabSeams: () => this.showTab("seams"), tabSources: () => this.showTab("sources"), tabMarkers: () => this.showTab("markers"), tabSteps: () => this.showTab("steps"),
      spanClip: () => this.spanHere(),
      chooseHere: () => this.chooseMany("here"), chooseAll: () => this.chooseMany("all"), chooseAfter: () => this.chooseMany("after"),
      actOut: () => this.actOn("out"), actIn: () => this.actOn("in"), actCut: () => this.actOn("cut"), actBlend: () => this.actOn("blend"),
      splitEdit: () => this.toggleSplit(), actLead: () => this.actOn("lead"), takeLead: () => void this.takeLeadWay("leads"), takeLag: () => void this.takeLeadWay("lags"), straight: () => void this.takeLeadWay("straight"),
      hearLead: () => void this.takeLeadWay("leads", true), hearLag: () => void this.takeLeadWay("lags", true), hearStraight: () => void this.takeLeadWay("straight", true),
      tie: () => this.tieChosen(), resyncMove: () => this.resync("move"), resyncSlip: () => this.resync("slip"), nextCut: () => this.stepCut(1), prevCut: () => this.stepCut(-1), picture: () => this.togglePicture(),
      actClip: () => this.actOn("clip"), actSlip: () => this.actOn("slip"), actSlide: () => this.actOn("slide"),
      blend: () => this.putBlend(), hardCut: () => this.takeBlendOff(),
      later: () => this.nudge(frame), earlier: () => this.nudge(-frame),
      laterTen: () => this.nudge(Math.round(10 * frameLength(p))), earlierTen: () => this.nudge(-Math.round(10 * frameLength(p))),
      laterFive: () => this.nudge(Math.round(5 * frameLength(p))), earlierFive: () => this.nudge(-Math.round(5 * frameLength(p))),
      laterTyped: () => this.nudgeTyped(1), earlierTyped: () => this.nudgeTyped(-1),
      waves: () => this.toggleShown("waves"), curves: () => this.toggleShown("curves"), foldList: () => this.fold("list"), foldCard: () => this.fold("card"), numbers: () => void this.explain(""),
      laterMs: () => this.nudge(Math.round(rate / 1000)), earlierMs: () => this.nudge(-Math.round(rate / 1000)),
      split: () => this.splitHere(), join: () => void this.joinSeam(), headHere: () => this.trimHere("head"), tailHere: () => this.trimHere("tail"),
      takeOut: () => this.takeOut(), takeOutOther: () => this.takeOut(true), keepSpan: () => this.keepSpan(), closeGap: () => this.closeGap(), insertTime: () => this.insertTime(),
      follow: () => this.setLater(this.later === "follow" ? "stay" : "follow"), followTrack: () => this.setLater(this.later === "followTrack" ? "stay" : "followTrack"), snap: () => this.setSnapping(!this.snapping),
      copy: () => void this.copy(), cut: () => void this.cut(), paste: () => this.paste(),
      layIn: () => void this.layIn(), fillIn: () => void this.fill("in"), fillOut: () => void this.fill("out"), source: () => this.goToSource(),
      moveUp: () => this.moveClips(-1), moveDown: () => this.moveClips(1), orderUp: () => this.orderTrack(-1), orderDown: () => this.orderTrack(1),
      mute: () => this.switchWorking("mute"), solo: () => this.switchWorking("solo"), lock: () => this.switchWorking("locked"),
      keep: () => this.keepVersion(),
      undo: () => void this.undoStep(), redo: () => void this.redoStep(),
      export: () => this.openExport(), nextPreset: () => void this.nextPreset(), takeOffer: () => this.takeOffer(), help: () => this.help(), palette: () => this.openPalette(), guide: () => this.startGuide(),
      back: () => this.backOut(),
    };
    does[id]?.();
    return id in does;
  },

  /** Escape backs out of what is going on, the nearest first. */
  backOut() {
    if (tools.timeline.backOut) tools.timeline.backOut();
    else if (tools.close.backOut) tools.close.backOut();
    else if (this.playing) tools.player.stop();
    else if (this.toast) this.toast = null;
    else if (tools.timeline.span) this.clearSpan();
    else if (this.stage === "source") this.closeSource();
    else if (tools.timeline.chosen.size || this.track) {
      tools.timeline.chosen.clear();
      this.track = null;
      this.takeChosen();
      tools.timeline.redraw();
    }
  },
});
