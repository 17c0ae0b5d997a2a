import assert from "node:assert/strict";
import { test } from "node:test";
import { SeamList } from "../app/seamlist.js";

/** Numbers that are the same each time. */
function dice(seed) {
  let x = seed * 7919;
  return (n) => (x = (x * 48271) % 2147483647) % n;
}

const measured = (revision, prints) => ({
  revision,
  seams: prints.map((print) => ({ print, verdict: "fine", brief: `as ${print}`, what: "", score: 0, accepted: false })),
});

/** A list of seams by their prints. */
const listOf = (prints) => prints.map((print, i) => ({ left: i, right: i + 1, at: i * 100, kind: "cut", print }));

/** What takes a revision to the next. */
const patch = (revision, was, now) => ({
  from: revision - 1,
  revision,
  length: 1,
  off: [],
  gone: [],
  moves: [],
  now: listOf(now).flatMap((s, place) => (s.print === was[place] ? [] : [{ place, ...s }])),
});

test("a seam that one change left and the next did not touch is known, whichever news comes first", () => {
  const page = new SeamList(1);
  page.takeSeams({ revision: 1, length: 1, seams: listOf(["a", "b"]) });
  page.takeMeasured(measured(1, ["a", "b"]));
  page.revision = 3;
  page.patchSeams(patch(2, ["a", "b"], ["a2", "b"]));
  page.takeMeasured(measured(3, ["a2", "b3"])); // before what the third revision is
  page.patchSeams(patch(3, ["a2", "b"], ["a2", "b3"]));
  assert.deepEqual(
    page.seams.map((s) => [s.brief, Boolean(s.stale)]),
    [
      ["as a2", false],
      ["as b3", false],
    ],
  );
});

test("what was measured before the next change counts after it", () => {
  const page = new SeamList(1);
  page.revision = 2;
  page.takeSeams({ revision: 2, length: 1, seams: listOf(["a", "b"]) });
  page.revision = 3;
  page.patchSeams(patch(3, ["a", "b"], ["a", "b3"]));
  page.takeMeasured(measured(2, ["a"])); // was under way
  page.takeMeasured(measured(3, ["b3"]));
  assert.ok(page.measured);
});

test("what was told while the list was read once more is known after it", () => {
  const page = new SeamList(1);
  page.revision = 1;
  page.takeSeams({ revision: 1, length: 1, seams: listOf(["a", "b"]) });
  page.takeMeasured(measured(1, ["a"]));
  page.takeMeasured(measured(1, ["b"]));
  page.takeSeams({ revision: 1, length: 1, seams: listOf(["a", "b"]) }); // it left before either was measured
  assert.ok(page.measured, JSON.stringify(page.seams));
  page.takeSeams({ revision: 1, length: 1, seams: listOf(["a", "b"]) });
  assert.ok(page.measured, JSON.stringify(page.seams));
});

test("in whatever order the news comes, what was told is known in the end", () => {
  for (let seed = 1; seed <= 300; seed++) {
    const random = dice(seed),
      n = 6;
    // The document, revision by revision, and what is told of it.
    const prints = [Array.from({ length: n }, (_, i) => `p${i}`)];
    for (let r = 1; r < 8; r++) prints.push(prints[r - 1].map((p) => (random(3) ? p : `${p}'`)));
    const page = new SeamList(1);
    page.revision = 1;
    page.takeSeams({ revision: 1, length: 1, seams: listOf(prints[0]) });
    const patches = prints.slice(1).map((now, i) => patch(i + 2, prints[i], now));
    // Every print is told once, at a revision that has it.
    const news = [];
    for (const p of new Set(prints.flat())) {
      const having = prints.flatMap((list, i) => (list.includes(p) ? [i + 1] : []));
      news.push(measured(having[random(having.length)], [p]));
    }
    // The list is read anew as well: as of a revision that is the page's, without what was told after it left.
    let known = new Set(),
      left = null;
    while (patches.length || news.length || left) {
      if (!random(4) && page.seamsRevision === page.revision) {
        if (!left) left = { revision: page.revision, known: new Set(known) };
        else {
          const list = listOf(prints[left.revision - 1]).map((s) =>
            left.known.has(s.print) ? { ...s, ...measured(1, [s.print]).seams[0] } : s,
          );
          if (left.revision >= page.seamsRevision) page.takeSeams({ revision: left.revision, length: 1, seams: list });
          left = null;
        }
        continue;
      }
      if (left && !patches.length && !news.length) continue;
      if (patches.length && (!news.length || !random(3))) {
        const next = patches.shift();
        page.revision = Math.max(page.revision, next.revision + random(2) * (patches.length ? 1 : 0));
        page.patchSeams(next);
      } else {
        const told = news.splice(random(news.length), 1)[0];
        // What an answer did not know is told again by the measuring of the revision that it was of.
        if (told.revision < page.readRevision) told.revision = page.readRevision;
        page.takeMeasured(told);
        for (const s of told.seams) known.add(s.print);
        if (left && told.revision < left.revision) news.push(measured(left.revision, [told.seams[0].print]));
      }
    }
    assert.ok(page.measured, `seed ${seed}: ${JSON.stringify(page.seams)}`);
    for (const s of page.seams) assert.equal(s.brief, `as ${s.print}`, `seed ${seed}`);
  }
});
