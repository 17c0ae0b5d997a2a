// What is told of a list of seams is held against reckoning it plainly, for random lists.
import assert from "node:assert/strict";
import { test } from "node:test";
import { Still, asks, finding, listed, worstOf } from "../ledger/listed.js";

/** The two clips of a seam. */
const keyOf = (s) => `${s.left}-${s.right}`;

let seed = 7;
const random = (n) => (seed = (seed * 1103515245 + 12345) % 2147483648) % n;
const list = (n) =>
  Object.freeze(
    Array.from({ length: n }, (_, i) => {
      const verdict = ["fine", "mend", "check", "unknown", "muted", ""][random(6)];
      return Object.freeze({
        left: i,
        right: i + 1,
        number: i + 1,
        verdict,
        accepted: random(5) === 0,
        score: verdict === "mend" ? 2000 + random(5) : verdict === "check" ? 1000 + random(5) : 0,
      });
    }),
  );

/** As the list was told before: everything anew each time. */
function plain(seams, filter, held, key) {
  const along = seams.filter((s) =>
    filter === "all" ? true : filter === "fine" ? s.verdict === "fine" || s.accepted : s.verdict === filter && !s.accepted,
  );
  const worst = (s) => (held !== undefined && keyOf(s) === key ? held : asks(s) ? s.score : -1);
  return { along, shown: [...along].sort((a, b) => worst(b) - worst(a) || a.number - b.number) };
}

test("filters, order and the place that a seam keeps are as reckoned plainly", () => {
  for (let round = 0; round < 400; round++) {
    const seams = list(random(40)),
      seam = seams.length ? seams[random(seams.length)] : null,
      key = seam ? keyOf(seam) : "",
      held = [undefined, -1, 1000, 1002, 2001, 2004][random(6)];
    for (const filter of ["all", "mend", "check", "unknown", "fine"]) {
      const want = plain(seams, filter, held, key),
        got = listed(seams).through(filter);
      assert.deepEqual(got.along, want.along);
      assert.deepEqual(got.sorted(seam && { ...seam }, held), want.shown);
      assert.deepEqual(got.sorted(seam && { ...seam }, held), want.shown); // asked again, it is the same
    }
    const { counts } = listed(seams);
    assert.equal(counts.asks, seams.filter(asks).length);
    assert.equal(counts.fine, plain(seams, "fine").along.length);
    assert.equal(counts.mend, plain(seams, "mend").along.length);
    assert.ok(seams.every((s) => worstOf(s) >= 0 === asks(s)));
  }
});

test("an order that is kept stays through any other, and what is new comes last", () => {
  for (let round = 0; round < 200; round++) {
    const before = list(random(30)),
      shuffled = [...before].sort(() => random(3) - 1),
      still = new Still(shuffled);
    // Others are measured, some go, some come.
    const after = [...list(random(40))].sort(() => random(3) - 1),
      got = still.of(after),
      old = shuffled.filter((s) => after.some((o) => keyOf(o) === keyOf(s)));
    assert.deepEqual(got.slice(0, old.length).map(keyOf), old.map(keyOf));
    assert.deepEqual(
      got.slice(old.length),
      after.filter((o) => !before.some((s) => keyOf(s) === keyOf(o))),
    );
    assert.equal(still.of(after), got);
  }
});

test("seams are found by all words, in any order and case, and once for each list", () => {
  const names = [
    "Warden 1 → Warden 2 click 37 dB over",
    "Grower 6, start room tone +4.0 dB",
    "fan, end 917 ms of silence",
    "Warden 6, start room tone +19.9 dB",
  ];
  const seams = Object.freeze(names.map((title, i) => Object.freeze({ left: i, right: i + 1, number: i + 1, title })));
  let asked = 0;
  const found = (text) =>
    finding(seams, text, (s) => {
      asked++;
      return s.title;
    });
  for (const [text, want] of [
    ["", [1, 2, 3, 4]],
    ["  ", [1, 2, 3, 4]],
    ["ROOM", [2, 4]],
    ["room warden", [4]],
    ["warden 6", [4]],
    ["click silence", []],
  ])
    assert.deepEqual(
      found(text).map((s) => s.number),
      want,
    );
  assert.equal(found(""), seams);
  const first = found("room"),
    before = asked;
  assert.equal(found("room"), first);
  assert.equal(asked, before);
  assert.equal(listed(first).counts.all, 2);
});
