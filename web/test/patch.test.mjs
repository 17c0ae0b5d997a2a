import assert from "node:assert/strict";
import { test } from "node:test";
import { patched } from "../app/patch.js";

/** Numbers that are the same each time. */
function dice(seed) {
  let x = seed;
  return (n) => (x = (x * 48271) % 2147483647) % n;
}

/** What takes one list to another, as the server tells it. */
function difference(a, b) {
  const key = (s) => `${s.left}-${s.right}`,
    was = new Map(a.map((s) => [key(s), s]));
  const now = [],
    moves = [];
  b.forEach((s, place) => {
    const o = was.get(key(s));
    was.delete(key(s));
    if (!o || o.print !== s.print) now.push({ place, ...s });
    else if (o.at !== s.at) moves.push({ first: place, last: place, by: s.at - o.at });
  });
  return { gone: [...was.values()].map(({ left, right }) => ({ left, right })), now, moves };
}

test("a patch makes the new list of the old one, and leaves what stays the very same", () => {
  for (let seed = 1; seed < 60; seed++) {
    const random = dice(seed);
    const a = Array.from({ length: random(80) }, (_, i) => ({
      left: i,
      right: i + 1,
      at: i * 100,
      print: `p${i}`,
      cut: { left: random(2) * i, at: i * 100 },
    }));
    // Some go, some differ, those behind a place lie later, and new ones come between.
    const from = random(80),
      by = random(2) * 7;
    const b = a
      .filter(() => random(9))
      .map((s) => {
        const d = s.left >= from ? by : 0;
        return { ...s, at: s.at + d, cut: s.cut.left ? { ...s.cut, at: s.cut.at + d } : s.cut, print: random(7) ? s.print : `${s.print}'` };
      })
      .flatMap((s) => (random(6) ? [s] : [s, { ...s, left: s.left + 1000, print: "new" }]));
    const got = patched(a, difference(a, b));
    assert.deepEqual(got, b, `seed ${seed}`);
    const old = new Set(a);
    for (const s of got) if (!by && s.print === `p${s.left}` && s.left < 1000) assert.ok(old.has(s));
  }
});

test("a patch of nothing is the same list", () => {
  const list = [{ left: 1, right: 2, at: 5 }];
  assert.deepEqual(patched(list, { gone: [], now: [], moves: [] }), list);
});
