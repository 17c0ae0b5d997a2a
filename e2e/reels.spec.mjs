import { mkdtempSync, rmSync } from "node:fs";
import { execFileSync } from "node:child_process";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { test as plain } from "@playwright/test";
import { api, choose, expect, load, pcm, readWAV, saved, seamOf, test, tone, url } from "./kit.mjs";
import { launch } from "./server.mjs";

test("make a reel, drop recordings in, lay stretches, move and remove them, undo all and redo all, export", async ({ page }) => {
  await page.goto(url());
  await page.getByRole("button", { name: "New reel" }).click();
  await page.getByLabel("Name").first().fill("Boathouse");
  await page.getByRole("button", { name: "Create" }).click();
  await expect(page.getByText("No seam yet")).toBeVisible();
  const reel = Number(page.url().match(/\d+$/)[0]);

  await page.getByRole("tab", { name: "Sources" }).click();
  const files = [
    { name: "oar.wav", mimeType: "audio/wav", buffer: tone({ hz: 440 }) },
    { name: "rain.wav", mimeType: "audio/wav", buffer: tone({ hz: 330, rate: 44100, channels: 2, seconds: 3 }) },
    { name: "letter.txt", mimeType: "text/plain", buffer: Buffer.from("Dear all") },
  ];
  await page.locator("#files").setInputFiles(files);
  await expect(page.locator("[data-source-row]")).toHaveCount(2);
  await expect(page.locator("[data-import]").filter({ hasText: "letter.txt" })).toContainText("is not a sound file");
  const rows = page.locator("[data-source-row]");
  await expect(rows.filter({ hasText: "rain" })).toContainText("stereo");
  await expect(rows.filter({ hasText: "rain" })).toContainText("44.1 kHz");

  // Half a second of the oar from 0.5 s, laid in twice, one after the other.
  await rows.filter({ hasText: "oar" }).getByRole("button").click();
  await expect(page.getByRole("heading", { name: "oar" })).toBeVisible();
  await page.getByLabel("In, s").fill("0.5");
  await page.getByLabel("In, s").press("Enter");
  await page.getByLabel("Out, s").fill("1.25");
  await page.getByLabel("Out, s").press("Enter");
  await page.getByRole("button", { name: "Insert at the playhead" }).click();
  await expect(page.locator(".foot")).toContainText("2 seams");
  await page.getByRole("button", { name: "Insert at the playhead" }).click();
  await expect(page.locator(".foot")).toContainText("3 seams");
  let v = await load(reel);
  expect(v.reel.clips.map((c) => [c.start, c.offset, c.length])).toEqual([
    [0, 24000, 36000],
    [36000, 24000, 36000],
  ]);

  // The rain is dragged from the list onto the music track.
  const music = await page.locator(".trackhead").filter({ hasText: "Music" }).boundingBox();
  const lanes = await page.locator("#lanes").boundingBox();
  const grip = await rows.filter({ hasText: "rain" }).boundingBox();
  await page.mouse.move(grip.x + 60, grip.y + 20);
  await page.mouse.down();
  await page.mouse.move(lanes.x + 300, music.y + 20, { steps: 8 });
  await expect(page.locator("#hint")).toContainText("3.00 s (75.0 frames) of “rain” at 01:00:0");
  await page.mouse.up();
  await expect(page.locator(".foot")).toContainText("5 seams");
  v = await load(reel);
  const rain = v.reel.clips.find((c) => c.name === "rain");
  expect(rain.length).toBe(144000);
  expect(v.reel.tracks.find((t) => t.id === rain.track).name).toBe("Music");

  // The second oar clip is dragged by its tab later and onto another track; the
  // first is taken out with the key.
  await page.getByRole("button", { name: "Back to the seam" }).click();
  await page.locator("#tracks").focus();
  await page.keyboard.press("0");
  const end = Math.max(...v.reel.clips.map((c) => c.start + c.length)) * 1.02,
    perPixel = Math.max(end, 480000) / lanes.width;
  const x = (s) => lanes.x + s / perPixel + 8;
  const d1 = await page.locator(".trackhead").filter({ hasText: "Dialogue 1" }).boundingBox(),
    d2 = await page.locator(".trackhead").filter({ hasText: "Dialogue 2" }).boundingBox();
  await page.mouse.move(x(54000), d1.y + 8);
  await page.mouse.down();
  await page.mouse.move(x(54000) + 90, d2.y + 30, { steps: 8 });
  await expect(page.locator("#hint")).toContainText("later");
  await page.mouse.up();
  await expect.poll(async () => (await load(reel)).reel.clips.filter((c) => c.track === v.reel.tracks[1].id).length).toBe(1);
  await page.mouse.click(x(18000), d1.y + 8);
  await expect(page.getByRole("heading", { name: "Clip" })).toBeVisible();
  await page.keyboard.press("Delete");
  await expect.poll(async () => (await load(reel)).reel.clips.length).toBe(2);
  // A clip dropped onto another is refused; the nearest free place is one click away.
  v = await load(reel);
  const oar = v.reel.clips.find((c) => c.name === "oar");
  const blocked = await api("POST", `/reels/${reel}/edits`, {
    base: v.revision,
    edit: { do: "move", with: { clips: [oar.id], by: rain.start - oar.start, toTrack: rain.track } },
  });
  expect(blocked.status).toBe(422);
  expect(blocked.body.detail).toContain("nearest free place");

  // Undo everything, then redo it.
  const now = JSON.stringify((await load(reel)).reel.clips);
  /** Presses a key that makes a step, and waits until that is saved, not only on its way. */
  const step = async (key) => {
    const { revision } = await load(reel);
    await page.keyboard.press(key);
    await saved(page, revision + 1);
  };
  while (await page.getByRole("button", { name: "Undo" }).isEnabled()) {
    await step("Control+z");
  }
  expect((await load(reel)).reel.clips ?? []).toEqual([]);
  expect((await load(reel)).reel.sources.length).toBe(2);
  for (let i = 0; i < 5; i++) await step("Control+Shift+Z");
  expect(JSON.stringify((await load(reel)).reel.clips)).toBe(now);

  // Export the whole as float: it is what is heard, bit for bit.
  await page.keyboard.press("Shift+E");
  await page.getByLabel("Samples").selectOption("32");
  await expect(page.getByText("Bit for bit what was heard.")).toBeVisible();
  const coming = page.waitForEvent("download");
  await page.locator("#do-export").click();
  const file = readWAV(await (await coming).path()),
    heard = await pcm(reel, 0, file.samples[0].length);
  expect(file).toMatchObject({ channels: 2, rate: 48000, bits: 32 });
  for (let i = 0; i < file.samples[0].length; i++)
    if (file.samples[0][i] !== heard[2 * i] || file.samples[1][i] !== heard[2 * i + 1]) throw new Error(`sample ${i} differs`);
});

