import { spawnSync } from "node:child_process";
import { writeFileSync } from "node:fs";
import { api, choose, expect, goTo, load, pcm, same, saved, test, url, wasHeard } from "./kit.mjs";

/** Level of a stretch of interleaved stereo, left side, in dBFS. */
const rms = (v, a = 0, b = v.length / 2) => {
  let sum = 0;
  for (let i = a; i < b; i++) sum += v[2 * i] ** 2;
  return 10 * Math.log10(sum / (b - a) + 1e-20);
};

/** Marks a span by keys, on the track that is worked on. */
async function mark(page, from, to) {
  await goTo(page, from);
  await page.keyboard.press("i");
  await goTo(page, to);
  await page.keyboard.press("o");
  await expect(page.getByRole("group", { name: "Marked span" })).toBeVisible();
}

/** The ledger once all of it is measured. */
async function ledger(reel) {
  let seams = [];
  await expect
    .poll(async () => (seams = (await api("GET", `/reels/${reel}/seams`)).body.seams).every((s) => s.verdict), { timeout: 30_000 })
    .toBe(true);
  return seams;
}

test.describe("with ears", () => {
  test.use({ bypassCSP: true });

  test("by keys: the creak and the second voice are struck and covered, the hole is filled, and the export has no hole", async ({
    bench: page,
    reel,
  }, info) => {
    const rate = 48000,
      was = await load(reel),
      track = (name) => was.reel.tracks.find((t) => t.name === name).id;
    await page.locator("#tracks").focus();
    for (let i = 0; i < 5; i++) await page.keyboard.press("ArrowUp");
    let revision = 1;
    // The creak on Warden, then the second voice on Grower: from, to, in seconds.
    for (const [name, from, to, a, b] of [
      ["Warden", "01:00:21:06", "01:00:21:24", 21.24, 21.96],
      ["Grower", "01:00:36:13", "01:00:37:10", 36.52, 37.4],
    ]) {
      if (name === "Grower") await page.keyboard.press("ArrowDown");
      const around = [Math.round((a - 0.5) * rate), Math.round((b + 0.5) * rate)],
        before = await pcm(reel, ...around);
      await mark(page, from, to);
      await page.keyboard.press("x");
      await saved(page, ++revision);
      const strike = (await load(reel)).reel.strikes.at(-1);
      await expect(page.locator('.seamrow[aria-selected="true"]')).toContainText("struck");
      // Heard as it is, and as recorded, with one key each.
      const solo = `&unstruck=${strike.id}`;
      expect(same(await pcm(reel, ...around, solo), before)).toBe(true);
      await page.keyboard.press("c");
      await saved(page, ++revision);
      await expect.poll(async () => (await load(reel)).reel.strikes.at(-1).cover?.source ?? 0).toBeGreaterThan(0);
      const after = await pcm(reel, ...around),
        n = Math.round(0.4 * rate);
      expect(same(after.slice(0, 2 * n), before.slice(0, 2 * n))).toBe(true);
      expect(same(after.slice(-2 * n), before.slice(-2 * n))).toBe(true);
      // The track by itself goes on at the level of its room.
      const alone = await pcm(reel, ...around, `&silent=${was.reel.clips.filter((c) => c.track !== track(name)).map((c) => c.id)}`);
      expect(
        Math.abs(rms(alone, Math.round(0.5 * rate), Math.round((b - a + 0.5) * rate)) - rms(alone, alone.length / 2 - n)),
      ).toBeLessThan(1.5);
      // What is played is what was rendered.
      await expect(page.locator("#verdict")).toContainText("Covered: the room continues");
      await page.keyboard.press("Enter");
      await expect(page.getByRole("button", { name: "Stop" })).toBeVisible();
      await expect(page.getByRole("button", { name: "Play", exact: true })).toBeVisible({ timeout: 15_000 });
      const at = around[0] + 24000,
        played = await pcm(reel, at, at + 12000);
      expect(
        await wasHeard(
          page,
          Float32Array.from({ length: 12000 }, (_, i) => played[2 * i]),
        ),
      ).toBe(true);
    }
    // The planted hole: one key goes there, one fills it.
    await expect(page.locator("#holes")).toHaveText("1 hole");
    const [hole] = (await api("GET", `/reels/${reel}/continuity`)).body.holes;
    await page.keyboard.press("Alt+n");
    await page.keyboard.press("c");
    await saved(page, ++revision);
    await expect(page.locator("#holes")).toHaveText("no holes");
    const seams = await ledger(reel),
      dialogue = [track("Warden"), track("Grower")];
    expect(seams.filter((s) => dialogue.includes(s.track) && s.verdict !== "fine" && /room|silence|nothing under/.test(s.brief))).toEqual(
      [],
    );
    // Exported, the floor goes on through every former hole, by sox's statistics.
    const res = await fetch(`${url()}/api/v1/reels/${reel}/export?bits=24&channels=2`),
      file = info.outputPath("reel.wav");
    writeFileSync(file, Buffer.from(await res.arrayBuffer()));
    // The quietest 50 ms, as others may speak meanwhile.
    const level = (from, to) =>
      Number(
        /RMS Tr dB\s+(\S+)/.exec(
          spawnSync("sox", [file, "-n", "remix", "1", "trim", `${from}`, `${to - from}`, "stats"]).stderr.toString(),
        )[1],
      );
    for (const [from, to] of [
      [21.26, 21.94],
      [36.54, 37.38],
      [hole[0] / rate, hole[1] / rate],
    ]) {
      const through = level(from, to),
        floor = Math.min(level(from - 3, from - 0.06), level(to + 0.06, to + 3));
      expect(Math.abs(through - floor)).toBeLessThan(3);
      expect(through).toBeGreaterThan(-70);
    }
    // Five steps back, and all is as it was.
    for (let i = 0; i < 5; i++) await page.keyboard.press("Control+z");
    await saved(page, ++revision + 4);
    const back = (await load(reel)).reel;
    expect(back.strikes ?? []).toEqual([]);
    expect(back.clips).toEqual(was.reel.clips);
  });
});

