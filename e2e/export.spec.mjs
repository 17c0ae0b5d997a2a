import { execFileSync, spawnSync } from "node:child_process";
import { readFileSync, writeFileSync } from "node:fs";
import { choose, clipsOf, expect, load, pcm, readWAV, test, zoomed } from "./kit.mjs";

/** The files of a ZIP whose files are not packed, by its directory. */
function unzipped(path) {
  const b = readFileSync(path),
    end = b.lastIndexOf(Buffer.from("PK\x05\x06", "latin1")),
    files = {};
  let at = b.readUInt32LE(end + 16);
  for (let n = b.readUInt16LE(end + 10); n > 0; n--) {
    const size = b.readUInt32LE(at + 24),
      [name, extra, note] = [28, 30, 32].map((o) => b.readUInt16LE(at + o)),
      local = b.readUInt32LE(at + 42),
      data = local + 30 + b.readUInt16LE(local + 26) + b.readUInt16LE(local + 28);
    expect(b.readUInt16LE(at + 10)).toBe(0);
    files[b.toString("utf8", at + 46, at + 46 + name)] = b.subarray(data, data + size);
    at += 46 + name + extra + note;
  }
  return files;
}

test("stems add up to the mix; clips are written with handles; an MP3 is as long as the span", async ({ bench: page, reel }, info) => {
  const dialog = page.locator("#export"),
    download = async (name) => {
      const [file] = await Promise.all([page.waitForEvent("download"), page.locator("#do-export").click()]),
        path = info.outputPath(name);
      await file.saveAs(path);
      return { path, called: file.suggestedFilename() };
    };
  const [warden] = await clipsOf(reel, "Warden 1");
  // Between the markers about the playhead, which stands on a line.
  await choose(page, "Warden 1 → Warden 2");
  await page.getByRole("button", { name: "Export", exact: true }).click();
  await dialog.getByLabel("Part").selectOption("markers");
  await dialog.locator("#export-each").selectOption("role");
  await dialog.getByLabel("Samples").selectOption("32");
  await expect(dialog.locator("[data-files]")).toContainText("Dialogue.wav");
  const stems = await download("stems.zip");
  expect(stems.called).toMatch(/^Copy .*\.zip$/);
  const files = unzipped(stems.path),
    parts = Object.entries(files).map(([name, b]) => {
      const path = info.outputPath(name);
      writeFileSync(path, b);
      return readWAV(path).samples;
    });
  const markers = (await load(reel)).reel.markers.map((m) => m.at).sort((a, b) => a - b),
    at = warden.start + warden.length,
    from = Math.max(...markers.filter((m) => m <= at)),
    to = Math.min(...markers.filter((m) => m > at));
  expect(parts.length).toBe(4);
  expect(parts[0][0].length).toBe(to - from);
  const mix = await pcm(reel, from, Math.min(to, from + 480000));
  for (let i = 0; i < mix.length / 2; i += 7)
    for (const side of [0, 1]) {
      const sum = parts.reduce((s, p) => s + p[side][i], 0);
      if (Math.abs(sum - mix[2 * i + side]) > 1e-6) throw new Error(`sample ${i}: the stems add up to ${sum}, not ${mix[2 * i + side]}`);
    }

  // One clip, with a second of handles.
  await page.keyboard.press("Escape");
  await choose(page, "Warden 1, start");
  await page.locator("#tracks").press("z");
  const view = await zoomed(page, reel, warden.start);
  await page.mouse.click(view.x(warden.start + 24000), await view.y("Warden", "tab"));
  await page.getByRole("button", { name: "Export", exact: true }).click();
  await dialog.getByLabel("Part").selectOption("all");
  await dialog.locator("#export-each").selectOption("clip");
  await expect(dialog.getByLabel("Only the selected clips")).toBeChecked();
  await dialog.getByLabel("Handles, s").fill("1");
  await dialog.getByLabel("Handles, s").press("Enter");
  await expect(dialog.locator("[data-files]")).toContainText("1 file in a ZIP: 001 Warden 1.wav");
  const one = Object.entries(unzipped((await download("clip.zip")).path));
  expect(one.map(([name]) => name)).toEqual(["001 Warden 1.wav"]);
  writeFileSync(info.outputPath("one.wav"), one[0][1]);
  expect(readWAV(info.outputPath("one.wav")).samples[0].length).toBe(warden.length + 96000);

  // An MP3 of the span between the markers.
  await page.getByRole("button", { name: "Export", exact: true }).click();
  await dialog.getByLabel("Part").selectOption("markers");
  await dialog.locator("#export-each").selectOption("");
  await dialog.locator("select").first().selectOption("mp3");
  await dialog.getByLabel("Bit rate").selectOption("160");
  await expect(dialog).toContainText("takes less room");
  const mp3 = await download("reel.mp3");
  expect(mp3.called).toMatch(/\.mp3$/);
  const told = JSON.parse(execFileSync("ffprobe", ["-v", "error", "-show_format", "-show_streams", "-of", "json", mp3.path]).toString());
  expect(told.streams[0]).toMatchObject({ codec_name: "mp3", sample_rate: "48000", channels: 2 });
  expect(Math.abs(Number(told.streams[0].bit_rate) - 160000)).toBeLessThan(1000);
  const playhead = Math.max(0, ...markers.filter((m) => m <= warden.start)),
    next = Math.min(...markers.filter((m) => m > warden.start));
  expect(Math.abs(Number(told.format.duration) - (next - playhead) / 48000)).toBeLessThan(0.1);
});