test("a span is marked along the wave and exported alone", async ({ bench: page, reel }) => {
  const lanes = await page.locator("#lanes").boundingBox(),
    warden = await page.locator(".trackhead").filter({ hasText: "Warden" }).boundingBox();
  // Fifty pixels in the middle of a clip, so that nothing snaps to a cut.
  await page.mouse.move(lanes.x + 200, warden.y + 50);
  await page.mouse.down();
  await page.mouse.move(lanes.x + 250, warden.y + 50, { steps: 5 });
  await page.mouse.up();
  const bar = page.getByRole("group", { name: "Marked span" });
  await expect(bar).toBeVisible();
  // Its buttons can be read on its dark ground.
  const shades = await bar
    .getByRole("button", { name: "Export" })
    .evaluate((b) => [getComputedStyle(b).color, getComputedStyle(b).backgroundColor]);
  expect(shades[0]).not.toBe(shades[1]);
  await bar.getByRole("button", { name: "Export" }).click();
  await page.getByLabel("Samples").selectOption("16");
  await page.locator("#export").getByLabel("Channels").selectOption("1");
  await expect(page.getByText("Triangular dither")).toBeVisible();
  await expect(page.getByRole("dialog")).toContainText(/loudness −[\d.]+ LUFS · true peak −[\d.]+ dBTP/);
  const coming = page.waitForEvent("download");
  await page.locator("#do-export").click();
  const file = readWAV(await (await coming).path());
  expect(file).toMatchObject({ channels: 1, bits: 16 });
  const v = await load(reel),
    total = Math.max(...v.reel.clips.map((c) => c.start + c.length)) * 1.02,
    perPixel = total / lanes.width;
  expect(Math.abs(file.samples[0].length - 50 * perPixel)).toBeLessThan(perPixel * 2);
  const from = Math.round(192 * perPixel),
    heard = await pcm(reel, from - 4000, from + 4000 + file.samples[0].length);
  // Where it begins is known to a pixel: it is found there, to a step and a half of 16 bits.
  let best = Infinity;
  for (let off = 0; off < 8000; off++) {
    let worst = 0;
    for (let i = 0; i < 3000 && worst < best; i++)
      worst = Math.max(worst, Math.abs(file.samples[0][i] - (heard[2 * (off + i)] + heard[2 * (off + i) + 1]) / 2));
    best = Math.min(best, worst);
  }
  expect(best * 32768).toBeLessThan(1.51);
});