test("a struck span is set by pointer and by keys, lowered, laid bare, covered by the next tone, and lifted", async ({
  bench: page,
  reel,
}) => {
  const strike = async () => (await load(reel)).reel.strikes?.[0];
  await choose(page, "Warden 1 → Warden 2");
  await page.locator("#tracks").focus();
  await mark(page, "01:00:21:06", "01:00:21:24");
  await page.getByRole("button", { name: "Strike", exact: true }).click();
  await saved(page, 2);
  await expect(page.locator("#verdict")).not.toContainText("Covered");
  const k = await strike();
  expect(k.fall.length).toBe(1920);
  // Edges by keys: a frame, a millisecond; both fades; the whole.
  await page.locator("#tracks").focus();
  await page.keyboard.press("1");
  await page.keyboard.press("[");
  await saved(page, 3);
  await page.keyboard.press("2");
  await page.keyboard.press("Alt+]");
  await saved(page, 4);
  expect(await strike()).toMatchObject({ from: k.from - 1920, to: k.to + 48 });
  await page.keyboard.press("4");
  await page.keyboard.press("]");
  await saved(page, 5);
  expect((await strike()).rise.length).toBe(3840);
  await page.keyboard.press("Shift+Q"); // where it rises and sinks
  await saved(page, 6);
  const tight = await strike();
  expect(tight.to - tight.from).toBeLessThan(k.to - k.from);
  // By number, and lowered instead.
  await page.locator("#struck-ms").fill("500");
  await page.locator("#struck-ms").press("Enter");
  await saved(page, 7);
  expect((await strike()).to - (await strike()).from).toBe(24000);
  await page.getByRole("radio", { name: "lower" }).click();
  await saved(page, 8);
  expect((await strike()).lowerDB).toBe(12);
  await page.getByRole("radio", { name: "silence" }).click();
  await saved(page, 9);
  // Covered, by the next tone, anew, louder, and bare.
  await page.locator("#tracks").focus();
  await page.keyboard.press("c");
  await saved(page, 10);
  const first = (await strike()).cover.source;
  await page.keyboard.press("Shift+C");
  await saved(page, 11);
  const second = (await strike()).cover.source;
  expect(second).not.toBe(first);
  await page.getByRole("button", { name: "Regenerate" }).click();
  await saved(page, 12);
  const grown = (await load(reel)).reel.sources,
    of = (id) => grown.find((s) => s.id === id);
  const third = (await strike()).cover.source;
  expect(of(third).bed).toMatchObject({ from: of(second).bed.from, seed: 2 });
  await page.getByLabel("Gain of the tone, dB").fill("-1.5");
  await page.getByLabel("Gain of the tone, dB").press("Enter");
  await saved(page, 13);
  expect((await strike()).cover.gainDB).toBe(-1.5);
  // Its first edge is dragged in the close-up; the foot line says how far.
  const box = await page.locator("#closeup").boundingBox(),
    was = await strike();
  // It is drawn around the middle of where it was when it was chosen.
  const clip = (await load(reel)).reel.clips.find((c) => c.id === was.clip),
    middle = 21.6 * 48000;
  const scale = /([\d.]+) (m?s)/.exec(await page.locator(".badge.num").first().textContent()),
    around = Number(scale[1]) * (scale[2] === "ms" ? 48 : 48000);
  const place = (sample) => box.x + box.width / 2 + ((sample + clip.start - clip.offset - middle) / around) * ((box.width - 28) / 2);
  const x = place(was.from),
    shift = place(was.from + 4800) - x;
  await page.mouse.move(x, box.y + box.height * 0.4);
  await page.mouse.down();
  await page.mouse.move(x - shift, box.y + box.height * 0.4, { steps: 4 });
  await page.mouse.up();
  await saved(page, 14);
  expect((await strike()).from).toBeLessThan(was.from - 1000);
  expect((await strike()).to).toBe(was.to);
  await page.getByRole("button", { name: "Remove cover" }).click();
  await saved(page, 15);
  expect((await strike()).cover?.source ?? 0).toBe(0);
  await page.getByRole("button", { name: "Restore" }).click();
  await saved(page, 16);
  expect(await strike()).toBeUndefined();
});

