import assert from "node:assert/strict";
import { test } from "node:test";
import { drag } from "../lib/drag.js";

/** An event as a browser makes it. */
const event = (name, more) => Object.assign(new Event(name, { cancelable: true }), { pointerId: 1, clientX: 0, clientY: 0 }, more);

/** A drag begun at the origin, with what it told. */
function begun(how = {}) {
  const told = [],
    window = new EventTarget(),
    on = Object.assign(new EventTarget(), { held: 0, setPointerCapture: (id) => (on.held = id) });
  const back = drag(
    event("pointerdown"),
    { on, move: (e) => told.push(["move", e.clientX]), end: (kept, moved) => told.push(["end", kept, moved]), ...how },
    window,
  );
  return { told, window, on, back };
}

test("a drag begins after a few pixels, holds its pointer, and ends where it is let go", () => {
  const { told, on } = begun();
  on.dispatchEvent(event("pointermove", { clientX: 2 }));
  on.dispatchEvent(event("pointermove", { clientX: 9 }));
  on.dispatchEvent(event("pointermove", { clientX: 1 })); // once begun, every place counts
  on.dispatchEvent(event("pointerup"));
  on.dispatchEvent(event("pointermove", { clientX: 50 }));
  assert.equal(on.held, 1);
  assert.deepEqual(told, [
    ["move", 9],
    ["move", 1],
    ["end", true, true],
  ]);
});

test("what does not move is a click", () => {
  const { told, on } = begun();
  on.dispatchEvent(event("pointerup"));
  assert.deepEqual(told, [["end", true, false]]);
});

test("Escape backs out, and nobody else hears of it", () => {
  const { told, on, window } = begun();
  let heard = 0;
  window.addEventListener("keydown", () => heard++);
  on.dispatchEvent(event("pointermove", { clientX: 20 }));
  const other = event("keydown", { key: "a" }),
    escape = event("keydown", { key: "Escape" });
  window.dispatchEvent(other);
  window.dispatchEvent(escape);
  on.dispatchEvent(event("pointerup"));
  assert.deepEqual(told, [
    ["move", 20],
    ["end", false, true],
  ]);
  assert.ok(escape.defaultPrevented && !other.defaultPrevented);
});

test("a pointer that is taken away, or a call, backs out once", () => {
  for (const how of ["cancel", "call"]) {
    const { told, on, back } = begun();
    if (how === "cancel") on.dispatchEvent(event("pointercancel"));
    back();
    back();
    assert.deepEqual(told, [["end", false, false]], how);
  }
});

test("a second finger does not drag what the first holds", () => {
  const { told, on } = begun();
  on.dispatchEvent(event("pointermove", { clientX: 80, pointerId: 2 }));
  on.dispatchEvent(event("pointerup", { pointerId: 2 }));
  on.dispatchEvent(event("pointermove", { clientX: 8 }));
  assert.deepEqual(told, [["move", 8]]);
});
