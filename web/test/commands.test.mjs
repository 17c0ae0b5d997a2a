import assert from "node:assert/strict";
import { test } from "node:test";
import { commandNamed, commands, menuAt } from "../app/commands/registry.js";
import { combination, commandOf, keysOf, useKeys } from "../app/keys.js";

/** A key press as a browser tells of it. */
const press = (key, mods = {}) => ({ key, code: "", ctrlKey: false, metaKey: false, altKey: false, shiftKey: false, ...mods });

test("every command has an id, a name and a way to run, and no key calls two", () => {
  const ids = new Set(),
    keys = new Map();
  for (const c of commands) {
    assert.match(c.id, /^[a-z][A-Za-z]+$/);
    assert.ok(c.name && c.group && typeof c.run === "function", c.id);
    assert.ok(!ids.has(c.id), `two commands are called ${c.id}`);
    ids.add(c.id);
    for (const k of c.keys) {
      assert.ok(!keys.has(k), `${k} calls ${keys.get(k)} and ${c.id}`);
      keys.set(k, c.id);
    }
  }
});

test("the keys that ship are as a browser tells of them", () => {
  const marks = { ctrl: "ctrlKey", alt: "altKey", shift: "shiftKey" };
  for (const c of commands)
    for (const k of c.keys) {
      const parts = k === "+" ? ["+"] : k.split("+"),
        mods = {};
      while (parts.length > 1) mods[marks[parts.shift()]] = true;
      const key = parts[0],
        e = press(key, mods);
      if (/^\d$/.test(key) && mods.shiftKey) Object.assign(e, { key: "%", code: `Digit${key}` });
      if (/^[{}?]$/.test(key)) e.shiftKey = true; // it takes shift to type them
      assert.equal(combination(e), k, c.id);
      assert.equal(commandOf(e), c.id, k);
    }
});

test("a set puts its own keys in force, and takes them from the command that had them", () => {
  useKeys({ split: ["q"] });
  assert.deepEqual(keysOf("split"), ["q"]);
  assert.deepEqual(keysOf("better"), []); // it had q
  assert.equal(commandOf(press("q")), "split");
  assert.equal(commandOf(press("s")), undefined);
  useKeys({});
  assert.equal(commandOf(press("s")), "split");
});

test("where alt writes another sign, the place of the key counts", () => {
  assert.equal(commandOf(press("“", { altKey: true, code: "BracketLeft" })), "earlierMs");
  assert.equal(commandOf(press("∫", { altKey: true, code: "KeyB" })), "hardCut");
});

test("menus are made of the commands, in their order, for a clip and for a gap", () => {
  const app = {
    session: { later: "stay", source: null, chosen: new Set() },
    mend: { pairOver: () => false },
    strike: { strikeHere: () => null },
    merge: { merged: () => false },
  };
  const ofClip = menuAt(app, { clip: { id: 1 } }).map((i) => i.id),
    ofGap = menuAt(app, {}).map((i) => i.id);
  assert.deepEqual(ofClip.slice(0, 3), ["split", "headHere", "tailHere"]);
  assert.ok(ofClip.includes("takeOut") && !ofGap.includes("takeOut"));
  assert.ok(ofGap.includes("closeGap") && !ofClip.includes("closeGap"));
  for (const id of [...ofClip, ...ofGap]) assert.ok(commandNamed(id));
});
