// What each key does at the bench.

import { commandOf, commands, keyName } from "./keys.js";
import { frameLength, frameOf, sampleOf } from "./timecode.js";

/** @param {string} id @returns {any} */
const el = (id) => document.getElementById(id);

/**
 * @param {import("./bench.js").Tools} tools
 * @returns {object & ThisType<any>}
 */
export const keys = (tools) => ({
  groups: [...new Set(commands.map((c) => c.group))].map((group) => ({ group, commands: commands.filter((c) => c.group === group).map((c) => ({ name: c.name, keys: c.keys.map(keyName) })) })),
  /** The keys of a command, for tooltips. @param {string} id */
  keyOf(id) {
    const c = commands.find((k) => k.id === id);
    return c ? keyName(c.keys[0]) : "";
  },
  /** A tooltip with the keys in force. @param {string} text @param {string} id */
  tip(text, id) {
    return `${text} (${this.keyOf(id)})`;
  },
  help() {
    el("help").showModal();
  },

  /** @param {KeyboardEvent} e */
  key(e) {
    if (e.defaultPrevented || document.querySelector("dialog[open]")) return;
    const target = /** @type {HTMLElement} */ (e.target);
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
      loop: () => this.toggleLoop(),
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
      blend: () => this.putBlend(), hardCut: () => this.takeBlendOff(),
      longer: () => this.nudge(frame), shorter: () => this.nudge(-frame),
      longerTen: () => this.nudge(10 * frame), shorterTen: () => this.nudge(-10 * frame),
      longerMs: () => this.nudge(Math.round(rate / 1000)), shorterMs: () => this.nudge(-Math.round(rate / 1000)),
      chooseOut: () => this.chooseSide("left"), chooseIn: () => this.chooseSide("right"),
      chooseCut: () => this.seam && this.chooseSeam(this.seam),
      takeOut: () => this.takeOut(),
      undo: () => void this.undoStep(), redo: () => void this.redoStep(),
      export: () => this.openExport(), help: () => this.help(),
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