test("FLAC holds integers: floats are refused with the way out, and the file is what was rendered", async ({ bench: page, reel }) => {
  await page.locator("#tracks").press("Shift+E");
  await page.getByLabel("File").selectOption("flac");
  await page.locator("#export").getByLabel("Samples").selectOption("32");
  await expect(page.locator("#export").getByRole("alert")).toContainText("take 16 or 24 bits");
  await expect(page.locator("#do-export")).toBeDisabled();
  await page.locator("#export").getByLabel("Samples").selectOption("24");
  await page.getByRole("textbox", { name: "From" }).fill("01:00:12:00");
  await page.getByRole("textbox", { name: "From" }).press("Tab");
  await page.getByRole("textbox", { name: "To", exact: true }).fill("01:00:14:00");
  await page.getByRole("textbox", { name: "To", exact: true }).press("Tab");
  await expect(page.getByText("2.00 s", { exact: true })).toBeVisible();
  const coming = page.waitForEvent("download");
  await page.locator("#do-export").click();
  const download = await coming;
  expect(download.suggestedFilename()).toMatch(/\.flac$/);
  // The reference that reads it is ffmpeg; two steps of 24 bits are left for the dither.
  const raw = execFileSync("ffmpeg", ["-v", "error", "-i", await download.path(), "-f", "f32le", "-"], { maxBuffer: 1 << 26 });
  const got = new Float32Array(raw.buffer.slice(raw.byteOffset, raw.byteOffset + raw.length)),
    want = await pcm(reel, 12 * 48000, 14 * 48000);
  expect(got.length).toBe(want.length);
  expect(got.reduce((worst, x, i) => Math.max(worst, Math.abs(x - want[i])), 0)).toBeLessThan(2 / 8388608);
});

test("sources have a page: listen, rename, where used, refused while used, off the list and back", async ({ page, reel }) => {
  await page.goto(`${url()}/reels/${reel}/sources`);
  await expect(page.locator("[data-source-row]")).toHaveCount(7);
  await page.locator("#files").setInputFiles([{ name: "hum.wav", mimeType: "audio/wav", buffer: tone({ hz: 100, seconds: 1 }) }]);
  const hum = page.locator('[data-source-row][data-name="hum"]');
  await expect(hum).toContainText("not used");
  await hum.getByRole("button", { name: "Listen to hum" }).click();
  await expect(hum.getByRole("button", { name: "Listen to hum" })).toHaveAttribute("aria-pressed", "true");
  await expect(hum.getByRole("button", { name: "Listen to hum" })).toHaveAttribute("aria-pressed", "false");
  await hum.getByLabel("Name of hum").fill("mains hum");
  await hum.getByLabel("Name of hum").press("Enter");
  const renamed = page.locator('[data-source-row][data-name="mains hum"]');
  await renamed.getByRole("button", { name: "Remove mains hum from the reel" }).click();
  await expect(page.locator("[data-source-row]")).toHaveCount(7);
  await page.getByRole("button", { name: "Undo", exact: true }).click();
  await expect(page.locator("[data-source-row]")).toHaveCount(8);
  await page.getByRole("button", { name: "Remove warden take 3 from the reel" }).click();
  await expect(page.getByRole("alert")).toContainText("is used by “Warden 1” at 01:00:");
  await page.locator('[data-source-row][data-name="warden take 3"] summary').click();
  await page.getByRole("link", { name: /Warden 2 at/ }).click();
  await expect(page.locator("#timecode")).toHaveValue(/01:00:1/);
});

test("files dropped anywhere come in, each with what is to be said of it", async ({ bench: page, reel }) => {
  const drop = async (name, bytes) => {
    const data = await page.evaluateHandle(
      ({ name, bytes }) => {
        const d = new DataTransfer();
        d.items.add(
          new File([typeof bytes === "number" ? new Uint8Array(bytes) : Uint8Array.from(atob(bytes), (c) => c.charCodeAt(0))], name),
        );
        return d;
      },
      { name, bytes },
    );
    await page.dispatchEvent("body", "drop", { dataTransfer: data });
  };
  const whole = tone({ hz: 700, seconds: 1 });
  await drop("bell.wav", whole.toString("base64"));
  await expect(page.locator("[data-source-row]").filter({ hasText: "bell" })).toContainText("1.00 s · mono · 48 kHz");
  // The same file again, one that ends early, one that is too large, one that is empty.
  await drop("bell again.wav", whole.toString("base64"));
  await expect(page.locator("[data-import]").filter({ hasText: "bell again.wav" })).toContainText("has that sound already, as “bell”");
  await drop(
    "torn.wav",
    tone({ hz: 710, seconds: 1 })
      .subarray(0, 44 + 48000)
      .toString("base64"),
  );
  await expect(page.locator("[data-import]").filter({ hasText: "torn.wav" })).toContainText("0.50 s that its header promises are missing");
  await drop("huge.wav", 33 << 20);
  await expect(page.locator("[data-import]").filter({ hasText: "huge.wav" })).toContainText("larger than 0.03125 GiB");
  await expect(page.getByText("did not reach the server")).toBeHidden();
  await drop("empty.wav", 0);
  await expect(page.locator("[data-import]").filter({ hasText: "empty.wav" })).toContainText("is empty");
  const names = (await load(reel)).reel.sources.map((s) => s.name);
  expect(names).toContain("bell");
  expect(names).toContain("torn");
  expect(names.length).toBe(9);
  // What was said stays until it is dismissed.
  await page.locator("[data-import]").filter({ hasText: "huge.wav" }).getByRole("button", { name: "Dismiss" }).click();
  await expect(page.locator("[data-import]").filter({ hasText: "huge.wav" })).toHaveCount(0);
});

