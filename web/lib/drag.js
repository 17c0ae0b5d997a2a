// One way to follow a pointer that was put down: mouse, pen or finger, until it
// is let go, is taken away, or Escape backs out.

/**
 * @typedef {object} Drag
 * @property {Element} [on] where the pointer is held; the whole window where it is left out
 * @property {number} [still] pixels that the pointer may stray before it drags
 * @property {(e: PointerEvent) => void} move
 * @property {(kept: boolean, moved: boolean) => void} end kept is false where one backed out
 */

/**
 * @param {PointerEvent} e with which the pointer was put down
 * @param {Drag} how
 * @param {EventTarget} [window] where keys are pressed, and what no element holds is heard
 * @returns {() => void} backs out
 */
export function drag(e, { on, still = 4, move, end }, window = globalThis.window) {
  on?.setPointerCapture(e.pointerId);
  const stop = new AbortController(),
    heard = { signal: stop.signal },
    from = on ?? window;
  let moved = false;
  const finish = (/** @type {boolean} */ kept) => {
    if (stop.signal.aborted) return;
    stop.abort();
    end(kept, moved);
  };
  const mine = (/** @type {(m: PointerEvent) => void} */ heed) => (/** @type {Event} */ m) => {
    // A second finger is not the one that drags.
    if (/** @type {PointerEvent} */ (m).pointerId === e.pointerId) heed(/** @type {PointerEvent} */ (m));
  };
  from.addEventListener(
    "pointermove",
    mine((m) => {
      if (!moved && Math.hypot(m.clientX - e.clientX, m.clientY - e.clientY) < still) return;
      moved = true;
      move(m);
    }),
    heard,
  );
  from.addEventListener(
    "pointerup",
    mine(() => finish(true)),
    heard,
  );
  from.addEventListener(
    "pointercancel",
    mine(() => finish(false)),
    heard,
  );
  window.addEventListener(
    "keydown",
    (k) => {
      if (/** @type {KeyboardEvent} */ (k).key !== "Escape") return;
      k.preventDefault();
      k.stopPropagation();
      finish(false);
    },
    { ...heard, capture: true },
  );
  return () => finish(false);
}
