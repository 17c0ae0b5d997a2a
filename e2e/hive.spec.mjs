import { spawnSync } from "node:child_process";
import { choose, clipsOf, expect, load, pcm, readWAV, same, saved, test, wasHeard, zoomed } from "./kit.mjs";

// Hive Diary, brought within all its targets, heard and exported. What it has become is
// told by ffmpeg's meters, on the file.
test.use({ of: 4, bypassCSP: true });

const rate = 48000;

/** Goes to something by the tabulator alone. */
async function tabTo(page, locator) {
  for (let i = 0; i < 80; i++) {
    if (await locator.evaluate((e) => e === document.activeElement).catch(() => false)) return;
    await page.keyboard.press("Tab");
  }
  throw new Error("the tabulator does not lead there");
}

/** Chooses in a list that has the keys, by its first letters. */
async function pick(page, letters) {
  await page.keyboard.type(letters, { delay: 20 });
}

/** Makes a track the one that keys act on, by the arrows alone. */
async function activate(page, name) {
  const order = (await load(Number(page.url().match(/reels\/(\d+)/)[1]))).reel.tracks.sort((a, b) => a.place - b.place);
  for (let i = 0; i < order.length; i++) await page.keyboard.press("ArrowUp");
  for (let i = 0; i < order.findIndex((t) => t.name === name); i++) await page.keyboard.press("ArrowDown");
}

/** What ffmpeg's meter says of a WAV file. */
function metered(path) {
  const { stderr } = spawnSync("ffmpeg", ["-hide_banner", "-nostats", "-i", path, "-af", "ebur128=peak=true", "-f", "null", "-"], {
      maxBuffer: 1 << 28,
    }),
    last = (re) => Number([...stderr.toString().matchAll(re)].at(-1)[1]);
  return { integrated: last(/I:\s+(-?[\d.]+) LUFS/g), truePeak: last(/Peak:\s+(-?[\d.]+) dBFS/g) };
}

/** The places outside the target, as the program tells them. */
async function places(page, reel) {
  const end = Math.max(...(await load(reel)).reel.clips.map((c) => c.start + c.length));
  return page.evaluate(
    async ([reel, end]) => (await (await fetch(`/api/v1/reels/${reel}/loudness?from=0&to=${end}`)).json()).places,
    [reel, end],
  );
}

/** Holds what was exported against the targets and against what was wrong with the reel. */
async function judge(path, reel, was) {
  const { integrated, truePeak } = metered(path);
  expect(Math.abs(integrated + 23)).toBeLessThanOrEqual(0.5);
  expect(truePeak).toBeLessThanOrEqual(-1);
  const { samples } = readWAV(path),
    { reel: now } = await load(reel);
  // It ends in silence, not on a step.
  const tail = samples[0].slice(-48);
  expect(Math.max(...tail.map(Math.abs))).toBeLessThan(1e-3);
  // Every phrase peaks in the corridor: of the dialogue alone, found by the clips.
  const dialogue = now.tracks.filter((t) => t.role === "dialogue").map((t) => t.id),
    others = now.clips.filter((c) => !dialogue.includes(c.track)).map((c) => c.id);
  for (const c of now.clips.filter((c) => dialogue.includes(c.track))) {
    const peak = (await pcm(reel, c.start, c.start + c.length, `&silent=${others.join(",")}`)).reduce(
      (m, x) => Math.max(m, Math.abs(x)),
      0,
    );
    expect(20 * Math.log10(peak)).toBeGreaterThan(-12);
    expect(20 * Math.log10(peak)).toBeLessThanOrEqual(-5.99);
  }
  // The music is down where somebody speaks, and as it was where nobody does.
  const { under, free } = await musicOf(reel);
  expect(under - was.under).toBeLessThan(-8);
  expect(Math.abs(free - was.free)).toBeLessThan(0.1);
}

/** How loud the music is under a line, and where nobody speaks, in dB. */
async function musicOf(reel) {
  const { reel: now } = await load(reel),
    music = now.tracks.find((t) => t.name === "Music").id,
    silent = now.clips.flatMap((c) => (c.track === music ? [] : [c.id])),
    [line] = await clipsOf(reel, "Narrator 2"),
    power = async (from, to) => {
      const v = await pcm(reel, from, to, `&silent=${silent}`);
      return 10 * Math.log10(v.reduce((s, x) => s + x * x, 0) / v.length);
    };
  return { under: await power(line.start + rate, line.start + 3 * rate), free: await power(0.5 * rate, 1.5 * rate) };
}

