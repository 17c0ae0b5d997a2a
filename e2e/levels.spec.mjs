import { spawnSync } from "node:child_process";
import { api, choose, clipsOf, expect, load, pcm, saved, test, tone, wasHeard, zoomed } from "./kit.mjs";

const gainOf = async (reel, name) => (await clipsOf(reel, name))[0].gainDB;
const peakOf = (samples) => samples.reduce((m, v) => Math.max(m, Math.abs(v)), 0);

/** Chooses a clip by its tab. */
async function chooseClip(page, reel, name) {
  const [clip] = await clipsOf(reel, name),
    track = (await load(reel)).reel.tracks.find((t) => t.id === clip.track).name;
  await choose(page, `${name}, start`);
  await page.locator("#tracks").press("z");
  const at = await zoomed(page, reel, clip.start);
  await page.mouse.click(at.x(clip.start + 24000), await at.y(track, "tab"));
  await expect(page.getByLabel("Name", { exact: true })).toHaveValue(name);
  return { clip, track, at };
}

test("gain by number and by key; the peak it makes is the peak that is heard", async ({ bench: page, reel }) => {
  const { clip } = await chooseClip(page, reel, "Grower 1");
  const gain = page.getByLabel("Gain, dB");
  await expect(gain).toHaveValue("0.0");
  await gain.fill("+3,5");
  await gain.press("Enter");
  await saved(page, 2);
  expect(await gainOf(reel, "Grower 1")).toBe(3.5);
  // What is told is held against the sound itself, with all other tracks silent.
  const others = (await load(reel)).reel.clips.filter((c) => c.id !== clip.id).map((c) => c.id);
  const heard = async () => 20 * Math.log10(peakOf(await pcm(reel, clip.start, clip.start + clip.length, `&silent=${others.join(",")}`)));
  const told = async () => Number((await page.locator("#peak").textContent()).replace("−", "-").replace(" dBFS", ""));
  await expect(page.locator("#peak")).toHaveText(/^−\d+\.\d dBFS$/);
  expect(Math.abs((await told()) - (await heard()))).toBeLessThan(0.1);
  await page.locator("#tracks").focus();
  await page.keyboard.press("Control+ArrowUp");
  await saved(page, 3);
  await page.keyboard.press("Control+Shift+ArrowDown");
  await saved(page, 4);
  expect(await gainOf(reel, "Grower 1")).toBe(1);
  await expect(gain).toHaveValue("+1.0");
  await expect.poll(async () => Math.abs((await told()) - (await heard()))).toBeLessThan(0.1);
  // Too much is told before it clips, and what is out of range with the way out.
  await gain.fill("60");
  await gain.press("Enter");
  await saved(page, 5);
  await expect(page.locator("#peak")).toHaveText(/will clip/);
  await page.locator("#tracks").focus();
  await page.keyboard.press("Control+ArrowUp");
  await expect(page.getByRole("alert")).toContainText("gain goes from −∞ to +60.0 dB");
  await gain.fill("−inf");
  await gain.press("Enter");
  await saved(page, 6);
  await expect(gain).toHaveValue("−∞");
  await expect(page.locator("#peak")).toHaveText("silent");
  expect(peakOf(await pcm(reel, clip.start, clip.start + clip.length, `&silent=${others.join(",")}`))).toBe(0);
  await gain.fill("a bit");
  await gain.press("Enter");
  await expect(page.getByRole("alert")).toContainText("is not a gain");
  await page.locator("#tracks").focus();
  for (let r = 7; r <= 11; r++) {
    await page.keyboard.press("Control+z");
    await saved(page, r);
  }
  expect(await gainOf(reel, "Grower 1")).toBe(0);
});

