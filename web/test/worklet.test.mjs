import assert from "node:assert/strict";
import { test } from "node:test";

/** @type {any} */ let Player;
Object.assign(globalThis, {
  AudioWorkletProcessor: class {
    port = { postMessage() {}, onmessage: null };
  },
  registerProcessor: (/** @type {string} */ _, /** @type {any} */ made) => (Player = made),
  currentTime: 0,
  sampleRate: 48000,
});
await import("../audio/worklet.js");

/** A player that has begun, and what it played. */
function begun() {
  const p = new Player(),
    heard = /** @type {number[]} */ ([]);
  p.heed({ kind: "start", session: 1 });
  return {
    heard,
    /** So many samples of one level at a place. @param {number} at @param {number} n @param {number} level @param {boolean} [replace] */
    send: (at, n, level, replace = false) => p.heed({ kind: "data", session: 1, at, data: new Float32Array(2 * n).fill(level), replace }),
    /** @param {number} quanta */
    play(quanta) {
      for (let i = 0; i < quanta; i++) {
        const out = [new Float32Array(128), new Float32Array(128)];
        p.process([], [out]);
        heard.push(...out[0]);
      }
    },
    step: () => heard.reduce((m, x, i) => (i ? Math.max(m, Math.abs(x - heard[i - 1])) : m), 0),
  };
}

test("a replacement is faded in, wherever it comes, and the old sound is gone after it", () => {
  const p = begun();
  p.send(0, 9600, 1);
  p.play(20);
  p.send(2000, 4000, -1, true);
  p.send(6000, 4000, -1);
  p.play(40);
  assert.ok(p.step() < 0.012, `a step of ${p.step()}`);
  assert.ok(p.heard.slice(4000, 7000).every((x) => x === -1));
});

test("a replacement that comes when its place is past, or nearly, makes no click", () => {
  for (const [at, n] of [
    [1000, 800], // it is past
    [2000, 570], // it ends ten samples on
    [2000, 640],
    [2500, 70],
  ]) {
    const p = begun();
    p.send(0, 9600, 1);
    p.play(20); // 2560 samples
    p.send(at, n, -1, true);
    p.play(3);
    p.send(at + n, 9600, -1);
    p.play(20);
    assert.ok(p.step() < 0.03, `${n} samples at ${at}: a step of ${p.step()}`);
    assert.equal(p.heard.at(-1), -1);
  }
});

test("what runs dry goes quiet and comes back without a click", () => {
  const p = begun();
  p.send(0, 1000, 1);
  p.play(12);
  p.send(1000, 4000, 1);
  p.play(20);
  assert.ok(p.step() < 0.012, `a step of ${p.step()}`);
  assert.equal(p.heard[1400], 0);
  assert.equal(p.heard.at(-1), 1);
});
