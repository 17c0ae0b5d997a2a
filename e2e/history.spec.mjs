import { choose, clipsOf, expect, laid, load, saved, test, url, zoomed } from "./kit.mjs";

test("steps are gone to by a click, also those of another way; versions are kept, opened and gone back to", async ({
  bench: page,
  reel,
}) => {
  const first = await laid(reel);
  await page.getByRole("tab", { name: "History" }).click();
  await page.getByLabel("Name of a version").fill("before the trims");
  await page.getByRole("button", { name: "Save", exact: true }).click();
  await expect(page.locator("[data-version]")).toContainText("before the trims");
  await page.locator("#tracks").focus();
  await page.keyboard.press("2");
  const states = [first];
  for (let i = 2; i < 6; i++) {
    await page.keyboard.press("]");
    await saved(page, i);
    states.push(await laid(reel));
  }
  const steps = page.locator("[data-step]");
  await expect(steps).toHaveCount(5); // four, and how the reel began
  await steps.nth(2).click();
  await saved(page, 6);
  expect(await laid(reel)).toEqual(states[2]);
  await expect(steps.nth(2)).toHaveAttribute("aria-current", "step");
  await steps.nth(0).click();
  await saved(page, 7);
  expect(await laid(reel)).toEqual(states[4]);
  await steps.nth(4).click();
  await saved(page, 8);
  expect(await laid(reel)).toEqual(first);
  // Another way is taken; what was done before is not lost.
  await page.locator("#tracks").press("3");
  await page.keyboard.press("[");
  await saved(page, 9);
  const other = await laid(reel);
  await expect(page.locator('[data-step][data-state="dropped"]')).toHaveCount(4);
  await page.locator('[data-step][data-state="dropped"]').first().click();
  await saved(page, 10);
  expect(await laid(reel)).toEqual(states[4]);
  await page.locator("#tracks").press("Control+z");
  await saved(page, 11);
  expect(await laid(reel)).toEqual(other);
  // Back to the version, and the version as a reel of its own, after a reload.
  await page.reload();
  await page.getByRole("tab", { name: "History" }).click();
  await page.getByRole("button", { name: "Go back" }).click();
  await saved(page, 12);
  expect(await laid(reel)).toEqual(first);
  await page.getByRole("button", { name: "Open", exact: true }).click();
  await expect(page).not.toHaveURL(new RegExp(`/reels/${reel}$`));
  await expect(page.locator(".seamrow").first()).toBeVisible();
  expect(await laid(Number(/reels\/(\d+)/.exec(page.url())[1]))).toEqual(first);
});

test("markers: put, named, jumped to, snapped to, moved, removed", async ({ bench: page, reel }) => {
  await choose(page, "Warden 2 → Warden 3");
  await page.locator("#tracks").press("Shift+ArrowRight");
  await page.keyboard.press("m");
  await saved(page, 2);
  await expect(page.locator("[data-marker] input:focus")).toHaveValue(/^Marker/);
  await page.keyboard.type("breath");
  await page.keyboard.press("Enter");
  await saved(page, 3);
  const marks = async () => (await load(reel)).reel.markers.map((m) => m.text);
  expect(await marks()).toContain("breath");
  const { at } = (await load(reel)).reel.markers.find((m) => m.text === "breath");
  await page.locator("#tracks").press("Home");
  const time = page.locator("#timecode"),
    start = await time.inputValue();
  for (let i = 0; i < 4; i++) await page.keyboard.press("'");
  for (let i = 0; i < 4; i++) await page.keyboard.press(";");
  await page.keyboard.press("'");
  await expect(time).not.toHaveValue(start);
  // An edge that is dragged near it goes there to the sample.
  await page.getByRole("tab", { name: "Seams" }).click();
  await choose(page, "Warden 2 → Warden 3");
  await page.locator("#tracks").press("z");
  const [left] = await clipsOf(reel, "Warden 2"),
    cut = left.start + left.length,
    p = await zoomed(page, reel, cut),
    y = await p.y("Warden", "knot");
  await page.mouse.move(p.x(cut), y);
  await page.mouse.down();
  await page.mouse.move(p.x(at) - 4, y, { steps: 6 });
  await page.mouse.up();
  await saved(page, 4);
  expect((await clipsOf(reel, "Warden 3"))[0].start).toBe(at);
  await page.keyboard.press("Control+z");
  await saved(page, 5);
  // With ctrl held nothing pulls.
  await page.mouse.move(p.x(cut), y);
  await page.mouse.down();
  await page.keyboard.down("Control");
  await page.mouse.move(p.x(at) - 4, y, { steps: 6 });
  await page.mouse.up();
  await page.keyboard.up("Control");
  await saved(page, 6);
  expect((await clipsOf(reel, "Warden 3"))[0].start).not.toBe(at);
  await page.getByRole("tab", { name: "Markers" }).click();
  await page
    .locator("[data-marker]")
    .filter({ has: page.locator("input") })
    .nth(1)
    .getByRole("button", { name: "Remove the marker" })
    .click();
  await saved(page, 7);
  expect(await marks()).toHaveLength(3);
});