test("the tag of a clip is dragged, for one and for many; what is shown is what is saved", async ({ bench: page, reel }) => {
  const { clip, at } = await chooseClip(page, reel, "Grower 1");
  const box = await page.locator("#lanes").boundingBox();
  const tag = { x: Math.max(at.x(clip.start), box.x) + 30, y: (await at.y("Grower", "edge")) - 20 };
  await page.mouse.move(tag.x, tag.y);
  await expect(page.locator(".foot")).toContainText("Drag up or down to set the gain");
  await page.mouse.down();
  await page.mouse.move(tag.x, tag.y - 20);
  await page.mouse.move(tag.x, tag.y - 45);
  await expect(page.locator(".foot")).toContainText("“Grower 1” +4.5 dB");
  await expect(page.locator(".foot")).toContainText("dBFS");
  await page.mouse.up();
  await saved(page, 2);
  expect(await gainOf(reel, "Grower 1")).toBe(4.5);
  // Escape backs out.
  await page.mouse.down();
  await page.mouse.move(tag.x, tag.y + 60);
  await page.keyboard.press("Escape");
  await page.mouse.up();
  expect((await load(reel)).revision).toBe(2);
  // All that are chosen go along, each from where it is.
  await page.locator("#tracks").focus();
  await page.keyboard.press("a");
  const many = page.getByLabel("Gain by, dB");
  await expect(many).toBeVisible();
  await many.fill("-2");
  await many.press("Enter");
  await saved(page, 3);
  expect(await gainOf(reel, "Grower 1")).toBe(2.5);
  expect(await gainOf(reel, "Grower 2")).toBe(-2);
  await page.getByLabel("Gain to, dB").fill("-6");
  await page.getByLabel("Gain to, dB").press("Enter");
  await saved(page, 4);
  expect([await gainOf(reel, "Grower 1"), await gainOf(reel, "Grower 2")]).toEqual([-6, -6]);
  await page.locator("#tracks").focus();
  await page.keyboard.press("Control+z");
  await saved(page, 5);
  await page.keyboard.press("Control+z");
  await saved(page, 6);
  expect([await gainOf(reel, "Grower 1"), await gainOf(reel, "Grower 2")]).toEqual([4.5, 0]);
  expect((await api("GET", `/reels/${reel}/peaks?clips=${clip.id}`)).body.clips[0].clip).toBe(clip.id);
});

test("a stereo clip has a balance and a gain of its right side; a mono one has neither", async ({ bench: page, reel }) => {
  await chooseClip(page, reel, "Grower 1");
  await expect(page.getByLabel("Balance", { exact: true })).toBeHidden();
  // A stereo recording comes in and is inserted far from all others.
  await page.getByRole("tab", { name: "Sources" }).click();
  await page
    .locator("#files")
    .setInputFiles([{ name: "rain.wav", mimeType: "audio/wav", buffer: tone({ hz: 300, channels: 2, seconds: 2 }) }]);
  const row = page.locator("[data-source-row]").filter({ hasText: "rain" });
  await expect(row).toContainText("stereo");
  const v = await load(reel),
    at = 48000 * 120,
    source = v.reel.sources.find((s) => s.name === "rain").id,
    track = v.reel.tracks.find((t) => t.name === "Spots").id;
  const made = await api("POST", `/reels/${reel}/edits`, {
    base: v.revision,
    edit: { do: "place", with: { source, track, start: at, offset: 0, length: 96000 } },
  });
  expect(made.status).toBe(200);
  await page.getByRole("tab", { name: "Seams" }).click();
  await choose(page, "rain, start");
  await page.locator("#tracks").press("u");
  const balance = page.getByLabel("Balance", { exact: true }),
    right = page.getByLabel("Gain of the right side, dB");
  await expect(balance).toBeVisible();
  const sides = async () => {
    const s = await pcm(reel, at, at + 96000);
    return [0, 1].map((c) => peakOf(s.filter((_, i) => i % 2 === c)));
  };
  const [l, r] = await sides();
  await balance.fill("-0.5");
  await expect(page.getByText("L50", { exact: true })).toBeVisible();
  let now = await sides();
  expect(now[0]).toBeCloseTo(l, 5);
  expect(now[1]).toBeCloseTo(r * Math.SQRT1_2, 4);
  await right.fill("-6");
  await right.press("Enter");
  await expect(right).toHaveValue("−6.0");
  await expect.poll(async () => (await sides())[1]).toBeCloseTo(r * Math.SQRT1_2 * 10 ** -0.3, 4);
  await balance.dblclick();
  await expect(page.getByText("L50", { exact: true })).toBeHidden();
  now = await sides();
  expect(now[1]).toBeCloseTo(r * 10 ** -0.3, 4);
  await page.locator("#tracks").focus();
  for (let k = 0; k < 3; k++) {
    const { revision } = await load(reel);
    await page.keyboard.press("Control+z");
    await saved(page, revision + 1);
  }
  expect(await sides()).toEqual([l, r]);
});

