// The panel beside the close-up: the blend or fade of the seam that is shown, as
// fields and sliders show it.

import { panel } from "../lib/panel.js";
import { frames, ms, span } from "../lib/timecode.js";

/** @param {import("../app/app.js").App} app */
export const closeup = (app) =>
  panel({
    /** @type {any} */ blend: null,
    /** @type {any} */ fade: null,
    /** @type {any} */ room: null,
    aroundText: "",
    scaleText: "",
    limit: "",
    takeInfo() {
      app.measures.takeMeasured();
      if (this.typing) return; // what one types is not written over; it is taken up afterwards
      app.strike.takeStruck();
      const i = app.close.info,
        p = app.doc.props;
      app.timeline.around = Math.round(app.close.around);
      this.aroundText = `±${span(app.close.around, p)}`;
      if (!i) {
        this.blend = this.fade = this.room = null;
        return;
      }
      const say2 = (/** @type {number} */ n) => `${span(n, p)} · ${frames(n, p).toFixed(1)} fr`;
      this.room = i.room
        ? {
            out: say2(i.room.handleOut),
            in: say2(i.room.handleIn),
            before: i.room.before,
            after: i.room.after,
            any: i.room.before + i.room.after > 0,
          }
        : null;
      if (i.blend) {
        const b = i.blend,
          n = b.before + b.after,
          lie = /** @type {"before" | "after" | "across"} */ (b.after === 0 ? "before" : b.before === 0 ? "after" : "across");
        const most = i.room ? i.room[lie] : n;
        this.blend = {
          ...b,
          base: b.law.replace("Eased", ""),
          eased: b.law.endsWith("Eased") ? "Eased" : "",
          matched: b.law === "matched",
          length: n,
          lie,
          ms: Number(ms(n, p).toFixed(1)),
          fr: Number(frames(n, p).toFixed(2)),
          max: Math.max(most, n),
          slide: Math.round(1000 * Math.cbrt(n / Math.max(most, n))),
          most: span(Math.max(most, n), p),
          apart: Boolean(b.out?.shape || b.in?.shape),
          outSide: b.out ?? { shape: "", bend: b.lean },
          inSide: b.in ?? { shape: "", bend: b.lean },
          leanText:
            b.lean === 0.5
              ? "even"
              : b.lean < 0.5
                ? `${Math.round((0.5 - b.lean) * 200)} % early`
                : `${Math.round((b.lean - 0.5) * 200)} % late`,
          sides: `${Math.round(ms(b.before, p))} ms before, ${Math.round(ms(b.after, p))} after`,
        };
      } else {
        this.blend = null;
      }
      const s = app.session.seam,
        c = s && s.kind !== "cut" ? app.doc.clips.get(s.right || s.left) : null;
      this.fade =
        c && s && s.kind !== "struck"
          ? this.fadeOf(c, s.kind === "head" ? "head" : "tail", i.fade ?? { length: 0, shape: "constantPower", bend: 0.5 })
          : null;
    },
    /** @param {Clip} c @param {string} end @param {Fade} f */
    fadeOf(c, end, f) {
      const p = app.doc.props;
      return {
        ...f,
        clip: c.id,
        end,
        ms: Number(ms(f.length, p).toFixed(1)),
        fr: Number(frames(f.length, p).toFixed(2)),
        bendText:
          f.bend === 0.5
            ? "even"
            : f.bend < 0.5
              ? `${Math.round((0.5 - f.bend) * 200)} % early`
              : `${Math.round((f.bend - 0.5) * 200)} % late`,
        most: span(Math.max(app.close.info?.fadeRoom ?? c.length, f.length), p),
      };
    },
    /** @param {number} factor */
    zoomClose(factor) {
      app.close.zoom(factor);
    },
    typing: false,
  });
