// What a day's work stumbles over: each of these was in someone's way once.
import { choose, expect, load, saved, seamOf, test } from "./kit.mjs";

/** Goes to a timecode by keys. */
async function goTo(page, tc) {
  await page.keyboard.press("Shift+G");
  await page.keyboard.type(tc);
  await page.keyboard.press("Enter");
}

test("the usual blend goes on all chosen cuts at once, as one step", async ({ bench: page, reel }) => {
  await choose(page, "Warden 2 → Warden 3");
  await page.locator("#tracks").focus();
  const was = (await load(reel)).reel.blends.length;
  await page.keyboard.press("a"); // all clips of the track
  await page.keyboard.press("b");
  await saved(page, 2);
  const v = (await load(reel)).reel;
  expect(v.blends.length).toBeGreaterThan(was + 3);
  expect(seamOf({ reel: v }, "Warden 6", "Warden 7").blend).toMatchObject({ before: 5760, after: 5760, law: "constantPower" });
  await page.keyboard.press("Control+z");
  await saved(page, 3);
  expect((await load(reel)).reel.blends.length).toBe(was);
});

test("a length is read as it is typed, and what is none is said", async ({ bench: page, reel }) => {
  await choose(page, "Warden 2 → Warden 3");
  await page.locator("#tracks").press("b");
  await saved(page, 2);
  const field = page.locator("#blend-frames"), of = async () => {
    const b = seamOf(await load(reel), "Warden 2", "Warden 3").blend;
    return b.before + b.after;
  };
  let revision = 2;
  for (const [text, samples] of [["0,5s", 24000], ["12f", 23040], ["320 ms", 15360], ["00:00:00:10", 19200], ["8", 15360]]) {
    await field.fill(text);
    await field.press("Enter");
    await saved(page, ++revision);
    expect(await of()).toBe(samples);
  }
  await field.fill("soon");
  await field.press("Enter");
  await expect(page.getByText("“soon” is not a length")).toBeVisible();
  expect(await of()).toBe(15360);
});

test("what the playhead points at is filled, whatever is chosen elsewhere", async ({ bench: page, reel }) => {
  // A span is struck and covered, and stays chosen; the playhead then goes to a gap of the same track.
  await choose(page, "Warden 1 → Warden 2");
  await page.locator("#tracks").focus();
  for (const [tc, key] of [["01:00:21:06", "i"], ["01:00:21:24", "o"]]) {
    await goTo(page, tc);
    await page.keyboard.press(key);
  }
  await page.getByRole("button", { name: "Strike", exact: true }).click();
  await saved(page, 2);
  await page.locator("#tracks").focus();
  await page.keyboard.press("c");
  await saved(page, 3);
  const covers = async () => JSON.stringify((await load(reel)).reel.strikes.map((k) => k.cover)), before = await covers();
  await goTo(page, "01:00:45:00");
  await page.keyboard.press("c");
  await saved(page, 4);
  expect(await covers()).toBe(before);
  const at = 48000 * 45, v = (await load(reel)).reel, warden = v.tracks.find((t) => t.name === "Warden").id;
  expect(v.clips.some((c) => c.track === warden && c.start <= at && c.start + c.length > at)).toBe(true);
});

test("export comes alive again after a list was chosen", async ({ bench: page }) => {
  const dialog = page.locator("#export"), file = dialog.locator("select").first();
  await page.getByRole("button", { name: "Export", exact: true }).click();
  await file.selectOption("otio");
  await page.keyboard.press("Escape");
  await page.getByRole("button", { name: "Export", exact: true }).click();
  // It still stands on the timeline, and writes it; and sound again when that is chosen.
  await expect(dialog.getByText("All of this edit can be written.")).toBeVisible();
  await expect(dialog.getByText("A reel is written as")).toHaveCount(0);
  await file.selectOption("wav");
  await expect(dialog.getByText("LUFS").first()).toBeVisible();
});

test("a muted track's seams are not heard, and are not called fine", async ({ bench: page }) => {
  const row = await choose(page, "Warden 2 → Warden 3");
  await page.locator(".trackhead", { hasText: "Warden" }).getByRole("button", { name: /^mute/i }).click();
  await expect(row).toHaveAttribute("data-verdict", "muted");
  await expect(page.locator("#verdict")).toContainText("Not heard: the track is muted.");
});

test("at 900 px all of it is in reach", async ({ bench: page }) => {
  for (const size of [{ width: 900, height: 600 }, { width: 960, height: 600 }]) {
    await page.setViewportSize(size);
    for (const name of ["Export", "Accept", "Undo"]) {
      const box = await page.getByRole("button", { name, exact: true }).first().boundingBox();
      expect(box.x + box.width).toBeLessThanOrEqual(size.width);
      expect(box.y + box.height).toBeLessThanOrEqual(size.height);
    }
    const foot = await page.locator(".foot").boundingBox();
    expect(foot.y + foot.height).toBeLessThanOrEqual(size.height + 1);
  }
});

test("a mark that begins right beside the last is a new one; its grips move it", async ({ bench: page }) => {
  await page.getByRole("tab", { name: "Sources" }).click();
  await page.locator("[data-source-row] button").filter({ hasText: "warden take 3" }).first().click();
  const box = await page.locator("#source-wave").boundingBox(), y = box.y + 20;
  const seconds = async () => Number(await page.getByLabel("In, s").inputValue());
  const drag = async (from, to, at) => {
    await page.mouse.move(box.x + from, at);
    await page.mouse.down();
    await page.mouse.move(box.x + to, at, { steps: 4 });
    await page.mouse.up();
  };
  await drag(100, 200, y);
  const first = await seconds();
  await drag(205, 300, y);
  const second = await seconds();
  expect(second).toBeGreaterThan(first + 0.1);
  // The grip of the out edge, in the middle of the wave, moves that edge alone.
  const out = async () => Number(await page.getByLabel("Out, s").inputValue()), was = await out();
  await drag(300, 360, box.y + (box.height - 30) / 2 + 4);
  expect(await seconds()).toBe(second);
  expect(await out()).toBeGreaterThan(was + 0.1);
});