test("the speech of many clips is matched to the first, or to a loudness that is typed, in one step", async ({ bench: page, reel }) => {
  await chooseClip(page, reel, "Grower 1");
  await page.locator("#tracks").focus();
  await page.keyboard.press("a");
  const names = ["Grower 1", "Grower 2", "Grower 3"],
    gains = async () => Promise.all(names.map((n) => gainOf(reel, n)));
  // One of them is far too loud.
  const loud = (await clipsOf(reel, "Grower 3"))[0].id;
  await api("POST", `/reels/${reel}/edits`, { base: 1, edit: { do: "gain", with: { clips: [loud], toDB: 14 } } });
  await saved(page, 2);
  await page.keyboard.press("Alt+u");
  await expect(page.getByRole("alert")).toContainText("Matched to −");
  await saved(page, 3);
  const matched = await gains();
  expect(matched[0]).toBe(0); // the reference stays
  expect(matched[2]).toBeLessThan(6);
  await page.getByRole("button", { name: "Match to the first" }).click();
  await expect(page.getByRole("alert")).toContainText("already");
  // To a loudness: all of them by the same, as they are even already.
  const field = page.getByLabel("Speech to, LUFS");
  await field.fill("−20");
  await field.press("Enter");
  await saved(page, 4);
  await expect(page.getByRole("alert")).toContainText("Matched to −20.0 LUFS");
  const at20 = await gains(),
    by = at20.map((g, i) => g - matched[i]);
  expect(Math.max(...by) - Math.min(...by)).toBeLessThan(0.25);
  await field.fill("loud");
  await field.press("Enter");
  await expect(page.getByRole("alert")).toContainText("is not a loudness");
  await field.fill("5");
  await field.press("Enter");
  await expect(page.getByRole("alert")).toContainText("from −60 to 0 LUFS");
  await page.locator("#tracks").focus();
  await page.keyboard.press("Control+z");
  await saved(page, 5);
  expect(await gains()).toEqual(matched);
  await page.keyboard.press("Control+z");
  await saved(page, 6);
  expect(await gains()).toEqual([0, 0, 14]);
});

test("at a seam the keys of gain act on its clips, without selecting one; a step of the voice goes by one key", async ({
  bench: page,
  reel,
}) => {
  await choose(page, "Warden 3 → Warden 4");
  await expect(page.locator("#verdict")).toContainText("Voice rises 5.3 LU");
  await page.locator("#tracks").focus();
  await page.keyboard.press("Alt+u");
  await saved(page, 2);
  expect(await gainOf(reel, "Warden 3")).toBe(0);
  expect(await gainOf(reel, "Warden 4")).toBeLessThan(-3);
  await expect(page.locator("#verdict")).not.toContainText("Voice");
  await page.keyboard.press("Control+z");
  await saved(page, 3);
  await page.keyboard.press("Control+ArrowDown"); // the incoming one
  await saved(page, 4);
  await page.keyboard.press("1");
  await page.keyboard.press("Control+Shift+ArrowUp"); // the outgoing one
  await saved(page, 5);
  expect([await gainOf(reel, "Warden 3"), await gainOf(reel, "Warden 4")]).toEqual([3, -0.5]);
  // In a field the arrows step as well.
  await page.getByRole("button", { name: "Warden", exact: true }).click();
  const field = page.getByLabel("Gain, dB");
  await field.press("ArrowDown");
  await saved(page, 6);
  await field.press("Shift+ArrowUp");
  await saved(page, 7);
  expect((await load(reel)).reel.tracks.find((t) => t.name === "Warden").gainDB).toBe(2.5);
});

