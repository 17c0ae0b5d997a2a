// Listening at the bench: the reel, a seam in its surroundings, a span.

import { say } from "../app/api.js";
import { el, panel } from "../lib/panel.js";
import { frames, span, at as timecode } from "../lib/timecode.js";

/** @param {import("../app/app.js").App} app */
export const listening = (app) =>
  panel({
    timecode: "",
    /** @param {string} v */
    gotoTime(v) {
      // What is pressed meanwhile means the place that one goes to.
      const going = (this.going ?? Promise.resolve())
        .then(() => this.goToTime(v))
        .then(() => {
          if (this.going === going) this.going = null;
        });
      this.going = going;
    },
    /** @type {Promise<void> | null} */ going: null,
    /** @param {string} v */
    async goToTime(v) {
      try {
        const place = await app.exporter.readTimecode(v);
        this.seek(place.sample);
        app.timeline.show(place.sample, place.sample);
      } catch (err) {
        app.page.tell(say(err));
        // What is bound has not changed, so what was typed is put right by hand.
        el("timecode").value = this.timecode;
      }
    },

    /** @param {number} at */
    seek(at) {
      app.timeline.movePlayhead(Math.max(Math.round(at), 0));
      if (app.session.playing && app.player.route?.name === "reel") void this.playFrom(app.timeline.playhead);
      else if (app.session.playing) app.player.stop();
      this.takeTime();
      app.close.movePlayhead(app.timeline.playhead);
      app.picture.tickPicture();
    },
    takeTime() {
      // Where one is typing a place, nothing is written over it.
      if (document.activeElement === el("timecode")) return;
      this.timecode = timecode(app.timeline.playhead, app.doc.props);
    },
    /** @param {string} extra @returns {(a: number, b: number) => string} */
    address(extra) {
      return (a, b) => `/reels/${app.doc.id}/pcm?from=${a}&to=${b}&revision=${app.doc.revision}&uid=${app.doc.uid}${extra}`;
    },
    /** How fast the reel plays: 1, 0.5, 2, or −1 for backwards. */
    speed: 1,
    /** Plays on from the playhead at a speed, or as usual again where it plays so. @param {number} speed */
    playAt(speed) {
      const here = app.session.playing && app.player.route?.name === "reel" ? app.player.position() : app.timeline.playhead;
      const same = app.session.playing && this.speed === speed;
      app.timeline.movePlayhead(Math.round(here));
      this.speed = same ? 1 : speed;
      this.playFrom(Math.round(here));
      app.page.hint = { 0.5: "Plays at half speed", 2: "Plays at double speed", "-1": "Plays backwards" }[String(this.speed)] ?? "";
    },
    /** What is added to the address of the reel: what is tried, and what is left out to compare. */
    alsoHeard() {
      return app.treat.heard() + (this.heardAs ? `&trial=${this.heardAs}` : "");
    },
    /** @param {number} from */
    playFrom(from) {
      app.session.hearing = "reel";
      const { speed } = this;
      if (speed !== 1) {
        const to = speed < 0 ? 0 : Math.max(app.doc.length, from) + app.doc.props.sampleRate,
          paced = `&speed=${speed}&start=${from}`;
        if (to !== from)
          app.player.play({ name: "reel", from, to, speed, address: (a, b) => this.address(paced + this.alsoHeard())(a, b) });
        return;
      }
      const s = app.session.span,
        loop = app.session.looping && s;
      const to =
        s && (loop || from < s.to) && from >= s.from
          ? s.to
          : Math.max(app.doc.length + app.doc.props.sampleRate, from + app.doc.props.sampleRate);
      app.player.play({
        name: "reel",
        from,
        to,
        ...(loop ? { from: s.from, to: s.to, loopFrom: s.from } : {}),
        address: (a, b) => this.address(this.alsoHeard())(a, b),
      });
    },
    playStop() {
      if (app.session.stage === "source" && app.session.source) {
        app.sources.listenSource();
        return;
      }
      if (app.session.playing) {
        const here = app.player.route?.name === "reel" ? app.player.position() : app.timeline.playhead;
        app.player.stop();
        app.timeline.movePlayhead(Math.round(here));
        this.takeTime();
      } else {
        this.speed = 1;
        void this.playFrom(Math.round(app.timeline.playhead));
      }
    },
    /** Pre-roll and post-roll of each way of listening to a seam, in seconds. @type {Record<string, {pre: number, post: number}>} */
    rolls: {
      blend: { pre: 1, post: 1 },
      hard: { pre: 1, post: 1 },
      out: { pre: 1, post: 1 },
      in: { pre: 1, post: 1 },
      before: { pre: 1, post: 1 },
    },
    /** The way of listening whose rolls are shown. */
    how: "blend",
    /** The reel as an edit would leave it, while that is heard; "" for the reel as it is. */
    heardAs: "",
    /** @param {"pre" | "post"} end @param {string} v */
    setRoll(end, v) {
      const n = Number(String(v).replace(",", ".")),
        least = end === "post" ? 0.001 : 0;
      if (!(n >= least && n <= 20)) app.page.tell(`“${v}” is out of range: listen from 0 to 20 s around the cut.`);
      else this.rolls = { ...this.rolls, [this.how]: { ...this.rolls[this.how], [end]: Math.round(n * 1000) / 1000 } };
    },

    /** Plays a stretch as an edit would leave it. @param {number} from @param {number} to @param {string} trial */
    playTrial(from, to, trial) {
      app.session.hearing = "trial";
      this.heardAs = trial;
      app.player.play({ name: "trial", from, to, address: this.address(`&trial=${trial}`) });
    },
    /** Plays the chosen seam with its surroundings. @param {string} how @param {string} [trial] as an edit would leave it */
    playSeam(how, trial = "") {
      const s = app.session.seam;
      if (!s) {
        app.page.tell("Select a seam first. N goes to the next one.");
        return;
      }
      const rate = app.doc.props.sampleRate,
        roll = this.rolls[how] ?? { pre: 1, post: 1 },
        from = Math.max(s.at - Math.round(roll.pre * rate), 0),
        to = s.at + Math.round(roll.post * rate);
      // Asked anew at each fetch: the blend may be put there while it loops.
      const extra = () => {
        const b = app.doc.blendOf(s.left, s.right)?.id ?? 0;
        if (how === "before") return "&before=1";
        if (how === "blend") return app.treat.heard();
        if (how === "hard") return b ? `&hardCut=${b}` : "";
        if (how === "out") return `&silent=${s.right}`;
        if (how === "in") return `&silent=${s.left}`;
        return "";
      };
      app.session.hearing = how;
      this.how = how;
      if (s.kind === "struck") {
        this.heardAs = trial;
        this.playStruck(s, how);
        return;
      }
      this.heardAs = trial;
      app.player.play({
        name: how,
        from,
        to,
        ...(app.session.looping ? { loopFrom: from } : {}),
        address: (a, b) => this.address(extra() + (this.heardAs && how !== "before" ? `&trial=${this.heardAs}` : ""))(a, b),
      });
    },
    /** Plays a struck span with its surroundings: as it sounds, as recorded, without its tone, or as before. @param {Seam} s @param {string} how */
    playStruck(s, how) {
      const rate = app.doc.props.sampleRate,
        roll = this.rolls[how] ?? { pre: 1, post: 1 },
        from = Math.max(s.at - Math.round(roll.pre * rate), 0),
        to = s.at + s.gap + Math.round(roll.post * rate);
      const extra = { hard: `&unstruck=${s.right}`, in: `&bare=${s.right}`, out: `&bare=${s.right}`, before: "&before=1" }[how] ?? "";
      app.player.play({
        name: how,
        from,
        to,
        ...(app.session.looping ? { loopFrom: from } : {}),
        address: (a, b) => this.address(extra + (this.heardAs && how !== "before" ? `&trial=${this.heardAs}` : ""))(a, b),
      });
    },
    toggleLoop() {
      app.session.looping = !app.session.looping;
      if (app.session.playing && app.session.hearing === "reel") void this.playFrom(Math.round(app.player.position()));
      else if (app.session.playing && app.session.hearing === "source") app.sources.listenSource();
      else if (app.session.playing) void this.playSeam(app.session.hearing);
    },
    /** The playhead goes back to where a listening began. */
    rest() {
      app.close.movePlayhead(app.timeline.playhead);
      app.timeline.drawOver();
    },
    /** @param {number} [at] what is heard now; none where nothing plays */
    tick(at) {
      if (at === undefined) return;
      if (app.player.route?.name === "source") {
        app.sourceView.playhead = at;
        app.sourceView.redraw();
        return;
      }
      if (app.player.route?.name === "reel") {
        app.loud.takeLive(at);
        app.timeline.movePlayhead(at, true);
        this.takeTime();
      } else {
        // A listened seam moves the line, not the place where one works.
        const place = app.timeline.playhead;
        app.timeline.movePlayhead(at);
        app.timeline.playhead = place;
        if (document.activeElement !== el("timecode")) this.timecode = timecode(Math.round(at), app.doc.props);
      }
      app.close.movePlayhead(at);
    },
    /** How long the span is. */
    get spanText() {
      const s = app.session.span;
      return s ? `${span(s.to - s.from, app.doc.props)} · ${frames(s.to - s.from, app.doc.props).toFixed(1)} fr` : "";
    },
    /** Whose sound it marks. */
    get spanOf() {
      const s = app.session.span;
      if (!s || app.page.revision < 0) return "";
      const under = app.act.workingClips().filter((/** @type {Clip} */ c) => c.start < s.to && c.start + c.length > s.from);
      return under.length === 1 ? `of ${under[0].name}` : under.length ? `of ${under.length} clips` : "of nothing";
    },
    /** The bar of the span lies below its tracks, so that it hides nothing of them. */
    placeBar() {
      const bar = el("spanbar"),
        s = app.session.span,
        box = app.timeline.parts.tracks;
      if (!s) return;
      const rows = app.timeline.layout().filter((r) => app.session.working.has(r.track.id)),
        low = Math.max(...rows.map((r) => r.top + r.height), 0) - box.scrollTop + 30;
      const top =
        low + bar.offsetHeight < box.clientHeight + 26
          ? low
          : Math.max(Math.min(...rows.map((r) => r.top)) - box.scrollTop + 26 - bar.offsetHeight - 4, 2);
      bar.style.top = `${top}px`;
      bar.style.left = `${Math.min(Math.max(118 + app.timeline.x(s.from), 122), Math.max(118 + app.timeline.width - bar.offsetWidth - 8, 122))}px`;
    },
    clearSpan() {
      app.session.span = null;
      app.timeline.redraw();
    },
    playSpan() {
      if (app.session.span) void this.playFrom(app.session.span.from);
    },
    /** @param {"from" | "to"} end */
    setSpan(end) {
      const at = Math.round(app.timeline.playhead),
        s = app.session.span ?? { from: 0, to: app.doc.length };
      const next = { ...s, [end]: at };
      app.session.span =
        next.to > next.from ? next : end === "from" ? { from: at, to: Math.max(app.doc.length, at + 1) } : { from: 0, to: Math.max(at, 1) };
      app.timeline.redraw();
    },
  });
