// Rows that are kept are held against rows that are made anew, through random changes of the reel.
import assert from "node:assert/strict";
import { test } from "node:test";
import { SeamRows } from "../ledger/seamrows.js";

let seed = 11;
const random = (n) => (seed = (seed * 1103515245 + 12345) % 2147483648) % n;
const pick = (map) => [...map.values()][random(map.size)];

/** A reel of clips that meet, with a few blends and struck spans. */
function reelOf(n) {
  const doc = {
    props: { sampleRate: 48000, frameRate: { num: 25, den: 1, drop: false }, startFrame: 0, name: "x" },
    clips: new Map(),
    blends: new Map(),
    strikes: new Map(),
    tracks: new Map([[1, { id: 1, role: "dialogue" }]]),
    off: new Map(),
    seams: [],
  };
  const fade = () => ({ length: random(2) * 960, shape: "constantPower", bend: 0.5 });
  for (let i = 0; i < n; i++) doc.clips.set(10 + i, { id: 10 + i, name: `clip ${i}`, fadeIn: fade(), fadeOut: fade() });
  for (let i = 0; i + 1 < n; i++)
    doc.seams.push(
      Object.freeze({
        kind: ["cut", "head", "tail"][random(3)],
        track: 1,
        at: i * 48000,
        left: 10 + i,
        right: 11 + i,
        blend: 100 + i,
        verdict: ["fine", "mend"][random(2)],
        brief: "click",
        gap: 0,
        accepted: false,
      }),
    );
  for (let i = 0; i < n; i += 3) {
    doc.strikes.set(500 + i, { id: 500 + i, clip: 10 + i, lowerDB: 0, cover: 0 });
    doc.seams.push(
      Object.freeze({ kind: "struck", track: 1, at: i * 48000, left: 10 + i, right: 500 + i, gap: 4800, verdict: "fine", brief: "" }),
    );
  }
  return doc;
}

/** A change as the server tells it, and done. */
function change(doc) {
  const put = (map, key, after) => {
    const pair = { before: map.get(after.id), after };
    map.set(after.id, after);
    return { [key]: [pair] };
  };
  switch (random(7)) {
    case 0:
      return put(doc.clips, "clips", { ...pick(doc.clips), name: `named ${random(99)}` });
    case 1:
      return put(doc.clips, "clips", { ...pick(doc.clips), fadeIn: { length: random(9) * 480, shape: "smooth", bend: 0.5 } });
    case 2: {
      const s = doc.seams.find((o) => o.blend && !doc.blends.has(o.blend)) ?? doc.seams[0];
      return put(doc.blends, "blends", { id: s.blend ?? 100, left: s.left, right: s.right, before: 480 * random(9), after: 480 });
    }
    case 3: {
      if (!doc.blends.size) return {};
      const before = pick(doc.blends);
      doc.blends.delete(before.id);
      return { blends: [{ before }] };
    }
    case 4:
      return put(doc.strikes, "strikes", { ...pick(doc.strikes), lowerDB: random(30) });
    case 5:
      return put(doc.tracks, "tracks", { id: 1, role: ["music", "dialogue"][random(2)] });
    default: {
      // One was measured: it is another, the rest stay the very same.
      const i = random(doc.seams.length);
      doc.seams = doc.seams.map((s, k) => (k === i ? Object.freeze({ ...s, verdict: "check", brief: `room ${random(9)}` }) : s));
      return {};
    }
  }
}

test("a row that is kept tells what one made anew would", () => {
  const doc = reelOf(40),
    rows = new SeamRows(/** @type {any} */ ({ doc }));
  let before = rows.all(),
    kept = 0;
  for (let round = 0; round < 600; round++) {
    rows.touch(random(40) ? change(doc) : undefined);
    if (random(9) === 0) doc.off = new Map([[pick(doc.clips).id, { words: `${random(5)} frames late` }]]);
    const now = rows.all();
    const anew = new SeamRows(/** @type {any} */ ({ doc: { ...doc, seams: doc.seams.map((s) => Object.freeze({ ...s })) } })).all();
    assert.deepEqual(now, anew);
    kept += now.filter((row, i) => row === before[i]).length / now.length / 600;
    before = now;
  }
  assert.ok(kept > 0.9, `${kept} of the rows were kept`);
});
