// What the tests share: a reel of their own, ears, and a reader of WAV files.
import { test as base, expect } from "@playwright/test";
import { readFileSync } from "node:fs";

export { expect };
export const url = () => process.env[`SEAM_URL_${process.env.TEST_PARALLEL_INDEX}`];

/** Sends a request to the API and gives the answer. */
export async function api(method, path, body) {
  const res = await fetch(`${url()}/api/v1${path}`, {
    method,
    body: body === undefined ? undefined : JSON.stringify(body),
    headers: { "Content-Type": "application/json" },
  });
  const text = await res.text();
  return { status: res.status, body: text ? JSON.parse(text) : null, headers: res.headers };
}

export const load = async (id) => (await api("GET", `/reels/${id}`)).body;

/** Interleaved float32 of a span, as the server renders it for listening. */
export async function pcm(id, from, to, extra = "") {
  const res = await fetch(`${url()}/api/v1/reels/${id}/pcm?from=${from}&to=${to}${extra}`);
  expect(res.status).toBe(200);
  return new Float32Array(await res.arrayBuffer());
}

/** Whether two sounds are the same, to the bit. */
export const same = (a, b) => Buffer.from(a.buffer, a.byteOffset, a.byteLength).equals(Buffer.from(b.buffer, b.byteOffset, b.byteLength));

/** The samples of a WAV file as floats, a list a channel. */
export function readWAV(path) {
  const b = readFileSync(path);
  let at = 12,
    fmt = null,
    data = null;
  while (at + 8 <= b.length) {
    const id = b.toString("latin1", at, at + 4),
      n = b.readUInt32LE(at + 4);
    if (id === "fmt ") fmt = { channels: b.readUInt16LE(at + 10), rate: b.readUInt32LE(at + 12), bits: b.readUInt16LE(at + 22) };
    if (id === "data") data = b.subarray(at + 8, at + 8 + n);
    at += 8 + n + (n % 2);
  }
  const size = fmt.bits / 8,
    n = data.length / size / fmt.channels;
  const out = Array.from({ length: fmt.channels }, () => new Float32Array(n));
  for (let i = 0; i < n; i++)
    for (let c = 0; c < fmt.channels; c++) {
      const o = (i * fmt.channels + c) * size;
      out[c][i] = fmt.bits === 32 ? data.readFloatLE(o) : fmt.bits === 24 ? data.readIntLE(o, 3) / 8388608 : data.readInt16LE(o) / 32768;
    }
  return { ...fmt, samples: out };
}

/** A 16-bit mono WAV of a tone, as a buffer for an upload. */
export function tone({ seconds = 2, hz = 440, rate = 48000, level = 0.25, channels = 1 } = {}) {
  const n = Math.round(seconds * rate),
    b = Buffer.alloc(44 + n * 2 * channels);
  b.write("RIFF", 0);
  b.writeUInt32LE(36 + n * 2 * channels, 4);
  b.write("WAVEfmt ", 8);
  b.writeUInt32LE(16, 16);
  b.writeUInt16LE(1, 20);
  b.writeUInt16LE(channels, 22);
  b.writeUInt32LE(rate, 24);
  b.writeUInt32LE(rate * 2 * channels, 28);
  b.writeUInt16LE(2 * channels, 32);
  b.writeUInt16LE(16, 34);
  b.write("data", 36);
  b.writeUInt32LE(n * 2 * channels, 40);
  for (let i = 0; i < n; i++)
    for (let c = 0; c < channels; c++)
      b.writeInt16LE(Math.round(level * 32767 * Math.sin((2 * Math.PI * hz * (c + 1) * i) / rate)), 44 + (i * channels + c) * 2);
  return b;
}

/** A WAVE file with another chunk before its sound. */
export function withChunk(file, id, body) {
  const head = Buffer.alloc(8);
  head.write(id);
  head.writeUInt32LE(body.length, 4);
  const out = Buffer.concat([file.subarray(0, 36), head, body, Buffer.alloc(body.length % 2), file.subarray(36)]);
  out.writeUInt32LE(out.length - 8, 4);
  return out;
}

