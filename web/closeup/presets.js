// Named blends: what the blend key puts, and those one keeps by name.

import { el, panel } from "../lib/panel.js";
import { get, say, send } from "../app/api.js";
import { ms } from "../lib/timecode.js";

/** @param {import("../app/app.js").App} app */
export const presets = (app) =>
  panel({
    /** @type {Preset[]} */ list: [],
    presetName: "",

    async readPresets() {
      try {
        this.takePresets((await get("/presets")).presets);
      } catch (err) {
        app.page.tell(say(err));
      }
    },
    /** @param {Preset[]} list */
    takePresets(list) {
      this.list = list;
      app.timeline.usual = { law: this.usual.law, lean: this.usual.lean };
    },
    /** The one that the blend key puts. */
    get usual() {
      return (
        this.list.find((/** @type {Preset} */ p) => p.usual) ?? {
          name: "",
          ms: 240,
          lie: "across",
          law: "constantPower",
          lean: 0.5,
          usual: true,
        }
      );
    },
    /** A preset as a blend of this reel. @param {Preset} p */
    blendFrom(p) {
      const n = Math.max(Math.round((p.ms / 1000) * app.doc.props.sampleRate), 1),
        before = p.lie === "before" ? n : p.lie === "after" ? 0 : Math.floor(n / 2);
      return { before, after: n - before, law: p.law, lean: p.lean };
    },
    /** @param {Preset} p */
    presetText(p) {
      return `${p.ms} ms ${p.lie}`;
    },
    /** @param {string} law */
    lawName(law) {
      return (
        {
          constantPower: "constant power",
          constantGain: "constant gain",
          constantPowerEased: "constant power, eased",
          constantGainEased: "constant gain, eased",
          matched: "matched",
        }[law] ?? law
      );
    },
    /** Puts the preset that a list was opened for on the chosen seam. @param {HTMLSelectElement} field */
    usePreset(field) {
      const name = field.value;
      const p = this.list.find((/** @type {Preset} */ o) => o.name === name);
      field.value = "";
      if (p) void this.putPreset(p);
    },
    /** @param {Preset} p */
    putPreset(p) {
      return app.mend.setBlend({ out: undefined, in: undefined, ...this.blendFrom(p) });
    },
    /** Puts the preset after the one that the blend of the seam is; the usual one where it is none of them. */
    async nextPreset() {
      await app.doc.settled();
      const s = app.session.seam,
        now = s && app.doc.blendOf(s.left, s.right),
        list = /** @type {Preset[]} */ (this.list);
      const is = (/** @type {Preset} */ p) => now && Object.entries(this.blendFrom(p)).every(([k, v]) => /** @type {any} */ (now)[k] === v);
      const at = list.findIndex(is),
        next = at < 0 ? this.usual : list[(at + 1) % list.length];
      if (await this.putPreset(next)) app.page.hint = `Preset “${next.name}”: ${this.presetText(next)}, ${this.lawName(next.law)}`;
    },
    openPresets() {
      this.presetName = "";
      el("presets").showModal();
    },
    /** @param {Preset[]} list */
    async savePresets(list) {
      try {
        await send("PUT", "/presets", { presets: list });
        this.takePresets(list);
        return true;
      } catch (err) {
        app.page.tell(say(err));
        return false;
      }
    },
    /** Keeps the blend that is there under a name. */
    async keepPreset() {
      const b = app.mend.blendNow(),
        p = app.doc.props,
        name = this.presetName.trim();
      if (!name) return;
      const made = {
        name,
        ms: Number(ms(b.before + b.after, p).toFixed(3)),
        lie: b.after === 0 ? "before" : b.before === 0 ? "after" : "across",
        law: b.law,
        lean: b.lean,
        usual: false,
      };
      const old = this.list.find((/** @type {Preset} */ o) => o.name === name);
      const list = old
        ? this.list.map((/** @type {Preset} */ o) => (o.name === name ? { ...made, usual: o.usual } : o))
        : [...this.list, made];
      if (await this.savePresets(list)) this.presetName = "";
    },
    /** @param {string} name */
    async usualPreset(name) {
      await this.savePresets(this.list.map((/** @type {Preset} */ o) => ({ ...o, usual: o.name === name })));
    },
    /** @param {string} name */
    async dropPreset(name) {
      const list = this.list.filter((/** @type {Preset} */ o) => o.name !== name);
      if (list.length && !list.some((/** @type {Preset} */ o) => o.usual)) list[0] = { ...list[0], usual: true };
      await this.savePresets(list);
    },
    async restorePresets() {
      try {
        await send("DELETE", "/presets");
        await this.readPresets();
      } catch (err) {
        app.page.tell(say(err));
      }
    },
  });