test("what is still wrong is told before, with a way there; exporting anyway is one click", async ({ bench: page }) => {
  await page.locator("#tracks").focus();
  const dialog = page.locator("#export"),
    open = () => page.keyboard.press("Shift+E");
  await expect(page.locator('.seamrow[data-verdict="mend"]').first()).toBeVisible();
  await open();
  await expect(dialog.locator("[data-mends]")).toContainText(/\d seams? to mend/);
  await expect(dialog.locator("[data-off]")).toContainText("LU below −23.0 LUFS");
  await dialog.locator("[data-mends] button").click();
  await expect(dialog).not.toBeVisible();
  for (const row of await page.locator(".seamrow").all()) await expect(row).toHaveAttribute("data-verdict", "mend");
  await page.locator("#tracks").focus();
  await open();
  await dialog.locator("[data-off] button").click();
  await expect(page.locator("#loud")).toBeVisible();
  await page.keyboard.press("Escape");
  await page.locator("#tracks").focus();
  await open();
  const [file] = await Promise.all([page.waitForEvent("download"), page.locator("#do-export").click()]);
  expect(file.suggestedFilename()).toMatch(/\.wav$/);
  // Once more by one key, as it was, with the reel as it is now.
  await page.locator("#tracks").focus();
  const [again] = await Promise.all([page.waitForEvent("download"), page.keyboard.press("Alt+Shift+X")]);
  expect(again.suggestedFilename()).toBe(file.suggestedFilename());
  // Both are jobs of this reel, whose files can be had again; one is repeated, one removed.
  await page.locator("#tracks").press("Control+Alt+j");
  const jobs = page.locator("#jobs"),
    row = jobs.locator("[data-job]");
  await expect(row).toHaveCount(2);
  await expect(row.first()).toContainText(/WAV · 24-bit · stereo · r1.*Done · .* kept until/s);
  const [kept] = await Promise.all([
    page.waitForEvent("download"),
    row
      .last()
      .getByRole("link", { name: /^Download/ })
      .click(),
  ]);
  expect(readWAV(await kept.path()).samples[0].length).toBeGreaterThan(48000);
  await row
    .last()
    .getByRole("button", { name: /^Repeat/ })
    .click();
  await expect(row).toHaveCount(3);
  await expect(row.first()).toHaveAttribute("data-state", "done");
  await row
    .last()
    .getByRole("button", { name: /^Remove/ })
    .click();
  await expect(row).toHaveCount(2);
  await jobs.getByRole("link", { name: "Jobs of all reels" }).click();
  await expect(page.getByRole("heading", { name: "Jobs" })).toBeVisible();
  await expect(page.locator('[data-state="done"]').first()).toContainText("kept until");
});