test.describe("with ears", () => {
  test.use({ bypassCSP: true });
  test("dialogue is evened out by a list: one row is left out, one is heard, all is one step", async ({ bench: page, reel }) => {
    await page.locator("#tracks").focus();
    await page.keyboard.press("Shift+U");
    const rows = page.locator("[data-even]");
    const dialogue = (await load(reel)).reel.tracks.filter((t) => t.role === "dialogue").map((t) => t.id),
      clips = (await load(reel)).reel.clips.filter((c) => dialogue.includes(c.track));
    await expect(rows).toHaveCount(clips.length);
    await page.getByLabel("To which loudness").selectOption("lufs");
    await page.getByLabel("Loudness, LUFS").fill("-26");
    await page.getByLabel("Loudness, LUFS").press("Enter");
    await expect(rows.first()).toContainText("−26.0");
    const boxes = rows.locator("input:checked");
    await expect.poll(() => boxes.count()).toBeGreaterThan(8);
    const all = await boxes.count();
    await page.getByLabel("Change Grower 1").uncheck();
    await expect(page.locator("#do-even .num")).toHaveText(String(all - 1));
    await page.getByLabel("Listen to Warden 1 with this gain").click();
    // It is heard with the gain that its row tells, before anything is done.
    const [warden] = await clipsOf(reel, "Warden 1"),
      text = await rows.filter({ hasText: "Warden 1" }).locator("td").nth(4).textContent(),
      toDB = Number(text.replace("−", "-").replace(" dB", ""));
    const dry = await api("POST", `/reels/${reel}/dry-run`, {
      base: 1,
      edit: { do: "gain", with: { clips: [warden.id], toDB } },
      hear: true,
    });
    const would = await pcm(reel, warden.start + 6000, warden.start + 20000, `&trial=${dry.body.trial}`),
      left = would.filter((_, i) => i % 2 === 0);
    await expect.poll(() => wasHeard(page, left)).toBe(true);
    await page.locator("#do-even").click();
    await saved(page, 2);
    const now = (await load(reel)).reel.clips;
    expect(now.find((c) => c.name === "Grower 1").gainDB).toBe(0);
    expect(now.filter((c) => c.gainDB !== 0).length).toBe(all - 1);
    // What the list told is what is measured now: asked anew, nothing but the one left out is changed.
    await page.locator("#tracks").focus();
    await page.keyboard.press("Shift+U");
    await page.getByLabel("To which loudness").selectOption("lufs");
    await page.getByLabel("Loudness, LUFS").fill("-26");
    await page.getByLabel("Loudness, LUFS").press("Enter");
    await expect(page.locator("#do-even .num")).toHaveText("1");
    await page.keyboard.press("Escape");
    await page.locator("#tracks").focus();
    await page.keyboard.press("Control+z");
    await saved(page, 3);
    expect((await load(reel)).reel.clips.every((c) => c.gainDB === 0)).toBe(true);
  });
});

test("the loudness of the reel is what ffmpeg's meter says of it; a target is chosen and set, places outside it are gone to", async ({
  bench: page,
  reel,
}) => {
  await page.locator("#tracks").focus();
  await page.keyboard.press("Alt+i");
  const row = (name) => page.locator("[data-loud]").filter({ hasText: name }).locator("td").first();
  await expect(row("Integrated")).toHaveText(/LUFS$/);
  const value = async (name) => parseFloat((await row(name).textContent()).replace("−", "-"));
  const end = Math.max(...(await load(reel)).reel.clips.map((c) => c.start + c.length)),
    pieces = [];
  for (let at = 0; at < end; at += 480000) pieces.push(Buffer.from((await pcm(reel, at, Math.min(at + 480000, end))).buffer));
  const { stderr } = spawnSync(
    "ffmpeg",
    ["-hide_banner", "-nostats", "-f", "f32le", "-ar", "48000", "-ac", "2", "-i", "pipe:0", "-af", "ebur128=peak=true", "-f", "null", "-"],
    { input: Buffer.concat(pieces), maxBuffer: 1 << 28 },
  );
  const text = stderr.toString(),
    last = (re) => Number([...text.matchAll(re)].at(-1)[1]);
  expect(Math.abs((await value("Integrated")) - last(/I:\s+(-?[\d.]+) LUFS/g))).toBeLessThanOrEqual(0.11);
  expect(Math.abs((await value("True peak")) - last(/Peak:\s+(-?[\d.]+) dBFS/g))).toBeLessThanOrEqual(0.25);
  expect(Math.abs((await value("Loudness range")) - last(/LRA:\s+([\d.]+) LU/g))).toBeLessThanOrEqual(0.35);
  // Another target, one of its numbers, and a corridor the wrong way round.
  await page.getByLabel("Target", { exact: true }).selectOption({ index: 3 });
  await saved(page, 2);
  await expect(page.locator("[data-loud]").first()).toContainText("−16.0 LUFS");
  await page.getByLabel("Speech to, dBFS").fill("-40");
  await page.getByLabel("Speech to, dBFS").press("Enter");
  await expect(page.locator("#loud [role=alert]")).toContainText("the lower one first");
  await expect(page.getByLabel("Speech to, dBFS")).toHaveValue("−6.0");
  await page.getByLabel("Speech from, dBFS").fill("-9");
  await page.getByLabel("Speech from, dBFS").press("Enter");
  await saved(page, 3);
  expect((await load(reel)).reel.props.target).toEqual({ lufs: -16, within: 1, truePeak: -1, low: -9, high: -6 });
  const place = page.locator("[data-place]").filter({ hasText: "too low" }).first();
  await expect(place).toBeVisible();
  const at = (await place.locator("span").first().textContent()).trim();
  await place.click();
  await expect(page.locator("#loud")).not.toBeVisible();
  await expect(page.locator("#timecode")).toHaveValue(new RegExp(`${at}$`));
  await page.keyboard.press("Control+z");
  await page.keyboard.press("Control+z");
  await saved(page, 5);
  expect((await load(reel)).reel.props.target).toBeUndefined();
});

