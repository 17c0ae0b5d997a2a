// First steps: six of them on the bench itself, with what is there. They go on
// when what they ask for was done, and can be left and called again at any time.

import { panel } from "../lib/panel.js";

/** @typedef {import("./app.js").App} App */

/**
 * @typedef {object} Step
 * @property {string} title
 * @property {(key: (id: string) => string) => string} text
 * @property {string} where selector of what it is about
 * @property {(app: App, was: {seam: string, revision: number}) => boolean} [done] whether what it asks for was done
 */

/** @param {App} app */
const seamOf = ({ session: { seam } }) => (seam ? `${seam.left}-${seam.right}` : "");

/** @type {Step[]} */
const steps = [
  {
    title: "Seams",
    where: "#ledger",
    text: (key) => `Every cut and clip end is a seam, worst first. Select one: click it, or press ${key("nextBad")}.`,
    done: (app, was) => seamOf(app) !== was.seam,
  },
  {
    title: "Listen",
    where: "#listen",
    text: (key) => `Press ${key("playBlend")} to hear the seam, ${key("playHard")} to hear it as a hard cut.`,
    done: (app) => app.session.playing,
  },
  {
    title: "Verdict",
    where: "#verdict",
    text: () => "This line says what is wrong and what helps. The numbers beside it show how far; click one to see what it means.",
  },
  {
    title: "Mend",
    where: ".desk",
    text: (key) =>
      `Press ${key("blend")} to blend the seam, or drag a grip off the cut. ${key("earlier")} and ${key("later")} move the cut by a frame.`,
    done: (app, was) => app.page.revision > was.revision,
  },
  {
    title: "Compare",
    where: "#listen",
    text: (key) =>
      `Press ${key("playBefore")} to hear it as it was before your last step. ${key("undo")} takes it back; every edit is saved.`,
  },
  {
    title: "Finish",
    where: "#sweep-button",
    text: (key) =>
      `${key("sweep")} proposes repairs for all seams at once. ${key("export")} exports exactly what you heard. ${key("palette")} finds every command.`,
  },
];

/** @param {import("./app.js").App} app */
export const guiding = (app) =>
  panel({
    /** @type {{at: number, title: string, text: string, count: number} | null} */
    now: null,
    guided: { seam: "", revision: 0 },
    /** Whether the first steps were taken, or left, once. */
    guideSeen: false,

    startGuide() {
      app.view.folded = { list: false, card: false };
      app.sources.showTab("seams");
      this.showStep(0);
    },
    /** @param {number} at */
    showStep(at) {
      document.querySelector(".guided")?.classList.remove("guided");
      if (at < 0 || at >= steps.length) {
        this.leaveGuide();
        return;
      }
      const s = steps[at];
      this.guided = { seam: seamOf(app), revision: app.page.revision };
      this.now = { at, title: s.title, text: s.text((id) => app.keys.keyOf(id)), count: steps.length };
      document.querySelector(s.where)?.classList.add("guided");
    },
    nextStep() {
      if (this.now) this.showStep(this.now.at + 1);
    },
    leaveGuide() {
      document.querySelector(".guided")?.classList.remove("guided");
      this.now = null;
      this.guideSeen = true;
    },
    /** Goes on where what a step asks for was done. */
    watchGuide() {
      const s = this.now && steps[this.now.at];
      if (s?.done?.(app, this.guided)) this.nextStep();
    },
  });
