import { execFileSync } from "node:child_process";
import { api, choose, clipsOf, expect, load, pcm, same, saved, seamOf, test, wasHeard } from "./kit.mjs";

const treated = async (reel, id) => ((await load(reel)).reel.treatments ?? []).find((t) => t.clip === id || t.track === id);

/** A sound put through ffmpeg's filters. @param {Float32Array} v interleaved stereo */
const filtered = (v, filter) => {
  const out = execFileSync(
    "ffmpeg",
    ["-v", "error", "-f", "f32le", "-ar", "48000", "-ac", "2", "-i", "-", "-af", `aformat=dbl,${filter}`, "-f", "f32le", "-"],
    {
      input: Buffer.from(v.buffer, v.byteOffset, v.byteLength),
      maxBuffer: 1 << 28,
    },
  );
  return new Float32Array(out.buffer, out.byteOffset, out.byteLength / 4);
};

const power = (v) => v.reduce((sum, x) => sum + x * x, 0);
/** What is left of a sound once another is taken away, in dB of it. */
const rest = (v, w) => 10 * Math.log10(v.reduce((sum, x, i) => sum + (x - w[i]) ** 2, 0) / power(v));

test("a voice goes into the telephone by keys and fields; what is heard is what ffmpeg's filters make of it; undone it is as it was", async ({
  bench: page,
  reel,
}) => {
  const { tracks, clips } = (await load(reel)).reel,
    track = tracks.find((t) => t.name === "Grower"),
    [one] = await clipsOf(reel, "Grower 1"),
    others = clips.filter((c) => c.track !== track.id).map((c) => c.id),
    sound = () => pcm(reel, 0, one.start + one.length, `&silent=${others.join(",")}`);
  const was = await sound();
  await choose(page, "Grower 1, start");
  await page.locator("#tracks").press("Alt+Shift+T");
  const panel = page.locator("#treatment");
  await expect(panel).toContainText("of the track Grower");
  await panel.getByLabel("High-pass, Hz").fill("300");
  await panel.getByLabel("High-pass, Hz").press("Enter");
  // A frequency of a filter that is off does nothing yet.
  await panel.getByLabel("High-pass, slope").selectOption("24");
  await saved(page, 2);
  await expect(panel.getByLabel("High-pass, Hz")).toHaveValue("300");
  await panel.getByLabel("Low-pass, Hz").fill("3.4k");
  await panel.getByLabel("Low-pass, Hz").press("Enter");
  await panel.getByLabel("Low-pass, slope").selectOption("24");
  await saved(page, 3);
  await panel.getByLabel("Bell 2, dB").fill("+4");
  await panel.getByLabel("Bell 2, dB").press("Enter");
  await saved(page, 4);
  const got = await sound();
  const want = filtered(
    was,
    "highpass=f=300:t=q:w=0.5411961,highpass=f=300:t=q:w=1.3065630,lowpass=f=3400:t=q:w=0.5411961,lowpass=f=3400:t=q:w=1.3065630,equalizer=f=1000:t=q:w=1:g=4",
  );
  expect(rest(want, got)).toBeLessThan(-90);
  expect(rest(want, was)).toBeGreaterThan(-20);
  await panel.getByLabel("Low shelf, dB").fill("much");
  await panel.getByLabel("Low shelf, dB").press("Enter");
  await expect(page.getByText("“much” is not a number")).toBeVisible();
  await panel.getByLabel("Bell 1, Hz").fill("5");
  await panel.getByLabel("Bell 1, Hz").press("Enter");
  await panel.getByLabel("Bell 1, dB").fill("3");
  await panel.getByLabel("Bell 1, dB").press("Enter");
  await expect(page.getByText("lies between 20 and 20000 Hz")).toBeVisible();
  expect((await treated(reel, track.id)).does.bells[1].db).toBe(4);
  await panel.getByRole("button", { name: "Remove the treatment" }).click();
  await saved(page, 5);
  expect(same(await sound(), was)).toBe(true);
  await page.locator("#tracks").focus();
  await page.keyboard.press("Control+z");
  await saved(page, 6);
  expect(same(await sound(), got)).toBe(true);
  await expect(panel.getByLabel("Bell 2, dB")).toHaveValue("+4.0");
});

test("by pointer: a handle is dragged, an expander takes its threshold from the room, and both are heard and told at the seam", async ({
  bench: page,
  reel,
}) => {
  const { tracks } = (await load(reel)).reel,
    track = tracks.find((t) => t.name === "Warden");
  await choose(page, "Warden 2 → Warden 3");
  const { left, right } = seamOf(await load(reel), "Warden 2", "Warden 3"),
    room = async () => (await api("GET", `/reels/${reel}/closeup?left=${left.id}&right=${right.id}&around=48000`)).body.judged.out.room;
  const before = await room();
  await page.locator("#tracks").press("Alt+Shift+T");
  const panel = page.locator("#treatment"),
    view = panel.locator("#treat-view");
  await expect(panel.getByRole("button", { name: "From room" })).toBeVisible();
  const box = await view.boundingBox(),
    x = (hz) => box.x + (Math.log(hz / 20) / Math.log(1000)) * box.width,
    y = (db) => box.y + ((24 - db) / 48) * box.height;
  await page.mouse.move(x(2500), y(0));
  await page.mouse.down();
  await page.mouse.move(x(3000), y(3), { steps: 4 });
  await page.mouse.move(x(3200), y(6), { steps: 4 });
  await page.mouse.up();
  await saved(page, 2);
  const bell = (await treated(reel, track.id)).does.bells[2];
  expect(Math.abs(bell.db - 6)).toBeLessThanOrEqual(0.5);
  expect(Math.abs(bell.hz - 3200)).toBeLessThan(60);
  // A drag that is backed out of changes nothing.
  await page.mouse.move(x(bell.hz), y(bell.db));
  await page.mouse.down();
  await page.mouse.move(x(400), y(-9), { steps: 4 });
  await page.keyboard.press("Escape");
  await page.mouse.up();
  await expect(panel.getByLabel("Bell 3, dB")).toHaveValue(/^\+[56]/);
  await panel.getByRole("checkbox", { name: "Expander" }).check();
  await saved(page, 3);
  const { does } = await treated(reel, track.id),
    look = (await api("POST", `/reels/${reel}/treatment`, { track: track.id, does, at: 0, listen: true })).body;
  expect(look.threshold - look.room).toBeGreaterThan(9);
  expect(does.expander.thresholdDB).toBe(Number((await panel.getByLabel("Threshold").inputValue()).replace("−", "-")));
  // The room in the pauses is lower now, and the seam is measured anew.
  await expect.poll(room).toBeLessThan(before - 5);
  await page.getByRole("button", { name: "Undo" }).click();
  await saved(page, 4);
  await expect(panel.getByRole("checkbox", { name: "Expander" })).not.toBeChecked();
});