/** An ear: passes sound on and tells the page of every sample. */
const ear = `registerProcessor("ear", class extends AudioWorkletProcessor {
  process([input], [output]) {
    if (!input.length) return true;
    input.forEach((v, c) => output[c].set(v));
    this.port.postMessage(input.map((v) => v.slice()));
    return true;
  }
});`;

/** Puts an ear before the loudspeaker. */
function ears(ear) {
  const connect = AudioNode.prototype.connect,
    addModule = Worklet.prototype.addModule;
  window.heard = [];
  Worklet.prototype.addModule = async function (...args) {
    await addModule.call(this, `data:text/javascript,${encodeURIComponent(ear)}`);
    return addModule.apply(this, args);
  };
  AudioNode.prototype.connect = function (to, ...rest) {
    if (to instanceof AudioDestinationNode) {
      const node = new AudioWorkletNode(this.context, "ear", { outputChannelCount: [2] });
      node.port.onmessage = (e) => window.heard.push(e.data);
      connect.call(this, node);
      return connect.call(node, to);
    }
    return connect.call(this, to, ...rest);
  };
}

export const test = base.extend({
  /** Which of the demo's reels is copied: 1 as it is cut, 2 as it was roughly laid out. */
  of: [1, { option: true }],
  /** A copy of a demo reel, so that tests do not meet. */
  reel: async ({ of }, use) => {
    const { body } = await api("POST", `/reels/${of}/copy`, { name: `Copy ${Math.random()}` });
    await use(body.id);
  },
  /** The bench of that reel, with an eye on errors; with ears where the policy lets a test bring its own script. */
  bench: async ({ page, reel, bypassCSP }, use) => {
    const errors = [];
    page.on("pageerror", (e) => errors.push(e.message));
    page.on("console", (m) => m.type() === "error" && !/status of 4\d\d/.test(m.text()) && errors.push(m.text()));
    if (bypassCSP) await page.addInitScript(ears, ear);
    await page.goto(`${url()}/reels/${reel}`);
    await expect(page.locator(".seamrow").first()).toBeVisible();
    await use(page);
    expect(errors).toEqual([]);
  },
});

/** Chooses a seam of the ledger by its title. */
export async function choose(page, title) {
  const row = page.getByRole("option").filter({ hasText: title }),
    list = page.getByRole("listbox", { name: "Seams" });
  // While seams are measured the list is ordered anew, and only the rows in sight are there.
  for (let i = 0; ; i++) {
    if (await row.count()) {
      const done = await row
        .first()
        .click({ timeout: 1500 })
        .then(
          () => true,
          () => false,
        );
      if (done) break;
    }
    if (i === 120) throw new Error(`no seam ${title} in the list`);
    if (i === 50) await list.evaluate((l) => (l.scrollTop = 0));
    await list.press(i < 50 ? "ArrowDown" : "ArrowUp");
  }
  await expect(row.first()).toHaveAttribute("aria-selected", "true");
  return row.first();
}

/** Everything heard so far, end to end, without the silence around it. */
export async function heard(page) {
  const blocks = await page.evaluate(() => window.heard.map((b) => b.map((v) => Array.from(v))));
  const join = (c) => Float32Array.from(blocks.flatMap((b) => b[c]));
  return [join(0), join(1)];
}

/** Where a stretch of what was rendered begins in what was heard; −1 when it was not. */
export function find(heardSamples, rendered, from, length) {
  for (let at = 0; at + length <= heardSamples.length; at++) {
    let k = 0;
    while (k < length && heardSamples[at + k] === rendered[from + k]) k++;
    if (k === length) return at;
  }
  return -1;
}