test("a recording of many channels asks which to take", async ({ bench: page, reel }) => {
  await page.getByRole("tab", { name: "Sources" }).click();
  await page.locator("#files").setInputFiles([{ name: "poly.wav", mimeType: "audio/wav", buffer: tone({ channels: 4, seconds: 0.5 }) }]);
  await page.getByRole("button", { name: "Choose channels…" }).click();
  await page.getByLabel("Channel 2").check();
  await page.getByLabel("Channel 4").check();
  await page.getByLabel("The two are one stereo source").check();
  await page.getByRole("button", { name: "Import", exact: true }).click();
  await expect(page.locator("[data-source-row]").filter({ hasText: "poly" })).toContainText("stereo");
  expect((await load(reel)).reel.sources.at(-1)).toMatchObject({ left: 1, right: 3, length: 24000 });
});

test("the shelf renames, copies, removes and puts back", async ({ page }) => {
  await page.goto(url());
  const name = `Shed ${Date.now()}`;
  await api("POST", "/reels", { name, frameRate: { num: 25, den: 1 } });
  await page.reload();
  const row = (n) => page.getByRole("row").filter({ has: page.getByRole("link", { name: n, exact: true }) });
  await row(name)
    .getByRole("button", { name: `Rename ${name}` })
    .click();
  await page.locator("#rename").getByLabel("Name").fill(`${name} B`);
  await page.locator("#rename").getByRole("button", { name: "Rename" }).click();
  await expect(row(`${name} B`)).toBeVisible();
  await row(`${name} B`).getByRole("button", { name: "Copy" }).click();
  await expect(row(`${name} B, copy`)).toBeVisible();
  await row(`${name} B`).getByRole("button", { name: "Remove" }).click();
  await expect(row(`${name} B`)).toHaveCount(0);
  // How long it can be restored is said at once, and in the list of what is removed.
  const said = page.getByRole("status").filter({ hasText: `“${name} B” is removed. It can be restored until` });
  await expect(said.getByRole("button", { name: "Restore" })).toBeVisible();
  await page.locator("summary").click();
  await expect(
    page
      .getByRole("row")
      .filter({ hasText: `${name} B` })
      .last(),
  ).toContainText("until");
  await page
    .locator("[data-removed]")
    .filter({ hasText: `${name} B` })
    .getByRole("button", { name: "Restore" })
    .click();
  await expect(row(`${name} B`)).toBeVisible();
});

plain("close the browser, restart the server: all is as it was, the undo history included", async ({ browser }) => {
  const data = mkdtempSync(join(tmpdir(), "seam-restart-"));
  let server = await launch(data);
  try {
    let page = await browser.newPage();
    await page.goto(`${server.url}/reels/1`);
    await choose(page, "Warden 2 → Warden 3");
    await page.locator("#tracks").press("b");
    await saved(page, 2);
    await page.getByRole("radio", { name: "Constant gain" }).click();
    await saved(page, 3);
    await page.keyboard.press("Control+z");
    await saved(page, 4);
    await page.close();
    await server.stop();
    server = await launch(data);
    page = await browser.newPage();
    await page.goto(`${server.url}/reels/1`);
    await choose(page, "Warden 2 → Warden 3");
    await expect(page.getByRole("radio", { name: "Constant power" })).toHaveAttribute("aria-checked", "true");
    await page.keyboard.press("Control+Shift+Z");
    await saved(page, 5);
    await expect(page.getByRole("radio", { name: "Constant gain" })).toHaveAttribute("aria-checked", "true");
    for (const r of [6, 7]) {
      await page.keyboard.press("Control+z");
      await saved(page, r);
    }
    const v = await (await fetch(`${server.url}/api/v1/reels/1`)).json();
    expect(seamOf(v, "Warden 2", "Warden 3").blend).toBeUndefined();
    await expect(page.getByRole("button", { name: "Undo" })).toBeDisabled();
    await page.close();
  } finally {
    await server.stop();
    rmSync(data, { recursive: true, force: true });
  }
});
