// Lengths as they are typed, and as they are told.
import assert from "node:assert/strict";
import { test } from "node:test";
import { lengthOf, span } from "../lib/timecode.js";

const props = { name: "", sampleRate: 48000, frameRate: { num: 25, den: 1, drop: false }, startFrame: 0 };

test("a length is read in the field's unit or in its own", () => {
  for (const [text, unit, samples] of [
    ["2s", "ms", 96000],
    ["2 s", "f", 96000],
    ["0,5s", "f", 24000],
    ["48f", "ms", 92160],
    ["3 frames", "ms", 5760],
    ["120ms", "f", 5760],
    ["10", "f", 19200],
    ["10", "ms", 480],
    ["00:00:02:00", "f", 96000],
    ["−5f", "f", -9600],
  ])
    assert.equal(lengthOf(text, props, unit), samples, text);
  for (const text of ["", "soon", "2 x", "00:00:02:25", "00:61:00:00", "1..2"]) assert.ok(Number.isNaN(lengthOf(text, props, "f")), text);
});

test("a length is told with its unit, singular and plural", () => {
  for (const [n, text] of [
    [0, "0 s"],
    [1, "1 sample"],
    [20, "20 samples"],
    [4800, "100 ms"],
    [96000, "2.00 s"],
  ])
    assert.equal(span(n, props), text);
});
