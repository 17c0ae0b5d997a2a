import { choose, clipsOf, expect, load, pcm, same, saved, test, zoomed } from "./kit.mjs";

test("clips are merged by key and pointer, sound bit for bit as before, and come back after edits elsewhere and a reload", async ({
  bench: page,
  reel,
}) => {
  const [a] = await clipsOf(reel, "Warden 1"),
    [b] = await clipsOf(reel, "Warden 2"),
    heard = () => pcm(reel, a.start, b.start + b.length + 48000),
    lane = async () => (await load(reel)).reel.clips.filter((c) => c.track === a.track);
  const before = await heard(),
    many = (await lane()).length,
    alert = page.getByRole("alert"),
    merged = page.getByRole("button", { name: "Restore its clips" });
  await choose(page, "Warden 1 → Warden 2");
  await page.locator("#tracks").press("5"); // the clip after the cut alone
  await page.locator("#tracks").press("Control+Alt+m");
  await expect(alert).toContainText("one clip as recorded: nothing to merge");
  await page.keyboard.press("Escape");
  // Both by pointer.
  await page.locator("#tracks").press("z");
  const view = await zoomed(page, reel, a.start + a.length),
    tab = await view.y("Warden", "tab");
  await page.mouse.click(view.x(a.start + a.length - 12000), tab);
  await page.keyboard.down("Control");
  await page.mouse.click(view.x(b.start + 12000), tab);
  await page.keyboard.up("Control");
  await page.locator("#tracks").press("Control+Alt+m");
  await saved(page, 2);
  await expect(page.locator("#hint")).toContainText("2 clips merged");
  expect((await lane()).length).toBe(many - 1);
  expect(same(await heard(), before)).toBe(true);
  await expect(merged).toBeVisible();
  // Something else is done, and the page comes anew.
  await page.locator("#tracks").press("m");
  await saved(page, 3);
  await page.reload();
  await expect(page.locator(".seamrow").first()).toBeVisible();
  await choose(page, "Warden 1, merged, start");
  await page.locator("#tracks").press("5");
  await merged.click();
  await saved(page, 4);
  expect((await lane()).length).toBe(many);
  expect(same(await heard(), before)).toBe(true);
  expect((await clipsOf(reel, "Warden 2"))[0]).toMatchObject({ start: b.start, offset: b.offset, length: b.length });
  // A span of the track, by keys; one step takes it back.
  await page.locator("#tracks").press("v");
  await page.locator("#tracks").press("Control+Alt+m");
  await expect(page.locator("#hint")).toContainText("merged");
  await saved(page, 5);
  expect(same(await heard(), before)).toBe(true);
  await page.locator("#tracks").press("Control+z");
  await saved(page, 6);
  expect((await lane()).length).toBe(many);
});
