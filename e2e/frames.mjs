// Times the bench with 2,000 clips: opening it, and each frame while it is
// scrolled and zoomed. Prints medians and worst cases; part of make bench.
import { chromium } from "@playwright/test";
import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { launch } from "./server.mjs";

const data = mkdtempSync(join(tmpdir(), "seam-frames-")),
  server = await launch(data);
const call = async (method, path, body) =>
  (
    await fetch(`${server.url}/api/v1${path}`, {
      method,
      headers: { "Content-Type": "application/json" },
      body: body && JSON.stringify(body),
    })
  ).json();
const { id } = await call("POST", "/reels/1/copy", { name: "Two thousand" });
const v = await call("GET", `/reels/${id}`);
const tracks = [...v.reel.tracks],
  source = v.reel.sources.find((s) => s.name === "warden take 3");
for (let i = tracks.length; i < 24; i++) {
  const c = await call("POST", `/reels/${id}/edits`, {
    base: (await call("GET", `/reels/${id}`)).revision,
    edit: { do: "addTrack", with: { name: `Track ${i + 1}`, role: ["dialogue", "roomTone", "spots", "music"][i % 4] } },
  });
  tracks.push({ id: c.outcome.made[0] });
}
const edits = [];
for (let k = v.reel.clips.length; k < 2000; k++)
  edits.push({
    do: "place",
    with: {
      source: source.id,
      track: tracks[k % 24].id,
      start: 48000 * 100 + Math.floor(k / 24) * 96000,
      offset: (k * 4801) % 960000,
      length: 96000,
    },
  });