/** What the reel is before anything is done. */
const before = async (reel) => ({ ...(await musicOf(reel)), clips: (await load(reel)).reel.clips, sound: await pcm(reel, 0, 20 * rate) });

test("by keys alone: Hive Diary within all its targets, heard, exported, and all of it undone", async ({ bench: page, reel }, info) => {
  test.setTimeout(120_000);
  const was = await before(reel);
  expect((await places(page, reel)).length).toBeGreaterThan(4);
  await page.locator("#tracks").focus();
  let revision = 1;
  const done = async () => saved(page, ++revision);
  // All dialogue to −23 LUFS.
  await page.keyboard.press("Shift+U");
  const even = page.locator("#even");
  await tabTo(page, even.getByLabel("To which loudness"));
  await pick(page, "a loud");
  await expect(even.locator("[data-even]")).toHaveCount(12);
  await expect(even.locator("[data-even]").first()).toContainText("−23.0");
  await tabTo(page, page.locator("#do-even"));
  await page.keyboard.press("Enter");
  await done();
  // Music under speech.
  await page.locator("#tracks").focus();
  await activate(page, "Music");
  await page.keyboard.press("Alt+a");
  await done();
  // The voice that is too far from its microphone takes the tone of the near one.
  await activate(page, "Beekeeper");
  for (const name of ["Beekeeper 2", "Beekeeper 5"]) {
    for (let i = 0; i < 60; i++) {
      if (
        await page
          .locator('.seamrow[aria-selected="true"]')
          .filter({ hasText: `${name}, start` })
          .count()
      )
        break;
      await page.keyboard.press("n");
    }
    await expect(page.locator('.seamrow[aria-selected="true"]')).toContainText(`${name}, start`);
    await page.keyboard.press("Alt+Shift+U");
    // So little speech is matched only on request.
    await expect(page.getByRole("button", { name: "Match anyway" })).toBeVisible();
    await page.keyboard.press("Control+Enter");
    await done();
  }
  // The neighbour goes into the telephone.
  await activate(page, "Neighbour");
  await page.keyboard.press("Alt+Shift+T");
  await expect(page.locator("#treatment")).toContainText("of the track Neighbour");
  await tabTo(page, page.locator("#treatment").getByLabel("Presets"));
  await pick(page, "Telephone");
  await done();
  await page.keyboard.press("Escape");
  await page.locator("#tracks").focus();
  // The end.
  await page.keyboard.press("Alt+Shift+E");
  await done();
  // What is left is gone to, one after the other, and nudged into the corridor.
  await page.keyboard.press("Alt+Shift+I");
  await expect(page.locator("#strip-head")).toHaveText("Loudness");
  for (let i = 0; i < 8; i++) {
    const all = await places(page, reel),
      [place] = all;
    await expect(page.locator("#holes")).toHaveText(`${all.length} ${all.length === 1 ? "place" : "places"}`);
    if (!place) break;
    expect(place.what).toMatch(/^speech/);
    await page.keyboard.press("Home");
    await page.keyboard.press("Alt+n");
    const { name } = (await load(reel)).reel.clips.find((c) => c.id === place.clip);
    await expect(page.locator("#clip-name")).toHaveValue(name);
    await page.keyboard.press(place.what === "speechHigh" ? "Control+ArrowDown" : "Control+ArrowUp");
    await done();
  }
  expect(await places(page, reel)).toEqual([]);
  // It is heard as it is.
  const [phone] = await clipsOf(reel, "Neighbour 1");
  await page.keyboard.press("Shift+G");
  await page.keyboard.type("01:00:37:00");
  await page.keyboard.press("Enter");
  await page.locator("#tracks").focus();
  await page.keyboard.press("Space");
  expect(Math.abs(phone.start - 37 * rate)).toBeLessThan(12 * rate);
  // Any part of what is rendered from there on: a machine that is busy may let some go by.
  const parts = await Promise.all(
    [37.5, 38.25, 39, 40.25].map(async (at) => (await pcm(reel, at * rate, at * rate + 4800)).filter((_, i) => i % 2 === 0)),
  );
  await expect.poll(async () => (await Promise.all(parts.map((p) => wasHeard(page, p)))).some(Boolean)).toBe(true);
  await page.keyboard.press("Space");
  await page.keyboard.press("Shift+E");
  await expect(page.locator("#export")).toContainText("true peak");
  const coming = page.waitForEvent("download");
  await tabTo(page, page.locator("#do-export"));
  await page.keyboard.press("Enter");
  const path = info.outputPath("hive.wav");
  await (await coming).saveAs(path);
  await page.keyboard.press("Escape");
  await judge(path, reel, was);
  // All that was done is undone, and the reel is as it was.
  await page.locator("#tracks").focus();
  for (let n = revision; n > 1; n--) {
    await page.keyboard.press("Control+z");
    await done();
  }
  const now = (await load(reel)).reel;
  expect(now.clips).toEqual(was.clips);
  expect(now.points ?? []).toEqual([]);
  expect(now.treatments ?? []).toEqual([]);
  expect(same(await pcm(reel, 0, 20 * rate), was.sound)).toBe(true);
});