test("tracks: locked, reordered, coloured, tall, keeping their time; the keys work on several", async ({ bench: page, reel }) => {
  const order = async () => (await load(reel)).reel.tracks.sort((a, b) => a.place - b.place || a.id - b.id).map((t) => t.name);
  const heads = page.locator(".trackhead");
  const a = await heads.nth(0).boundingBox(),
    c = await heads.nth(2).boundingBox();
  await page.mouse.move(a.x + 60, a.y + 12);
  await page.mouse.down();
  await page.mouse.move(c.x + 60, c.y + c.height - 4, { steps: 8 });
  await page.mouse.up();
  await saved(page, 2);
  expect(await order()).toEqual(["Grower", "Room tone", "Warden", "Spots", "Music"]);
  await page.locator("#tracks").press("Alt+Shift+ArrowUp"); // the track of the chosen seam
  await saved(page, 3);
  expect(await order()).toEqual(["Grower", "Room tone", "Warden", "Music", "Spots"]);
  // The height is dragged at the lower edge of a head.
  const musicHead = heads.filter({ hasText: "Music" }),
    music = await musicHead.boundingBox();
  await page.mouse.move(music.x + 60, music.y + music.height - 3);
  await page.mouse.down();
  await page.mouse.move(music.x + 60, music.y + music.height + 37, { steps: 6 });
  await page.mouse.up();
  await expect.poll(async () => (await load(reel)).reel.tracks.find((t) => t.name === "Music").height).toBeGreaterThan(130);
  await musicHead.getByRole("button", { name: "Music" }).first().click();
  await page.getByLabel("Colour").selectOption("rose");
  await page.getByLabel(/Not rippled/).click(); // its mark follows when the edit is made
  await page.getByLabel("Locked").click();
  await expect
    .poll(async () => (await load(reel)).reel.tracks.find((t) => t.name === "Music"))
    .toMatchObject({ colour: "rose", stays: true, locked: true });
  // A locked track refuses, and unlocking is one click away.
  await choose(page, "opening bed a → opening bed b");
  await page.locator("#tracks").press("3");
  await page.keyboard.press("]");
  await expect(page.getByRole("alert")).toContainText("locked");
  await page.getByRole("button", { name: "Unlock it" }).click();
  await expect.poll(async () => (await load(reel)).reel.tracks.find((t) => t.name === "Music").locked).toBe(false);
  // Clips after the playhead on two tracks, chosen by keys and moved together by a millisecond.
  const before = await load(reel),
    at = 48000 * 50;
  await page.goto(`${url()}/reels/${reel}?at=${at}`);
  await expect(page.locator(".seamrow").first()).toBeVisible();
  await page.locator("#tracks").focus();
  for (let i = 0; i < 5; i++) await page.keyboard.press("ArrowUp");
  await page.keyboard.press("Shift+ArrowDown");
  await page.keyboard.press("Shift+A");
  await expect(page.getByRole("heading", { name: /clips$/ })).toBeVisible();
  const revision = before.revision;
  await page.keyboard.press("Alt+]");
  await expect.poll(async () => (await load(reel)).revision).toBe(revision + 1);
  const after = await load(reel),
    top = before.reel.tracks
      .sort((x, y) => x.place - y.place || x.id - y.id)
      .slice(0, 2)
      .map((t) => t.id);
  for (const c of before.reel.clips) {
    const now = after.reel.clips.find((o) => o.id === c.id);
    expect(now.start - c.start).toBe(top.includes(c.track) && c.start >= at ? 48 : 0);
  }
});
