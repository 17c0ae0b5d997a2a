// The shelf: open, make, rename, copy and remove reels, and put them back.

import "../app/notices.js";
import { get, say, send, sendFile } from "../app/api.js";
import { toggleTheme } from "../lib/colours.js";

/** @param {string} id @returns {HTMLDialogElement} */
const dialog = (id) => /** @type {HTMLDialogElement} */ (document.getElementById(id));

function shelf() {
  return {
    problem: "",
    init() {
      this.problem = sessionStorage.getItem("left") ?? "";
      sessionStorage.removeItem("left");
    },
    fresh: { name: "", rate: 2, sampleRate: 48000, start: "01:00:00:00" },
    renaming: { id: 0, name: "" },
    bundling: { id: 0, name: "", history: true, versions: true },
    /** What is said while a bundle is opened. */
    opening: "",

    theme() {
      toggleTheme();
    },
    openNew() {
      this.problem = "";
      dialog("new").showModal();
    },
    /** @param {number} id @param {string} name */
    openRename(id, name) {
      this.problem = "";
      this.renaming = { id, name };
      dialog("rename").showModal();
    },
    closeAll() {
      for (const d of document.querySelectorAll("dialog")) d.close();
    },
    /** @param {() => Promise<void>} work */
    async attempt(work) {
      try {
        await work();
      } catch (err) {
        this.problem = say(err);
      }
    },
    create() {
      return this.attempt(async () => {
        const option = /** @type {HTMLElement} */ (document.querySelector(`option[data-rate][value="${this.fresh.rate}"]`));
        const made = await send("POST", "/reels", {
          name: this.fresh.name,
          sampleRate: this.fresh.sampleRate,
          start: this.fresh.start,
          frameRate: JSON.parse(option.dataset.rate ?? ""),
        });
        location.href = `/reels/${made.id}`;
      });
    },
    rename() {
      return this.attempt(async () => {
        const v = await get(`/reels/${this.renaming.id}`);
        await send("POST", `/reels/${this.renaming.id}/edits`, {
          base: v.revision,
          edit: { do: "setReel", with: { name: this.renaming.name } },
        });
        location.reload();
      });
    },
    /** @param {number} id @param {string} name */
    copyReel(id, name) {
      return this.attempt(async () => {
        await send("POST", `/reels/${id}/copy`, { name: `${name}, copy` });
        location.reload();
      });
    },
    /** @param {number} id @param {string} name */
    askBundle(id, name) {
      this.problem = "";
      this.bundling = { ...this.bundling, id, name };
      dialog("bundle").showModal();
    },
    makeBundle() {
      return this.attempt(async () => {
        const { id, history, versions } = this.bundling;
        await send("POST", `/reels/${id}/bundles`, { history, versions });
        location.href = "/jobs";
      });
    },
    /** @param {HTMLInputElement} field */
    async openBundle(field) {
      const file = field.files?.[0];
      field.value = "";
      if (!file) return;
      this.problem = "";
      const turn = `${Date.now()}-${Math.random().toString(36).slice(2)}`,
        q = new URLSearchParams({ name: file.name, turn });
      let reading = 0;
      try {
        const made = await sendFile(`/bundles?${q}`, file, (part) => {
          this.opening = part < 1 ? `Sending, ${Math.round(part * 100)} %` : "Reading the sound…";
          if (part >= 1 && !reading) reading = setInterval(() => void this.tellOpening(turn), 400);
        });
        // What was left out is told where the reel is listed, else it opens at once.
        if (made.left.length) {
          sessionStorage.setItem("left", `“${made.name}” was opened. ${made.left.join(" ")}`);
          location.reload();
        } else location.href = `/reels/${made.reel}`;
      } catch (err) {
        this.problem = say(err);
      } finally {
        clearInterval(reading);
        this.opening = "";
      }
    },
    /** How far the sound of a bundle is read. @param {string} turn */
    async tellOpening(turn) {
      const { part } = await get(`/bundles/${turn}`).catch(() => ({ part: 0 }));
      if (this.opening && part > 0) this.opening = `Reading the sound, ${Math.round(part * 100)} %`;
    },
    /** @param {number} id */
    remove(id) {
      return this.attempt(async () => {
        await send("DELETE", `/reels/${id}`);
        location.href = `/?removed=${id}`;
      });
    },
    /** @param {number} id */
    restore(id) {
      return this.attempt(async () => {
        await send("POST", `/reels/${id}/restore`);
        location.href = "/";
      });
    },
  };
}

document.addEventListener("alpine:init", () => Alpine.data("shelf", shelf));