await call("POST", `/reels/${id}/edits`, {
  base: (await call("GET", `/reels/${id}`)).revision,
  edit: { do: "together", with: { label: "two thousand", edits } },
});
const browser = await chromium.launch({
  executablePath: process.env.CHROMIUM || "/usr/bin/chromium",
  args: ["--no-sandbox", "--disable-gpu", "--disable-quic", "--disable-background-networking"],
});
const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
const began = performance.now();
await page.goto(`${server.url}/reels/${id}`);
await page.locator(".seamrow").first().waitFor();
console.log(`opening the bench with 2,000 clips on 24 tracks            ${((performance.now() - began) / 1000).toFixed(2)} s`);
const box = await page.locator("#lanes").boundingBox();
await page.mouse.move(box.x + 400, box.y + 40);
/** Frames while something goes on: the time between them. */
async function frames(what, act) {
  await page.evaluate(() => {
    window.gaps = [];
    let last = performance.now();
    const tick = (now) => {
      window.gaps.push(now - last);
      last = now;
      window.going = requestAnimationFrame(tick);
    };
    window.going = requestAnimationFrame(tick);
  });
  await act();
  const gaps = await page.evaluate(() => (cancelAnimationFrame(window.going), window.gaps.slice(2)));
  gaps.sort((a, b) => a - b);
  const late = gaps.filter((g) => g > 25).length;
  console.log(
    `${what.padEnd(52)} ${gaps.length} frames, median ${gaps[gaps.length >> 1].toFixed(1)} ms, 95 % within ${gaps[Math.floor(gaps.length * 0.95)].toFixed(1)} ms, late ${late}`,
  );
}
const wheel = async (n, dx, dy) => {
  for (let i = 0; i < n; i++) {
    await page.mouse.wheel(dx, dy);
    await page.evaluate(() => new Promise(requestAnimationFrame));
  }
};
await frames("standing still", () => page.evaluate(() => new Promise((done) => setTimeout(done, 1500))));
await frames("scrolling the whole reel", () => wheel(90, 12, 0));
await page.keyboard.down("Control");
await frames("zooming in", () => wheel(60, 0, -60));
await frames("zooming out", () => wheel(60, 0, 60));
await page.keyboard.up("Control");
await frames("scrolling close up", () => wheel(60, 120, 0));
// A drag of an edge with thousands of clips following: frames, and how long the
// page waits for each answer of what it leads to.
const tries = [];
page.on("requestfinished", (r) => r.url().endsWith("/dry-run") && tries.push(r.timing().responseEnd));
await page.locator("#tracks").press("f");
await page.getByRole("button", { name: "the worst first" }).click();
await page.locator("#ledger").evaluate((e) => (e.scrollTop = 0));
await page.locator(".seamrow").filter({ hasText: "Warden 1 → Warden 2" }).click();
await page.locator("#tracks").press("z");
const edge = [box.x + box.width / 2 - 4, box.y + 34];
await page.mouse.move(...edge);
await page.mouse.down();
await frames("dragging an edge, all later clips following", async () => {
  for (let i = 1; i <= 90; i++) {
    await page.mouse.move(edge[0] + 40 * Math.sin(i / 9), edge[1]);
    await page.evaluate(() => new Promise(requestAnimationFrame));
  }
});
await page.keyboard.press("Escape");
await page.mouse.up();
tries.sort((a, b) => a - b);
console.log(
  `what it leads to, asked while it is dragged             ${tries.length} answers, median ${tries[tries.length >> 1].toFixed(1)} ms, close-up included`,
);
// Scrubbing the demo's picture: from the playhead's move to the frame that is drawn.
await page.goto(`${server.url}/reels/3`);
await page.locator(".seamrow").first().waitFor();
await page.waitForFunction(() => document.querySelector("#picture").dataset.frame);
const line = await page.locator("#ruler").boundingBox();
await page.evaluate(() => {
  window.waits = [];
  let pressed = 0;
  addEventListener("pointerdown", () => (pressed = performance.now()), true);
  new MutationObserver(() => {
    if (pressed && document.querySelector("#picture").dataset.frame) {
      window.waits.push(performance.now() - pressed);
      pressed = 0;
    }
  }).observe(document.querySelector("#picture"), { attributes: true, attributeFilter: ["data-frame"] });
});
for (let k = 0; k < 60; k++) {
  await page.mouse.click(line.x + 20 + ((k * 397) % (line.width - 60)), line.y + 5);
  await page.waitForTimeout(200); // one place after the other, as by hand
}
const seen = (await page.evaluate(() => window.waits)).sort((a, b) => a - b);
console.log(
  `a frame of the demo's picture, scrubbed anywhere          median ${seen[seen.length >> 1].toFixed(0)} ms, 95 % within ${seen[Math.floor(seen.length * 0.95)].toFixed(0)} ms`,
);
// An edit list of 2,000 events: brought in, and the bench opened on it.
const code = (n) => [n / 90000, (n / 1500) % 60, (n / 25) % 60, n % 25].map((v) => String(Math.floor(v)).padStart(2, "0")).join(":");
const text = Array.from(
  { length: 1000 },
  (_, i) =>
    `${String(i + 1).padStart(3, "0")}  TAPE${i % 20}   B     C        ${code(90000 + 50 * i)} ${code(90050 + 50 * i)} ${code(90000 + 50 * i)} ${code(90050 + 50 * i)}`,
).join("\r\n");
const empty = await call("POST", "/reels", {
  name: "List",
  sampleRate: 48000,
  frameRate: { num: 25, den: 1, drop: false },
  start: "01:00:00:00",
});
let clock = performance.now();
await (await fetch(`${server.url}/api/v1/reels/${empty.id}/lists?name=long.edl&take=1`, { method: "POST", body: text })).json();
const brought = performance.now() - clock;
clock = performance.now();
await page.goto(`${server.url}/reels/${empty.id}`);
await page.locator(".seamrow").first().waitFor();
console.log(
  `an edit list of 2,000 events: brought in and saved         ${(brought / 1000).toFixed(2)} s, its bench opened ${((performance.now() - clock) / 1000).toFixed(2)} s`,
);
await browser.close();
await server.stop();
rmSync(data, { recursive: true, force: true });
