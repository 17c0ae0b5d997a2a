import { test as plain } from "@playwright/test";
import { api, expect, test, url } from "./kit.mjs";

const rates = [
  [24000, 1001],
  [24, 1],
  [25, 1],
  [30000, 1001],
  [30000, 1001, true],
  [50, 1],
  [60000, 1001, true],
  [60, 1],
];

// The page shows timecode by itself, sixty times a second; it has to agree with
// the server, which holds the arithmetic of the standard.
plain("the page's timecode is the server's at every rate", async ({ page }) => {
  await page.goto(url());
  for (const [num, den, drop = false] of rates) {
    for (const sampleRate of [44100, 48000]) {
      const { body } = await api("POST", "/reels", { name: "rate", sampleRate, frameRate: { num, den, drop } });
      const props = { name: "", sampleRate, frameRate: { num, den, drop }, startFrame: 0 };
      const samples = Array.from({ length: 12 }, (_, i) => Math.floor((i * 7919 * 104729) % (3 * 3600 * sampleRate)));
      // Around the minutes, where drop-frame counting leaves numbers out.
      for (const minute of [1, 2, 9, 10, 60]) samples.push(minute * 60 * sampleRate, Math.round(minute * 60.06 * sampleRate) + 1);
      const texts = await page.evaluate(
        async ({ props, samples }) => {
          const tc = await import("/static/lib/timecode.js");
          return samples.map((s) => ({ text: tc.at(s, props), starts: tc.sampleOf(tc.frameOf(s, props), props) }));
        },
        { props, samples },
      );
      for (const [i, { text, starts }] of texts.entries()) {
        const place = await api("GET", `/reels/${body.id}/timecode?text=${encodeURIComponent(text)}`);
        expect(place.status, `${num}/${den} ${text}`).toBe(200);
        expect(place.body, `sample ${samples[i]} at ${num}/${den}, ${sampleRate} Hz`).toEqual({ sample: starts, text });
      }
    }
  }
});

test("a time is typed, refused when it is none, and linked to", async ({ bench: page, reel }) => {
  const field = page.locator("#timecode");
  await field.fill("01:00:20:05");
  await field.press("Enter");
  await expect(field).toHaveValue("01:00:20:05");
  await field.fill("25:00:00:00");
  await field.press("Enter");
  await expect(page.getByRole("alert")).toContainText("is not a timecode");
  await expect(field).toHaveValue("01:00:20:05");
  await field.fill("00:00:10:00");
  await field.press("Enter");
  await expect(page.getByRole("alert")).toContainText("The reel starts at 01:00:00:00");
  await page.locator("#tracks").focus();
  for (const [key, want] of [
    ["ArrowRight", "01:00:20:06"],
    ["Shift+ArrowRight", "01:00:20:16"],
    ["ArrowLeft", "01:00:20:15"],
    ["Shift+ArrowLeft", "01:00:20:05"],
    ["Home", "01:00:00:00"],
  ]) {
    await page.keyboard.press(key);
    await expect(field).toHaveValue(want);
  }
  await page.goto(`${url()}/reels/${reel}?at=${48000 * 30}`);
  await expect(field).toHaveValue("01:00:30:00");
  const seam = await page.evaluate(() =>
    fetch(`/api/v1/reels/${document.body.dataset.reel}/seams`)
      .then((r) => r.json())
      .then((l) => l.seams.find((s) => s.kind === "cut")),
  );
  await page.goto(`${url()}/reels/${reel}?seam=${seam.left}-${seam.right}`);
  await expect(page.locator('.seamrow[aria-selected="true"]')).toContainText("→");
});

test("mute, solo, gain and pan of a track are edits, and are heard", async ({ bench: page, reel }) => {
  const pcm = async () =>
    new Float32Array(await (await fetch(`${url()}/api/v1/reels/${reel}/pcm?from=${48000 * 15}&to=${48000 * 16}`)).arrayBuffer());
  const power = (v, side) => v.reduce((p, s, i) => (i % 2 === side ? p + s * s : p), 0);
  const before = await pcm();
  await page.getByRole("button", { name: "Mute Warden" }).click();
  await expect(page.getByRole("button", { name: "Mute Warden" })).toHaveAttribute("aria-pressed", "true");
  expect(power(await pcm(), 0)).toBeLessThan(power(before, 0));
  await page.keyboard.press("Control+z");
  await expect(page.getByRole("button", { name: "Mute Warden" })).toHaveAttribute("aria-pressed", "false");
  expect(Array.from(await pcm())).toEqual(Array.from(before));
  await page.getByRole("button", { name: "Solo Grower" }).click();
  await expect(page.locator("#save")).toContainText("r4");
  const grower = await pcm();
  await page.getByRole("button", { name: "Grower", exact: true }).click();
  await page.getByLabel("Gain, dB").fill("-6");
  await page.getByLabel("Gain, dB").press("Enter");
  await expect(page.locator("#save")).toContainText("r5");
  expect(10 * Math.log10(power(await pcm(), 0) / power(grower, 0))).toBeCloseTo(-6, 1);
  await page.getByLabel(/^Pan/).fill("1");
  await expect(page.locator("#save")).toContainText("r6");
  expect(power(await pcm(), 0)).toBe(0);
  expect(power(await pcm(), 1)).toBeGreaterThan(0);
});
