// Listening at the bench: the reel, a seam in its surroundings, a span.

import { frames, span, at as timecode } from "../lib/timecode.js";

/** @param {string} id @returns {any} */
const el = (id) => document.getElementById(id);

/**
 * @param {import("../app/bench.js").Tools} tools
 * @returns {object & ThisType<any>}
 */
export const listening = (tools) => ({
  /** @param {number} at */
  seek(at) {
    tools.timeline.movePlayhead(Math.max(Math.round(at), 0));
    if (this.playing && tools.player.route?.name === "reel") void this.playFrom(tools.timeline.playhead);
    else if (this.playing) tools.player.stop();
    this.takeTime();
    tools.close.movePlayhead(tools.timeline.playhead);
    this.tickPicture();
  },
  takeTime() {
    // Where one is typing a place, nothing is written over it.
    if (document.activeElement === el("timecode")) return;
    this.timecode = timecode(tools.timeline.playhead, tools.doc.props);
  },
  /** @param {string} extra @returns {(a: number, b: number) => string} */
  address(extra) {
    return (a, b) => `/reels/${tools.doc.id}/pcm?from=${a}&to=${b}&revision=${tools.doc.revision}&uid=${tools.doc.uid}${extra}`;
  },
  /** @param {number} from */
  playFrom(from) {
    this.hearing = "reel";
    const s = tools.timeline.span, loop = this.looping && s;
    const to = s && (loop || from < s.to) && from >= s.from ? s.to : Math.max(tools.doc.length + tools.doc.props.sampleRate, from + tools.doc.props.sampleRate);
    tools.player.play({ name: "reel", from, to, ...(loop ? { from: s.from, to: s.to, loopFrom: s.from } : {}), address: this.address("") });
  },
  playStop() {
    if (this.stage === "source" && this.source) {
      this.listenSource();
      return;
    }
    if (this.playing) {
      const here = tools.player.route?.name === "reel" ? tools.player.position() : tools.timeline.playhead;
      tools.player.stop();
      tools.timeline.movePlayhead(Math.round(here));
      this.takeTime();
    } else {
      void this.playFrom(Math.round(tools.timeline.playhead));
    }
  },
  /** Pre-roll and post-roll of each way of listening to a seam, in seconds. @type {Record<string, {pre: number, post: number}>} */
  rolls: { blend: { pre: 1, post: 1 }, hard: { pre: 1, post: 1 }, out: { pre: 1, post: 1 }, in: { pre: 1, post: 1 }, before: { pre: 1, post: 1 } },
  /** The way of listening whose rolls are shown. */
  how: "blend",
  /** The reel as an edit would leave it, while that is heard; "" for the reel as it is. */
  heardAs: "",
  /** @param {"pre" | "post"} end @param {string} v */
  setRoll(end, v) {
    const n = Number(String(v).replace(",", ".")), least = end === "post" ? 0.001 : 0;
    if (!(n >= least && n <= 20)) this.tell(`“${v}” is out of range: listen from 0 to 20 s around the cut.`);
    else this.rolls = { ...this.rolls, [this.how]: { ...this.rolls[this.how], [end]: Math.round(n * 1000) / 1000 } };
  },

  /** Plays the chosen seam with its surroundings. @param {string} how @param {string} [trial] as an edit would leave it */
  playSeam(how, trial = "") {
    const s = this.seam;
    if (!s) {
      this.tell("Select a seam first. N goes to the next one.");
      return;
    }
    const rate = tools.doc.props.sampleRate, roll = this.rolls[how] ?? { pre: 1, post: 1 }, from = Math.max(s.at - Math.round(roll.pre * rate), 0), to = s.at + Math.round(roll.post * rate);
    // Asked anew at each fetch: the blend may be put there while it loops.
    const extra = () => {
      const b = tools.doc.blendOf(s.left, s.right)?.id ?? 0;
      if (how === "before") return "&before=1";
      if (how === "hard") return b ? `&hardCut=${b}` : "";
      if (how === "out") return `&silent=${s.right}`;
      if (how === "in") return `&silent=${s.left}`;
      return "";
    };
    this.hearing = how;
    this.how = how;
    if (s.kind === "struck") {
      this.heardAs = trial;
      this.playStruck(s, how);
      return;
    }
    this.heardAs = trial;
    tools.player.play({ name: how, from, to, ...(this.looping ? { loopFrom: from } : {}), address: (a, b) => this.address(extra() + (this.heardAs && how !== "before" ? `&trial=${this.heardAs}` : ""))(a, b) });
  },
  /** Plays a struck span with its surroundings: as it sounds, as recorded, without its tone, or as before. @param {Seam} s @param {string} how */
  playStruck(s, how) {
    const rate = tools.doc.props.sampleRate, roll = this.rolls[how] ?? { pre: 1, post: 1 }, from = Math.max(s.at - Math.round(roll.pre * rate), 0), to = s.at + s.gap + Math.round(roll.post * rate);
    const extra = { hard: `&unstruck=${s.right}`, in: `&bare=${s.right}`, out: `&bare=${s.right}`, before: "&before=1" }[how] ?? "";
    tools.player.play({ name: how, from, to, ...(this.looping ? { loopFrom: from } : {}), address: (a, b) => this.address(extra + (this.heardAs && how !== "before" ? `&trial=${this.heardAs}` : ""))(a, b) });
  },
  toggleLoop() {
    this.looping = !this.looping;
    if (this.playing && this.hearing === "reel") void this.playFrom(Math.round(tools.player.position()));
    else if (this.playing && this.hearing === "source") this.listenSource();
    else if (this.playing) void this.playSeam(this.hearing);
  },
  /** The playhead goes back to where a listening began. */
  rest() {
    tools.close.movePlayhead(tools.timeline.playhead);
    tools.timeline.drawOver();
  },
  /** @param {number} [at] what is heard now; none where nothing plays */
  tick(at) {
    if (at === undefined) return;
    if (tools.player.route?.name === "source") {
      tools.sourceView.playhead = at;
      tools.sourceView.redraw();
      return;
    }
    if (tools.player.route?.name === "reel") {
      tools.timeline.movePlayhead(at, true);
      this.takeTime();
    } else {
      // A listened seam moves the line, not the place where one works.
      const place = tools.timeline.playhead;
      tools.timeline.movePlayhead(at);
      tools.timeline.playhead = place;
      if (document.activeElement !== el("timecode")) this.timecode = timecode(Math.round(at), tools.doc.props);
    }
    tools.close.movePlayhead(at);
  },
  /** @param {number[]} peaks */
  meter(peaks) {
    ["left", "right"].forEach((side, i) => {
      const db = 20 * Math.log10(Math.max(peaks[i], 1e-6)), bar = el(`meter-${side}`);
      bar.style.height = `${Math.min(Math.max((db + 60) / 60, 0), 1) * 100}%`;
      bar.classList.toggle("hot", db > -0.1);
    });
  },

  takeSpan() {
    const s = tools.timeline.span;
    this.spanAt = s ? { ...s } : null;
    const under = s ? this.workingClips().filter((/** @type {Clip} */ c) => c.start < s.to && c.start + c.length > s.from) : [];
    const whose = under.length === 1 ? `of ${under[0].name}` : under.length ? `of ${under.length} clips` : "of nothing";
    this.spanText = s ? `${span(s.to - s.from, tools.doc.props)} · ${frames(s.to - s.from, tools.doc.props).toFixed(1)} fr` : "";
    this.spanOf = s ? whose : "";
    if (s) this.$nextTick(() => this.placeBar());
  },
  /** The bar of the span lies below its tracks, so that it hides nothing of them. */
  placeBar() {
    const bar = el("spanbar"), s = tools.timeline.span, box = tools.timeline.parts.tracks;
    if (!s) return;
    const rows = tools.timeline.layout().filter((r) => tools.timeline.working.has(r.track.id)), low = Math.max(...rows.map((r) => r.top + r.height), 0) - box.scrollTop + 30;
    const top = low + bar.offsetHeight < box.clientHeight + 26 ? low : Math.max(Math.min(...rows.map((r) => r.top)) - box.scrollTop + 26 - bar.offsetHeight - 4, 2);
    bar.style.top = `${top}px`;
    bar.style.left = `${Math.min(Math.max(118 + tools.timeline.x(s.from), 122), Math.max(118 + tools.timeline.width - bar.offsetWidth - 8, 122))}px`;
  },
  clearSpan() {
    tools.timeline.span = null;
    tools.timeline.redraw();
    this.takeSpan();
  },
  playSpan() {
    if (tools.timeline.span) void this.playFrom(tools.timeline.span.from);
  },
  /** @param {"from" | "to"} end */
  setSpan(end) {
    const at = Math.round(tools.timeline.playhead), s = tools.timeline.span ?? { from: 0, to: tools.doc.length };
    const next = { ...s, [end]: at };
    tools.timeline.span = next.to > next.from ? next : end === "from" ? { from: at, to: Math.max(tools.doc.length, at + 1) } : { from: 0, to: Math.max(at, 1) };
    tools.timeline.redraw();
    this.takeSpan();
  },
});
