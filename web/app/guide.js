// First steps: six of them on the bench itself, with what is there. They go on
// when what they ask for was done, and can be left and called again at any time.

/**
 * @typedef {object} Step
 * @property {string} title
 * @property {(key: (id: string) => string) => string} text
 * @property {string} where selector of what it is about
 * @property {(page: any, was: {seam: string, revision: number}) => boolean} [done] whether what it asks for was done
 */

/** @param {any} page */
const seamOf = (page) => (page.seam ? `${page.seam.left}-${page.seam.right}` : "");

/** @type {Step[]} */
const steps = [
  { title: "Seams", where: "#ledger", text: (key) => `Every cut and clip end is a seam, worst first. Select one: click it, or press ${key("nextBad")}.`, done: (page, was) => seamOf(page) !== was.seam },
  { title: "Listen", where: "#listen", text: (key) => `Press ${key("playBlend")} to hear the seam, ${key("playHard")} to hear it as a hard cut.`, done: (page) => page.playing },
  { title: "Verdict", where: "#verdict", text: () => "This line says what is wrong and what helps. The numbers beside it show how far; click one to see what it means." },
  { title: "Mend", where: ".desk", text: (key) => `Press ${key("blend")} to blend the seam, or drag a grip off the cut. ${key("earlier")} and ${key("later")} move the cut by a frame.`, done: (page, was) => page.revision > was.revision },
  { title: "Compare", where: "#listen", text: (key) => `Press ${key("playBefore")} to hear it as it was before your last step. ${key("undo")} takes it back; every edit is saved.` },
  { title: "Finish", where: "#sweep-button", text: (key) => `${key("sweep")} proposes repairs for all seams at once. ${key("export")} exports exactly what you heard. ${key("palette")} finds every command.` },
];

/**
 * @param {import("./bench.js").Tools} _tools
 * @returns {object & ThisType<any>}
 */
export const guiding = (_tools) => ({
  /** @type {{at: number, title: string, text: string, count: number} | null} */
  guide: null,
  guided: { seam: "", revision: 0 },
  /** Whether the first steps were taken, or left, once. */
  guideSeen: false,

  startGuide() {
    this.folded = { list: false, card: false };
    this.showTab("seams");
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
    this.guided = { seam: seamOf(this), revision: this.revision };
    this.guide = { at, title: s.title, text: s.text((id) => this.keyOf(id)), count: steps.length };
    document.querySelector(s.where)?.classList.add("guided");
  },
  nextStep() {
    if (this.guide) this.showStep(this.guide.at + 1);
  },
  leaveGuide() {
    document.querySelector(".guided")?.classList.remove("guided");
    this.guide = null;
    this.guideSeen = true;
  },
  /** Goes on where what a step asks for was done. */
  watchGuide() {
    const s = this.guide && steps[this.guide.at];
    if (s?.done?.(this, this.guided)) this.nextStep();
  },
});
