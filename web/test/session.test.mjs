import assert from "node:assert/strict";
import { test } from "node:test";
import { createSession } from "../app/session.js";

test("what is set is read by name and by key, and those who asked are told once", () => {
  const session = createSession();
  const told = [];
  session.subscribe(["acting", "later"], () => told.push([session.acting, session.get("later")]));
  session.acting = "in";
  session.set("later", "follow");
  session.acting = "in"; // nothing new
  session.playing = true; // not asked for
  assert.deepEqual(told, [
    ["in", "stay"],
    ["in", "follow"],
  ]);
});

test("who no longer listens is told nothing, and may leave while news is told", () => {
  const session = createSession();
  let first = 0,
    second = 0;
  const leave = session.subscribe(["target"], () => {
    first++;
    leave();
  });
  session.subscribe(["target"], () => second++);
  session.target = 3;
  session.target = 4;
  assert.deepEqual([first, second], [1, 2]);
});

test("a session holds what it was made for, and nothing is put beside it by a slip", () => {
  const session = createSession();
  assert.throws(() => (session.sleepy = 1), TypeError);
  assert.equal(session.chosen.size, 0);
});

test("each session is its own", () => {
  const a = createSession(),
    b = createSession();
  a.chosen = new Set([1]);
  a.mark = { from: 1, to: 2, text: "x" };
  assert.equal(b.chosen.size, 0);
  assert.equal(b.mark.to, 0);
});

test("values are not watched from inside, so that canvases read them at full speed", () => {
  // A stand-in for the framework: it wraps what can be extended, as proxies do.
  const wrapped = new WeakSet();
  const reactive = (state) =>
    new Proxy(state, { get: (t, k) => (t[k] && typeof t[k] === "object" && Object.isExtensible(t[k]) && wrapped.add(t[k]), t[k]) });
  const session = createSession(reactive);
  const seam = { left: 1, right: 2 };
  session.seam = seam;
  assert.equal(session.seam, seam);
  assert.ok(!wrapped.has(seam));
});
