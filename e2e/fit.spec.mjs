import { choose, clipsOf, expect, goTo, load, pcm, same, saved, test, zoomed } from "./kit.mjs";

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

test("the reading planted too slow fits its place: the words keep their order and their pitch, and the room goes on after them", async ({
  bench: page,
  reel,
}) => {
  const rate = 48000,
    frame = 1920,
    was = await load(reel),
    [take] = was.reel.sources.filter((s) => s.name === "grower take 4"),
    // “I will get the matches.”, as demo/lines.json has it: read at 85 words a minute, all else at 140 and more.
    [from, to] = [391348, 488199],
    slow = was.reel.clips.find((c) => c.source === take.id && c.offset <= from && c.offset + c.length >= to),
    lastWord = slow.start + to - slow.offset,
    tc = (at) => {
      const f = Math.round(at / frame),
        two = (n) => String(Math.floor(n)).padStart(2, "0");
      return `01:${two(f / 1500)}:${two((f / 25) % 60)}:${two(f % 25)}`;
    };
  // Split after the reading, so that only it is fitted.
  await choose(page, `${slow.name}, start`);
  await page.locator("#tracks").press("5");
  const end = Math.round((lastWord + 0.3 * rate) / frame) * frame;
  await goTo(page, tc(end));
  await page.getByRole("button", { name: /^Split/ }).click();
  await saved(page, 2);
  const part = async () => (await load(reel)).reel.clips.find((c) => c.id === slow.id),
    before = await part();
  expect(before.start + before.length).toBe(end);
  // Its place is marked: seven eighths of what it takes.
  const place = Math.round((before.start + (before.length * 7) / 8) / frame) * frame;
  await choose(page, `${slow.name}, start`);
  await page.locator("#tracks").press("5");
  await goTo(page, tc(before.start));
  await page.keyboard.press("i");
  await goTo(page, tc(place));
  await page.keyboard.press("o");
  await expect(page.getByRole("group", { name: "Marked span" })).toBeVisible();
  const others = was.reel.clips.filter((c) => c.track !== slow.track).map((c) => c.id),
    alone = () => pcm(reel, before.start, end, `&silent=${others}`),
    spoken = await alone();
  await page.getByLabel("Fit to").selectOption("span");
  await saved(page, 3);
  const now = await part();
  expect(now.start).toBe(before.start); // the span begins at the clip's head, where it is within a frame
  expect(now.start + now.length).toBe(place);
  const by = now.length / before.length,
    fitted = await alone();
  // The first sound of the reading and the last, where the factor puts them within 30 ms.
  const sounds = (v) => {
    const loud = (i) => v.subarray(2 * i, 2 * i + 960).reduce((s, x) => s + x * x, 0) / 960 > 10 ** (-38 / 10),
      places = Array.from({ length: Math.floor(v.length / 2 / 480) - 1 }, (_, i) => i * 480).filter(loud);
    return [places[0], places.at(-1)];
  };
  const [a, b] = sounds(spoken),
    [x, y] = sounds(fitted);
  expect(Math.abs(x - a * by)).toBeLessThan(0.03 * rate);
  expect(Math.abs(y - b * by)).toBeLessThan(0.03 * rate);
  // The middle pitch of its voice, by the lags at which short stretches are most like themselves.
  const pitch = (v) => {
    const found = [],
      n = 1920,
      like = (at, lag) => {
        let [xy, xx, yy] = [0, 0, 0];
        for (let i = at; i < at + n; i += 2)
          [xy, xx, yy] = [xy + v[2 * i] * v[2 * (i + lag)], xx + v[2 * i] ** 2, yy + v[2 * (i + lag)] ** 2];
        return xy / Math.sqrt(xx * yy + 1e-12);
      };
    for (let at = a; at < v.length / 2 - n - 480 && at < b; at += 960) {
      let best = [0, 0];
      for (let lag = 150; lag < 480; lag++) {
        const r = like(at, lag);
        if (r > best[1] + 0.02) best = [lag, r]; // the shortest of those that are alike
      }
      if (best[1] > 0.85) found.push(rate / best[0]);
    }
    return found.sort((p, q) => p - q)[found.length >> 1];
  };
  expect(Math.abs(pitch(fitted) / pitch(spoken) - 1)).toBeLessThan(0.02);
  // The gap that it leaves is filled at its seam by one key: the room goes on.
  await page.keyboard.press("Escape");
  await choose(page, `${slow.name}, end`);
  await page.keyboard.press("c");
  await saved(page, 4);
  const bed = (await load(reel)).reel.clips.find((c) => c.track === slow.track && c.start >= place && c.start < end);
  expect([bed.start, bed.start + bed.length]).toEqual([place, end]);
  for (let i = 0; i < 3; i++) await page.keyboard.press("Control+z");
  await saved(page, 7);
  expect((await load(reel)).reel.clips).toEqual(was.reel.clips);
});
