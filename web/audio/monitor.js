// How one listens here: how loud, from which device, and whether moving the playhead
// sounds. Nothing of it alters the reel.

import { el, panel } from "../lib/panel.js";
import { decibels, silent } from "../lib/decibels.js";

/** The level that stands for silence, in dB. */
const least = -48;

/** @param {import("../app/app.js").App} app */
export const monitoring = (app) =>
  panel({
    /** dB of what is heard here, 0 at most; least stands for silence. */
    level: 0,
    /** Whether moving the playhead sounds. */
    scrubbing: true,
    device: "",
    /** @type {{id: string, name: string}[]} */ devices: [],

    text() {
      return this.level <= least ? decibels(silent) : decibels(this.level);
    },
    /** @param {number} db */
    set(db) {
      this.level = Math.min(Math.max(Math.round(db), least), 0);
      app.player.setLevel(this.level <= least ? 0 : 10 ** (this.level / 20));
      app.page.hint = `Monitor ${this.text()} dB; exports stay as they are`;
    },
    /** @param {number} by */
    step(by) {
      this.set(this.level + by);
    },
    open() {
      el("listening").showModal();
      void this.readDevices();
    },
    async readDevices() {
      const all = (await navigator.mediaDevices?.enumerateDevices().catch(() => [])) ?? [];
      this.devices = all
        .filter((d) => d.kind === "audiooutput" && d.deviceId !== "default" && d.deviceId !== "")
        .map((d, i) => ({ id: d.deviceId, name: d.label || `Output ${i + 1}` }));
    },
    /** @param {string} id */
    async toDevice(id) {
      try {
        await app.player.toDevice(id);
        this.device = id;
      } catch {
        this.device = "";
        await app.player.toDevice("").catch(() => {});
        app.page.tell("That output cannot be used. The usual one plays.");
      }
    },
    toggleScrub() {
      this.scrubbing = !this.scrubbing;
      app.page.hint = this.scrubbing ? "Moving the playhead sounds" : "Moving the playhead is silent";
    },
    /** The playhead is dragged to a place. @param {number} at */
    scrub(at) {
      if (this.scrubbing) void app.scrub.move(at);
    },
  });