test("by pointer alone: Hive Diary within all its targets, heard and exported", async ({ bench: page, reel }, info) => {
  test.setTimeout(120_000);
  const was = await before(reel);
  let revision = 1;
  const done = async () => saved(page, ++revision),
    head = (name) =>
      page
        .locator(".trackhead")
        .filter({ hasText: name })
        .click({ position: { x: 40, y: 10 } }),
    command = async (name) => {
      await page.getByRole("button", { name: "Commands" }).click();
      await page.locator("#palette").getByText(name).first().click();
    };
  // All dialogue to −23 LUFS, by the list of commands.
  await command("Even out: many clips");
  const even = page.locator("#even");
  await even.getByLabel("To which loudness").selectOption({ label: "a loudness" });
  await expect(even.locator("[data-even]").first()).toContainText("−23.0");
  await even.locator("#do-even").click();
  await done();
  // Music under speech, by the card of its track; its end by the list of commands.
  await head("Music");
  await page.locator("#duck").getByRole("button", { name: "Duck" }).click();
  await done();
  await command("Fade out music and room tone at the end");
  await done();
  // The telephone, by the card of its track.
  await head("Neighbour");
  await page.getByRole("button", { name: "Open" }).click();
  const panel = page.locator("#treatment");
  await panel.getByLabel("Presets").selectOption({ label: "Telephone: 300 to 3400 Hz" });
  await done();
  await panel.getByRole("button", { name: "Close the treatment" }).click();
  // The far voice, by the card of each clip.
  for (const name of ["Beekeeper 2", "Beekeeper 5"]) {
    const [clip] = await clipsOf(reel, name);
    await choose(page, `${name}, start`);
    await page.locator("#tracks").press("z");
    const view = await zoomed(page, reel, clip.start);
    await page.mouse.click(view.x(clip.start + rate), await view.y("Beekeeper", "tab"));
    await page.getByRole("button", { name: "Open" }).click();
    await panel.getByRole("button", { name: "Match to the clip before" }).click();
    await page.getByRole("button", { name: "Match anyway" }).click();
    await done();
    await panel.getByRole("button", { name: "Close the treatment" }).click();
  }
  // What is left: a place in the list is clicked, and the gain of its clip typed.
  for (let i = 0; i < 8; i++) {
    const [place] = await places(page, reel);
    if (!place) break;
    await command("Loudness of the span or of the reel");
    await page.locator("[data-place]").first().click();
    await expect(page.locator("#loud")).not.toBeVisible();
    const clip = (await load(reel)).reel.clips.find((c) => c.id === place.clip);
    await expect(page.locator("#clip-name")).toHaveValue(clip.name);
    await page.locator("#clip-gain").fill(String(clip.gainDB + (place.what === "speechHigh" ? -0.5 : 0.5)));
    await page.locator("#clip-gain").press("Enter");
    await done();
  }
  expect(await places(page, reel)).toEqual([]);
  await page.getByRole("button", { name: "Play", exact: true }).click();
  await expect.poll(() => page.evaluate(() => window.heard.some((b) => b[0].some((x) => x !== 0)))).toBe(true);
  await page.getByRole("button", { name: "Stop" }).click();
  await page.getByTitle("Clear the span").click();
  await expect(page.getByTitle("Clear the span")).toBeHidden();
  await page.getByRole("button", { name: "Export", exact: true }).click();
  await expect(page.locator("#export")).toContainText("true peak");
  const [file] = await Promise.all([page.waitForEvent("download"), page.locator("#do-export").click()]),
    path = info.outputPath("hive.wav");
  await file.saveAs(path);
  await judge(path, reel, was);
});