test.describe("with ears", () => {
  test.use({ bypassCSP: true });

  test("a treatment is heard while the reel plays, and what was before by one key", async ({ bench: page, reel }) => {
    const [clip] = await clipsOf(reel, "Warden 1");
    await choose(page, "Warden 1, start");
    await page.locator("#timecode").fill("01:00:11:20");
    await page.locator("#timecode").press("Enter");
    await page.locator("#tracks").press("Alt+Shift+T");
    const panel = page.locator("#treatment");
    await panel.getByLabel("Presets").selectOption({ label: "Telephone: 300 to 3400 Hz" });
    await saved(page, 2);
    const at = clip.start + 48000,
      phone = await pcm(reel, at, at + 200 * 48),
      [{ id }] = (await load(reel)).reel.treatments,
      bare = await pcm(reel, at, at + 200 * 48, `&untreated=${(await treated(reel, clip.track)).track}`);
    expect(id).toBeGreaterThan(0);
    expect(same(phone, bare)).toBe(false);
    const left = (v) => v.filter((_, i) => i % 2 === 0);
    await page.locator("#tracks").focus();
    await page.keyboard.press("Space");
    await expect.poll(() => wasHeard(page, left(phone))).toBe(true);
    await page.keyboard.press("Space");
    await page.keyboard.press("Alt+Shift+B");
    await expect(panel.getByRole("button", { name: "Hear without" })).toHaveAttribute("aria-pressed", "true");
    await page.locator("#timecode").fill("01:00:11:20");
    await page.locator("#timecode").press("Enter");
    await page.locator("#tracks").focus();
    expect(await wasHeard(page, left(bare))).toBe(false);
    await page.keyboard.press("Space");
    await expect.poll(() => wasHeard(page, left(bare))).toBe(true);
    await page.keyboard.press("Space");
  });
});

test("the tone of a clip is matched to the clip before, by as much as is wanted", async ({ bench: page, reel }) => {
  const [one] = await clipsOf(reel, "Warden 2"),
    [next] = await clipsOf(reel, "Warden 3");
  // The second is made duller first, by its own filters.
  await api("POST", `/reels/${reel}/edits`, {
    base: 1,
    edit: { do: "treat", with: { clips: [next.id], does: { highShelf: { hz: 2000, db: -7 } } } },
  });
  await page.reload();
  await choose(page, "Warden 2 → Warden 3");
  await page.locator("#tracks").press("Alt+Shift+C");
  const panel = page.locator("#treatment");
  await expect(panel).toContainText("of “Warden 3”");
  await panel.getByRole("button", { name: "Match to the clip before" }).click();
  // Two seconds of speech do not tell the filter from the words: nothing changes unless the user insists.
  await expect(page.locator("#hint")).toContainText("more than 2 s of speech");
  expect((await treated(reel, next.id)).does.tone).toBeUndefined();
  await page.getByRole("button", { name: "Match anyway" }).click();
  await saved(page, 3);
  const tone = async () => (await treated(reel, next.id)).does.tone;
  const bands = (await tone()).bands;
  // At 2.5 to 8 kHz it comes back by most of what it was lowered by; 500 Hz stays about as it is.
  const mean = (a, b) => bands.slice(a, b).reduce((s, v) => s + v, 0) / (b - a);
  expect(mean(14, 19) - mean(4, 10)).toBeGreaterThan(3.5);
  await panel.getByLabel("Amount of the matched tone, percent").fill("50");
  await saved(page, 4);
  expect((await tone()).amount).toBe(0.5);
  // Down to nothing it stays, to be turned up again.
  await panel.getByLabel("Amount of the matched tone, percent").fill("0");
  await saved(page, 5);
  await panel.getByLabel("Amount of the matched tone, percent").fill("75");
  await saved(page, 6);
  expect(await tone()).toEqual({ bands, amount: 0.75 });
  await panel.getByRole("checkbox", { name: "Bypass track treatment" }).check();
  await saved(page, 7);
  expect((await treated(reel, next.id)).alone).toBe(true);
  expect(await treated(reel, one.id)).toBeUndefined();
  // Escape gives the close-up back, wherever the keys are.
  await page.locator("#tracks").focus();
  await page.keyboard.press("Escape");
  await expect(panel).not.toBeVisible();
});
