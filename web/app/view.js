// What of the bench is shown: panels that fold, waves and fades on the timeline,
// and the page that explains the numbers.

import { el, panel } from "../lib/panel.js";
import { say } from "./api.js";

/** Names of rows beside the cut that the explanations know under another one. @type {Record<string, string>} */
const known = { "Music level": "Voice level", Room: "Room, of a strike" };
/** The place of a number's explanation. @param {string} name */
const anchor = (name) => (known[name] ?? name).toLowerCase().replace(/[^a-z]+/g, "-");

/** @param {import("./app.js").App} app */
export const viewing = (app) =>
  panel({
    folded: { list: false, card: false },
    shownOnLine: { waves: true, curves: true, rides: true },

    /** Folds a panel away, or shows it again. @param {"list" | "card"} which */
    fold(which) {
      this.folded = { ...this.folded, [which]: !this.folded[which] };
      app.page.hint = `${which === "list" ? "The lists" : "The panel of the seam"} ${this.folded[which] ? "folded" : "shown"}; ${app.keys.keyOf(which === "list" ? "foldList" : "foldCard")} ${this.folded[which] ? "shows" : "folds"} ${which === "list" ? "them" : "it"}`;
    },
    /** @param {"waves" | "curves" | "rides"} what */
    toggleShown(what) {
      this.shownOnLine = { ...this.shownOnLine, [what]: !this.shownOnLine[what] };
      this.takeShown();
      app.page.hint = `${{ waves: "Waveforms", curves: "Fades and blends", rides: "Gain lines" }[what]} ${this.shownOnLine[what] ? "shown" : `hidden; ${app.keys.keyOf(what)} shows them`}`;
    },
    takeShown() {
      app.timeline.shown = { ...this.shownOnLine };
      app.timeline.redraw();
    },

    /** Which explanation is shown. */
    explained: "numbers",
    /** Explains the numbers or the words, at the place of one of them. @param {string} name as it stands beside the cut, or "" @param {"numbers" | "glossary"} [of] */
    async explain(name, of = "numbers") {
      const text = el("numbers-text");
      try {
        if (!text.childElementCount || this.explained !== of) {
          const res = await fetch(`/${of}`);
          if (!res.ok) throw new Error("The explanations are not there. Try again in a moment.");
          const page = new DOMParser().parseFromString(await res.text(), "text/html");
          text.replaceChildren(...(page.querySelector("main article")?.childNodes ?? []));
          this.explained = of;
        }
      } catch (err) {
        app.page.tell(say(err));
        return;
      }
      if (!el("numbers").open) el("numbers").showModal();
      for (const marked of text.querySelectorAll(".meant")) marked.classList.remove("meant");
      const place = name && text.querySelector(`#${anchor(name)}`);
      if (place) place.classList.add("meant");
      (place || text.firstElementChild)?.scrollIntoView({ block: place ? "center" : "start" });
      text.focus({ preventScroll: true });
    },
  });
