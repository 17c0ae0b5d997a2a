// Times the page with thousands of clips, as ratios to a reel of thirty: the script that a step to the next seam and a
// nudge take, opening, and the memory of the page. Part of make bench; ONLY=thousands runs it alone.
import { chromium } from "@playwright/test";
import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { launch } from "./server.mjs";

const sizes = (process.env.CLIPS || "30,2000,10000").split(",").map(Number);
const data = mkdtempSync(join(tmpdir(), "seam-thousands-")),
  server = await launch(data);
process.on("uncaughtException", async (err) => {
  console.error(err);
  await server.stop();
  process.exit(1);
});
const call = async (method, path, body) =>
  (
    await fetch(`${server.url}/api/v1${path}`, {
      method,
      headers: { "Content-Type": "application/json" },
      body: body && JSON.stringify(body),
    })
  ).json();
const revision = async (id) => (await call("GET", `/reels/${id}`)).revision;

/** A reel of so many clips that meet, on up to 24 tracks. */
async function reelOf(clips) {
  const { id } = await call("POST", "/reels/1/copy", { name: `${clips} clips` });
  const v = await call("GET", `/reels/${id}`),
    tracks = [...v.reel.tracks],
    source = v.reel.sources.find((s) => s.name === "warden take 3");
  for (let i = tracks.length; clips > 100 && i < 24; i++) {
    const c = await call("POST", `/reels/${id}/edits`, {
      base: await revision(id),
      edit: { do: "addTrack", with: { name: `Track ${i + 1}`, role: ["dialogue", "roomTone", "spots", "music"][i % 4] } },
    });
    tracks.push({ id: c.outcome.made[0] });
  }
  for (let k = v.reel.clips.length; k < clips;) {
    const edits = [];
    for (; k < clips && edits.length < 1900; k++)
      edits.push({
        do: "place",
        with: {
          source: source.id,
          track: tracks[k % tracks.length].id,
          start: 48000 * 100 + Math.floor(k / tracks.length) * 96000,
          offset: (k * 4801) % 960000,
          length: 96000,
        },
      });
    const c = await call("POST", `/reels/${id}/edits`, {
      base: await revision(id),
      edit: { do: "together", with: { label: "many", edits } },
    });
    if (!c.revision) throw new Error(JSON.stringify(c));
  }
  return id;
}

const median = (list) => [...list].sort((a, b) => a - b)[list.length >> 1];
const browser = await chromium.launch({
  executablePath: process.env.CHROMIUM || "/usr/bin/chromium",
  args: [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--disable-background-networking",
    "--enable-precise-memory-info",
    "--js-flags=--expose-gc",
  ],
});
/** @type {Record<string, number>} */
let base = {};
for (const clips of sizes) {
  const id = await reelOf(clips);
  // All is measured before the clock runs: what is timed is the page. Measuring begins when a reel is looked at.
  const first = await browser.newPage();
  await first.goto(`${server.url}/reels/${id}`);
  for (const began = Date.now(); ;) {
    const { seams } = await call("GET", `/reels/${id}/seams`);
    if (seams.every((s) => s.verdict)) break;
    if (Date.now() - began > 900_000) throw new Error(`${seams.filter((s) => !s.verdict).length} seams are not measured`);
    await new Promise((r) => setTimeout(r, clips)); // asking takes the time of those who measure
  }
  await first.close();
  const opening = [];
  let page;
  for (let k = 0; k < 3; k++) {
    await page?.close();
    page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
    const began = performance.now();
    await page.goto(`${server.url}/reels/${id}`);
    await page.locator(".seamrow").first().waitFor();
    opening.push(performance.now() - began);
  }
  await page.waitForFunction(() => document.querySelector("#verdict span")?.textContent !== "Measuring…");
  await page.locator("#tracks").focus();
  const cdp = await page.context().newCDPSession(page);
  await cdp.send("Performance.enable");
  const spent = async () => Object.fromEntries((await cdp.send("Performance.getMetrics")).metrics.map((m) => [m.name, m.value]));
  /** The script that a key takes until the page is at rest. */
  const timed = async (key, n, rest) => {
    const each = [];
    for (let i = 0; i < n; i++) {
      await page.waitForTimeout(rest);
      const a = (await spent()).ScriptDuration;
      await page.keyboard.press(typeof key === "string" ? key : key[i % key.length]);
      await page.waitForTimeout(rest);
      const b = (await spent()).ScriptDuration;
      // What the page does by itself meanwhile is taken off.
      await page.waitForTimeout(rest);
      const c = (await spent()).ScriptDuration;
      each.push(Math.max(1000 * (b - a - (c - b)), 0));
    }
    return median(each);
  };
  const next = await timed("n", 9, 400),
    nudge = await timed(["]", "["], 7, clips > 3000 ? 2500 : 1200);
  await cdp.send("HeapProfiler.collectGarbage");
  const heap = (await spent()).JSHeapUsedSize / 1e6;
  const got = { next, nudge, opening: median(opening), heap };
  if (clips === sizes[0]) base = got;
  const ratio = (k) => (clips === sizes[0] ? "" : `, ${(got[k] / base[k]).toFixed(1)} times`);
  console.log(
    `${String(clips).padStart(6)} clips   next seam ${next.toFixed(1)} ms of script${ratio("next")} · nudge ${nudge.toFixed(1)} ms${ratio("nudge")} · opened in ${(got.opening / 1000).toFixed(2)} s${ratio("opening")} · memory ${heap.toFixed(0)} MB${ratio("heap")}`,
  );
  await page.close();
}
await browser.close();
await server.stop();
rmSync(data, { recursive: true, force: true });