test("swatches: found, heard on the wave, kept, named, laid; made-up rooms; a bed under the scene with the pauses struck", async ({
  bench: page,
  reel,
}) => {
  await page.getByRole("tab", { name: "Room", exact: true }).click();
  await page.locator("#find-quiet").click();
  await expect(page.locator("[data-quiet]").first()).toBeVisible();
  const row = page.locator("[data-quiet]").filter({ hasText: "warden take 3" }).first();
  await row.getByRole("button", { name: "Save", exact: true }).click();
  await saved(page, 2);
  const name = page.locator("[data-swatch]").getByLabel("Name of the swatch");
  await expect(name).toHaveValue(/warden take 3, room 1/);
  await name.fill("glasshouse at night");
  await name.press("Enter");
  await saved(page, 3);
  expect((await load(reel)).reel.swatches[0].name).toBe("glasshouse at night");
  await row.getByRole("button", { name: /^Loop / }).click();
  await expect(page.getByRole("button", { name: "Stop" })).toBeVisible();
  await row.getByRole("button", { name: /^Loop / }).click();
  // Laid in a marked span of a track where nothing lies.
  await page.locator(".trackhead", { hasText: "Room tone" }).getByRole("button").first().click();
  await page.locator("#tracks").focus();
  await mark(page, "01:00:52:00", "01:01:02:00");
  await page.locator("[data-swatch]").getByRole("button", { name: "Insert" }).click();
  await saved(page, 4);
  let v = (await load(reel)).reel;
  const laid = v.clips.at(-1);
  expect(laid).toMatchObject({ name: "glasshouse at night", start: 52 * 48000, length: 10 * 48000 });
  expect(v.sources.find((s) => s.id === laid.source).bed.seed).toBe(1);
  await page.keyboard.press("Control+z");
  await saved(page, 5);
  // A bed: previewed, then one step; the dialogue is struck where nobody speaks.
  await page.locator("#tracks").focus();
  await page.keyboard.press("Shift+R");
  await expect(page.locator("#bed [role=status]")).toHaveText("");
  await expect(page.getByLabel("Tone of the bed").locator("option").first()).toBeAttached();
  await page.locator("#bed-strike").check();
  await expect(page.locator("#bed [role=status]")).toContainText("struck");
  await page.locator("#do-bed").click();
  await expect(page.locator("#bed")).toBeHidden();
  await expect.poll(async () => ((await load(reel)).reel.strikes ?? []).length).toBeGreaterThan(5);
  v = (await load(reel)).reel;
  const bed = v.clips.at(-1);
  expect(v.tracks.find((t) => t.id === bed.track).role).toBe("roomTone");
  const seams = await ledger(reel);
  expect(seams.filter((s) => s.kind === "struck" && s.verdict === "mend")).toEqual([]);
  await page.keyboard.press("Control+z");
  await expect.poll(async () => ((await load(reel)).reel.strikes ?? []).length).toBe(0);
});

test("many gaps are filled from a list as one step; an export with a hole warns", async ({ bench: page, reel }) => {
  await page.getByRole("button", { name: "Export", exact: true }).click();
  await expect(page.locator("[data-holes]")).toContainText("One hole of digital silence");
  await page.keyboard.press("Escape");
  await page.locator("#tracks").focus();
  await page.keyboard.press("Shift+T");
  await page.getByLabel("Which gaps").selectOption("all");
  await expect(page.locator("[data-fill]")).toHaveCount(3);
  await page.locator("[data-fill]").first().getByRole("checkbox").uncheck();
  await expect(page.locator("#do-fills")).toHaveText("Fill 2");
  await page.locator("#do-fills").click();
  await expect(page.locator("#fills")).toBeHidden();
  await saved(page, 2);
  await expect(page.locator("#holes")).toHaveText("no holes");
  await page.keyboard.press("Control+z");
  await expect(page.locator("#holes")).toHaveText("1 hole");
  // Other tone for what was laid, and its hatch is on the sound when it moves.
  await page.keyboard.press("Control+Shift+z");
  await saved(page, 4);
  const before = (await load(reel)).reel.clips.at(-1);
  await page.getByRole("button", { name: "Export", exact: true }).click();
  await expect(page.locator("#export")).toContainText("LUFS");
  await expect(page.locator("[data-holes]")).toBeHidden();
  await page.keyboard.press("Escape");
  expect(before.name).toMatch(/tone of/);
});