test("the meters tell the highest peak of what was played; over full scale stays until it is clicked", async ({ bench: page, reel }) => {
  await choose(page, "Warden 1 → Warden 2");
  const at = (await clipsOf(reel, "Warden 2"))[0].start,
    meter = page.locator("#meter");
  const told = async () => (await meter.getAttribute("aria-label")).match(/Highest peak (.*?) dBFS/)?.[1].replace("−", "-");
  const highest = async () => 20 * Math.log10(peakOf(await pcm(reel, at - 48000, at + 48000)));
  const play = async () => {
    await page.locator("#tracks").press("Enter");
    await expect(page.getByRole("button", { name: "Stop" })).toBeVisible();
    await expect(page.getByRole("button", { name: "Play", exact: true })).toBeVisible();
  };
  await play();
  const quiet = await highest();
  await expect.poll(async () => Math.abs(Number(await told()) - quiet)).toBeLessThan(0.11);
  await expect(meter).not.toHaveAttribute("aria-label", /Over/);
  // Far too loud: the mark stays when it is quiet again, and goes with a click.
  await page.locator("#tracks").press("2");
  for (let r = 2; r <= 11; r++) {
    await page.keyboard.press("Control+Shift+ArrowUp");
    await saved(page, r);
  }
  await play();
  await expect(meter).toHaveAttribute("aria-label", /Over full scale/);
  const loud = await highest();
  expect(loud).toBeGreaterThan(0);
  await expect.poll(async () => Math.abs(Number(await told()) - loud)).toBeLessThan(0.11);
  await meter.click();
  await expect(meter).toHaveAttribute("aria-label", /^Highest peak silent/);
});

test("the strip shows the loudness through the reel; a key goes from place to place outside the target, an edit measures it anew", async ({
  bench: page,
  reel,
}) => {
  await page.locator("#strip-head").click();
  await expect(page.locator("#strip-head")).toHaveText("Loudness");
  const measured = async () => (await api("GET", `/reels/${reel}/loudness`)).body;
  const first = await measured(),
    text = (n) => `${n} ${n === 1 ? "place" : "places"}`;
  await expect(page.locator("#holes")).toHaveText(text(first.places.length));
  const places = first.places.map((p) => p.from).sort((a, b) => a - b);
  await page.locator("#tracks").focus();
  await page.keyboard.press("Home");
  for (const from of places) {
    await page.keyboard.press("Alt+n");
    // The demo starts at one o'clock, at 25 frames a second.
    const n = Math.floor(from / 1920),
      two = (v) => String(v).padStart(2, "0");
    await expect(page.locator("#timecode")).toHaveValue(`01:${two(Math.floor(n / 1500))}:${two(Math.floor(n / 25) % 60)}:${two(n % 25)}`);
    await expect(page.locator(".foot")).toContainText("speech peaks at");
  }
  // Dialogue that is made far too low is told, once it is measured anew.
  const speech = (await load(reel)).reel.tracks.filter((t) => t.role === "dialogue").map((t) => t.id),
    clips = (await load(reel)).reel.clips.filter((c) => speech.includes(c.track)).map((c) => c.id);
  await api("POST", `/reels/${reel}/edits`, { base: 1, edit: { do: "gain", with: { clips, byDB: -20 } } });
  const second = await measured();
  expect(second.places.length).toBeGreaterThan(first.places.length);
  await expect(page.locator("#holes")).toHaveText(text(second.places.length));
  await page.locator("#tracks").focus();
  await page.keyboard.press("Alt+Shift+I");
  await expect(page.locator("#strip-head")).toHaveText("Room");
});