test("a mix is brought to a loudness under a ceiling, at another rate, with tags, by a preset that is kept", async ({
  bench: page,
}, info) => {
  const dialog = page.locator("#export"),
    open = async () => {
      await page.locator("#tracks").focus();
      await page.keyboard.press("Shift+E");
      await expect(dialog.getByText(/true peak/)).toBeVisible();
    };
  await choose(page, "Warden 1 → Warden 2");
  await open();
  await dialog.getByLabel("Part").selectOption("markers"); // a part, as each look goes through it several times
  await dialog.getByText("Loudness, sample rate, tags").click();
  await dialog.getByLabel("Loudness").selectOption("-14");
  await expect(dialog.locator("[data-finish]")).toContainText(/Gain \+\d+\.\d dB/);
  await dialog.getByLabel("Ceiling, dBTP").fill("-2");
  await dialog.getByLabel("Ceiling, dBTP").press("Enter");
  await expect(dialog.locator("[data-finish]")).toContainText(/peaks limited by up to \d+\.\d dB/);
  // More than 6 dB is told as what is often heard, with a way out; less is not.
  const said = await dialog.locator("[data-finish]").textContent();
  expect(said.includes("often heard. Choose less loudness")).toBe(Number(/up to ([\d.]+) dB/.exec(said)[1]) > 6);
  await dialog.getByLabel("Sample rate").selectOption("44100");
  await dialog.getByLabel("Title").fill("Frost, “eins” & 2");
  await dialog.getByLabel("Artist").fill("Nobody");
  await dialog.getByLabel("Preset", { exact: true }).fill("For the web");
  await dialog.getByRole("button", { name: "Save", exact: true }).click();
  await expect(page.locator("#hint")).toContainText("Preset “For the web” saved");
  // It is there after a reload, and takes all of it.
  await page.reload();
  await expect(page.locator(".seamrow").first()).toBeVisible();
  await choose(page, "Warden 1 → Warden 2");
  await open();
  await dialog.getByLabel("Part").selectOption("markers");
  await dialog.getByText("Loudness, sample rate, tags").click();
  await dialog.getByLabel("Preset", { exact: true }).fill("For the web");
  await dialog.getByLabel("Preset", { exact: true }).press("Enter");
  await expect(dialog.getByLabel("Loudness")).toHaveValue("-14");
  await expect(dialog.getByLabel("Title")).toHaveValue("Frost, “eins” & 2");
  await expect(dialog.locator("[data-finish]")).toContainText("limited");
  await dialog.getByRole("button", { name: "Delete this preset" }).click();
  await expect(dialog.getByLabel("Preset", { exact: true })).toHaveValue("");
  const [file] = await Promise.all([page.waitForEvent("download"), page.locator("#do-export").click()]),
    path = info.outputPath("web.wav");
  await file.saveAs(path);
  const told = JSON.parse(execFileSync("ffprobe", ["-v", "error", "-show_format", "-show_streams", "-of", "json", path]).toString()),
    meter = spawnSync("ffmpeg", ["-nostdin", "-hide_banner", "-i", path, "-af", "ebur128=peak=true", "-f", "null", "-"]).stderr.toString();
  expect(told.streams[0].sample_rate).toBe("44100");
  expect(told.format.tags).toMatchObject({ title: "Frost, “eins” & 2", artist: "Nobody" });
  expect(Math.abs(Number(/I:\s+(-?[\d.]+) LUFS(?![^]*I:)/.exec(meter)[1]) + 14)).toBeLessThanOrEqual(0.1);
  expect(Number(/Peak:\s+(-?[\d.]+) dBFS/.exec(meter)[1])).toBeLessThanOrEqual(-1.9);
});

test.describe("to picture", () => {
  test.use({ of: 3 });
  test("the picture is exported with the sound of the reel", async ({ bench: page, reel }, info) => {
    const dialog = page.locator("#export");
    await page.locator("#tracks").focus();
    await page.keyboard.press("Shift+E");
    await dialog.locator("select").first().selectOption("mp4");
    await expect(dialog).toContainText("MP4 with AAC");
    const [file] = await Promise.all([page.waitForEvent("download", { timeout: 50_000 }), page.locator("#do-export").click()]),
      path = info.outputPath("reel.mp4");
    expect(file.suggestedFilename()).toMatch(/\.mp4$/);
    await file.saveAs(path);
    const told = JSON.parse(execFileSync("ffprobe", ["-v", "error", "-show_format", "-show_streams", "-of", "json", path]).toString()),
      v = (await load(reel)).reel,
      end = Math.max(...v.clips.map((c) => c.start + c.length)),
      frame = (v.props.sampleRate * v.props.frameRate.den) / v.props.frameRate.num;
    expect(told.streams.map((s) => s.codec_type).sort()).toEqual(["audio", "video"]);
    expect(Number(told.streams.find((s) => s.codec_type === "video").nb_frames)).toBe(Math.ceil(end / frame - 1e-6));
  });
});
