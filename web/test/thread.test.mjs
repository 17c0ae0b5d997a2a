import assert from "node:assert/strict";
import { test } from "node:test";

import { levelAt } from "../levels/thread.js";

const line = [
  { at: 100, db: 0 },
  { at: 200, db: -12, eased: true },
  { at: 300, db: 6 },
  { at: 400, db: -144 },
];

test("a gain line is level beyond its ends, straight in dB between points, eased where it says so", () => {
  for (const [at, db] of [
    [0, 0],
    [100, 0],
    [150, -6],
    [200, -12],
    [250, -3],
    [225, -12 + (18 * (1 - Math.cos(Math.PI / 4))) / 2],
    [300, 6],
    [9999, -144],
  ])
    assert.ok(Math.abs(levelAt(line, at) - db) < 1e-9, `at ${at} it is ${levelAt(line, at)}, not ${db}`);
  assert.equal(levelAt([], 5), 0);
});

test("to silence it goes straight in amplitude", () => {
  const half = levelAt(line, 350);
  assert.ok(Math.abs(half - 20 * Math.log10(10 ** (6 / 20) / 2)) < 1e-9, String(half));
});

test("of ten thousand points the right two are found", () => {
  const many = Array.from({ length: 10_000 }, (_, i) => ({ at: i * 100, db: i % 7 }));
  for (let at = 0; at < 999_900; at += 977) {
    const i = Math.floor(at / 100),
      t = (at - i * 100) / 100,
      want = (i % 7) + (((i + 1) % 7) - (i % 7)) * t;
    assert.ok(Math.abs(levelAt(many, at) - want) < 1e-9);
  }
});