/** Whether samples, one after the other, were heard on the left; looked for in the page, as sound is much to send. */
export const wasHeard = (page, samples) =>
  page.evaluate(
    (text) => {
      const bytes = Uint8Array.from(atob(text), (c) => c.charCodeAt(0)),
        want = new Float32Array(bytes.buffer);
      const all = new Float32Array(window.heard.reduce((n, b) => n + b[0].length, 0));
      let at = 0;
      for (const b of window.heard) {
        all.set(b[0], at);
        at += b[0].length;
      }
      for (let i = all.indexOf(want[0]); i >= 0 && i + want.length <= all.length; i = all.indexOf(want[0], i + 1)) {
        let k = 1;
        while (k < want.length && all[i + k] === want[k]) k++;
        if (k === want.length) return true;
      }
      return false;
    },
    Buffer.from(samples.buffer, samples.byteOffset, samples.byteLength).toString("base64"),
  );

export const seamOf = (v, left, right) => {
  const byName = (name) => v.reel.clips.find((c) => c.name === name);
  const l = byName(left),
    r = byName(right);
  return { left: l, right: r, at: l.start + l.length, blend: (v.reel.blends ?? []).find((b) => b.left === l.id && b.right === r.id) };
};

/** What an element says, as it is read: blanks between its parts are one. */
export const saying = async (locator) => (await locator.textContent()).replace(/\s+/g, " ").trim();

/** Waits until so many edits of the page are saved. */
export const saved = (page, revision) => expect(page.locator("#save")).toHaveText(new RegExp(`Saved r${revision}$`));

/** The clips and blends of a reel as a user would tell them, without ids. */
export async function laid(id) {
  const { reel } = await load(id);
  const track = (t) => reel.tracks.find((o) => o.id === t).name,
    clip = (c) => reel.clips.find((o) => o.id === c).name;
  return {
    clips: reel.clips
      .map((c) => ({ ...c, id: 0, track: track(c.track) }))
      .sort((a, b) => a.track.localeCompare(b.track) || a.start - b.start),
    blends: (reel.blends ?? [])
      .map((b) => ({ ...b, id: 0, left: clip(b.left), right: clip(b.right) }))
      .sort((a, b) => a.left.localeCompare(b.left)),
  };
}

/** Where things lie on the timeline, when it was zoomed to the chosen seam at a sample. */
export async function zoomed(page, reel, at) {
  const v = await load(reel),
    box = await page.locator("#lanes").boundingBox(),
    rate = v.reel.props.sampleRate;
  const order = [...v.reel.tracks].sort((a, b) => a.place - b.place || a.id - b.id);
  return {
    x: (sample) => box.x + ((sample - (at - rate * 1.5)) / (rate * 3)) * box.width,
    /** The height of a part of a track: its tab, its knots, its edges, its wave, or its ribbon. */
    y: async (name, part) => {
      const i = order.findIndex((t) => t.name === name),
        head = await page.locator(".trackhead").nth(i).boundingBox();
      return head.y + { tab: 8, knot: 16 + (head.height - 16) / 2, wave: 29, edge: head.height - 5, ribbon: head.height - 4 }[part];
    },
  };
}

/** The clips of a reel by a name, by start. */
export const clipsOf = async (reel, name) => (await load(reel)).reel.clips.filter((c) => c.name === name).sort((a, b) => a.start - b.start);

/** Who is seen on a canvas, by the colour of the coat: none where nothing is drawn yet. */
export const who = (page, id) =>
  page.evaluate((id) => {
    const c = document.getElementById(id),
      [r, , b] = c.getContext("2d").getImageData(Math.round(c.width / 2), Math.round(c.height * 0.83), 1, 1).data;
    return c.dataset.frame ? (b > r + 15 ? "Warden" : r > b + 15 ? "Grower" : "neither") : "nothing";
  }, id);

/** Goes to a sample by its timecode. */
export async function goTo(page, tc) {
  await page.keyboard.press("Shift+G");
  await page.keyboard.type(tc);
  await page.keyboard.press("Enter");
  await expect(page.getByLabel("Timecode of the playhead")).toHaveValue(tc);
}
