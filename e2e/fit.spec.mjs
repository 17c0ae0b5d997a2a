import { choose, clipsOf, expect, load, pcm, same, saved, test, zoomed } from "./kit.mjs";

test("a clip is fitted by a typed percentage, to the gap, the span and by its edge; it is exactly so long, and as recorded at once", async ({
  bench: page,
  reel,
}) => {
  const clip = async () => (await clipsOf(reel, "Warden 1"))[0],
    was = await clip(),
    // Without its end: a blend there goes while it is shorter.
    body = () => pcm(reel, was.start, was.start + was.length - 24000),
    before = await body(),
    field = page.locator("#fit-length"),
    to = page.getByLabel("Fit to");
  await choose(page, "Warden 1, start");
  await page.locator("#tracks").press("5");
  await expect(field).toHaveValue("100 %");
  // Beyond all bounds: refused with the range, and the nearest is one click away.
  await field.fill("1000%");
  await field.press("Enter");
  await expect(page.getByRole("alert").first()).toContainText("25 to 400 %");
  await page.keyboard.press("Escape");
  // Shorter by a typed percentage.
  await field.fill("90 %");
  await field.press("Enter");
  await saved(page, 2);
  await expect(field).toHaveValue("90 %");
  const short = await clip();
  expect(short.length).toBe(Math.round(was.length * 0.9));
  const source = (await load(reel)).reel.sources.find((s) => s.id === short.source);
  expect(source.fit).toMatchObject({ in: was.offset, span: was.length });
  const sound = await pcm(reel, short.start, short.start + short.length),
    power = (v) => 10 * Math.log10(v.reduce((s, x) => s + x * x, 0) / v.length);
  expect(Math.abs(power(sound) - power(before))).toBeLessThan(0.8);
  // There is a gap now: as long as it was.
  await to.selectOption("gap");
  await saved(page, 3);
  expect((await clip()).length).toBe(was.length);
  await page.locator("#tracks").press("Control+z");
  await saved(page, 4);
  expect((await clip()).length).toBe(short.length);
  // As recorded, by key: nothing has to be computed.
  await page.locator("#tracks").press("Control+Alt+r");
  await saved(page, 5);
  expect(await clip()).toMatchObject({ offset: was.offset, length: was.length, source: was.source });
  expect(same(await body(), before)).toBe(true);
  // By its edge, with Ctrl held when it is taken: in words beside the pointer, then done.
  await page.locator("#tracks").press("z");
  const end = was.start + was.length;
  await choose(page, "Warden 1 → Warden 2");
  await page.locator("#tracks").press("z");
  const view = await zoomed(page, reel, end),
    y = await view.y("Warden", "edge");
  await page.keyboard.down("Control");
  await page.mouse.move(view.x(end) - 3, y);
  await page.mouse.down();
  await page.mouse.move(view.x(end) - 40, y, { steps: 4 });
  await expect(page.locator("#hint")).toContainText(/“Warden 1” .* long, 9\d %/);
  await page.keyboard.up("Control");
  await page.mouse.up();
  await saved(page, 6);
  const dragged = await clip();
  expect(dragged.start).toBe(was.start);
  expect(dragged.length).toBeLessThan(was.length);
  expect((await load(reel)).reel.sources.find((s) => s.id === dragged.source).fit.span).toBe(was.length);
  // What was fitted is among the jobs.
  await page.locator("#tracks").press("Control+Alt+j");
  await expect(page.locator("#jobs [data-job]").first()).toContainText("Warden 1");
  await expect(page.locator("#jobs [data-job]").first()).toHaveAttribute("data-state", "done");
});

test("only the pauses are shortened: no word is touched, it is said what a stretch would do, and one step takes it back", async ({
  bench: page,
  reel,
}) => {
  const [was] = await clipsOf(reel, "Warden 3"),
    onTrack = async () => (await load(reel)).reel.clips.filter((c) => c.track === was.track).sort((a, b) => a.start - b.start),
    before = await onTrack(),
    field = page.locator("#fit-length");
  await choose(page, "Warden 2 → Warden 3");
  await page.locator("#tracks").press("5");
  await page.getByLabel("pauses", { exact: true }).check();
  await field.fill("30 %");
  await field.press("Enter");
  await expect(page.getByRole("alert").first()).toContainText(/The pauses of “Warden 3” bring it to .* at most, and to .* at least/);
  await page.keyboard.press("Escape");
  await field.fill("95 %");
  await field.press("Enter");
  await saved(page, 2);
  await expect(page.locator("#hint")).toContainText(/pauses? changed by up to .*, no word touched\. By speed it would be 95 %/);
  const now = await onTrack(),
    parts = now.filter((c) => !before.some((o) => o.id === c.id && o.length === c.length && o.offset === c.offset));
  expect(now.length).toBeGreaterThan(before.length);
  expect(parts.every((c) => c.source === was.source)).toBe(true);
  const long = parts.reduce((n, c) => n + c.length, 0);
  expect(long).toBe(Math.round(was.length * 0.95));
  // What is said at its start is as it was.
  const words = await pcm(reel, was.start, was.start + 48000);
  await page.locator("#tracks").press("Control+z");
  await saved(page, 3);
  expect(same(await pcm(reel, was.start + 4800, was.start + 48000), words.subarray(2 * 4800))).toBe(true);
  expect(await onTrack()).toEqual(before);
});
