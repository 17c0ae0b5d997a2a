import { api, choose, clipsOf, expect, load, pcm, same, saved, test, zoomed } from "./kit.mjs";

/** The points of a clip's line, by time in the reel. */
async function lineOf(reel, clip) {
  const { points = [] } = (await load(reel)).reel;
  return points
    .filter((p) => p.clip === clip.id)
    .map((p) => ({ ...p, here: p.at + clip.start - clip.offset }))
    .sort((a, b) => a.at - b.at);
}

/** What a clip alone sounds like, between two places of the reel. */
async function alone(reel, clip, from, to) {
  const others = (await load(reel)).reel.clips.filter((c) => c.id !== clip.id).map((c) => c.id);
  return pcm(reel, from, to, `&silent=${others.join(",")}`);
}

/** The gain between two sounds in dB, where there is sound. */
function between(now, was) {
  let a = 0,
    b = 0;
  for (let i = 0; i < now.length; i++) [a, b] = [a + now[i] ** 2, b + was[i] ** 2];
  return 10 * Math.log10(a / b);
}

async function showClip(page, reel, name) {
  const [clip] = await clipsOf(reel, name),
    track = (await load(reel)).reel.tracks.find((t) => t.id === clip.track).name;
  await choose(page, `${name}, start`);
  await page.locator("#tracks").press("z");
  const at = await zoomed(page, reel, clip.start);
  return { clip, track, at };
}

test("a ride by keys alone: points at the playhead, nudged, typed, eased and removed; it is heard so", async ({ bench: page, reel }) => {
  const { clip } = await showClip(page, reel, "Grower 1");
  const tracks = page.locator("#tracks"),
    go = async (at) => {
      await page.locator("#timecode").fill(at);
      await page.locator("#timecode").press("Enter");
      await tracks.focus();
    };
  await tracks.focus();
  await go("01:00:15:10");
  await tracks.press("9");
  await saved(page, 2);
  await go("01:00:16:00");
  await tracks.press("9");
  await saved(page, 3);
  await expect(page.locator("#points")).toContainText("on “Grower 1”");
  // The one that was put is selected: keys of gain and of time act on it.
  const was = await alone(reel, clip, clip.start, clip.start + clip.length);
  for (let r = 4; r <= 6; r++) {
    await page.keyboard.press("Control+Shift+ArrowDown");
    await saved(page, r);
  }
  await page.keyboard.press("]");
  await saved(page, 7);
  let line = await lineOf(reel, clip);
  expect(line.map((p) => p.db)).toEqual([0, -9]);
  expect(line[1].here).toBe(48000 * 16 + 1920);
  const now = await alone(reel, clip, clip.start, clip.start + clip.length);
  const after = 2 * (line[1].here - clip.start); // two channels
  expect(between(now.slice(after), was.slice(after))).toBeCloseTo(-9, 3);
  expect([...now.slice(0, 2 * (line[0].here - clip.start))]).toEqual([...was.slice(0, 2 * (line[0].here - clip.start))]);
  // Exactly, by number.
  await page.getByLabel("Level, dB").fill("-12.25");
  await page.getByLabel("Level, dB").press("Enter");
  await saved(page, 8);
  await page.getByLabel("At", { exact: true }).fill("01:00:17:00");
  await page.getByLabel("At", { exact: true }).press("Enter");
  await saved(page, 9);
  line = await lineOf(reel, clip);
  expect(line[1]).toMatchObject({ db: -12.25, here: 48000 * 17 });
  // To the other point, eased, and both together.
  await tracks.focus();
  await page.keyboard.press("Alt+8");
  await expect(page.getByLabel("Level, dB")).toHaveValue("0.0");
  await page.getByRole("button", { name: "Eased" }).click();
  await saved(page, 10);
  expect((await lineOf(reel, clip))[0].eased).toBe(true);
  await tracks.focus();
  await page.keyboard.press("Alt+7");
  await expect(page.locator("#points")).toContainText("2 points");
  await page.keyboard.press("Control+ArrowUp");
  await saved(page, 11);
  expect((await lineOf(reel, clip)).map((p) => p.db)).toEqual([0.5, -11.75]);
  // The line is hidden by a key, and shown again; the points are removed by a key.
  await page.keyboard.press("Alt+r");
  await expect(page.locator(".foot")).toContainText("Gain lines hidden");
  await page.keyboard.press("Alt+r");
  await page.keyboard.press("Delete");
  await saved(page, 12);
  expect(await lineOf(reel, clip)).toEqual([]);
  await expect(page.locator("#points")).toHaveCount(0);
  for (let r = 13; r <= 23; r++) {
    await page.keyboard.press("Control+z");
    await saved(page, r);
  }
  expect(same(await alone(reel, clip, clip.start, clip.start + clip.length), was)).toBe(true);
});

test("a span is lowered by key and has four points; its two low ones are boxed and dragged together", async ({ bench: page, reel }) => {
  const { clip, track, at } = await showClip(page, reel, "Grower 1");
  const y = await at.y(track, "wave"),
    box = await page.locator("#lanes").boundingBox();
  // A span along the wave.
  const from = at.x(clip.start + 20000),
    to = at.x(clip.start + 60000);
  await page.mouse.move(from, y);
  await page.mouse.down();
  await page.mouse.move((from + to) / 2, y);
  await page.mouse.move(to, y);
  await page.mouse.up();
  await page.locator("#tracks").focus();
  for (let r = 2; r <= 4; r++) {
    await page.keyboard.press("Alt+-");
    await saved(page, r);
  }
  const four = await lineOf(reel, clip);
  expect(four.map((p) => p.db)).toEqual([0, -3, -3, 0]);
  expect(four[1].here - four[0].here).toBe(2400);
  await page.keyboard.press("Escape");
  // A box around the two in the middle.
  const mid = (four[1].here + four[2].here) / 2,
    half = (four[2].here - four[1].here) / 2 + 1000;
  const row = await at.y(track, "tab"),
    low = Math.min(row + 74, box.y + box.height - 2);
  await page.keyboard.down("Alt");
  await page.mouse.move(at.x(mid - half), row + 14);
  await page.mouse.down();
  await page.mouse.move(at.x(mid), low - 8);
  await page.mouse.move(at.x(mid + half), low);
  await page.mouse.up();
  await page.keyboard.up("Alt");
  await expect(page.locator("#points")).toContainText("2 points");
  // One of them is found by what the foot line says, and dragged with shift: level alone.
  const x = at.x(four[1].here);
  let bead = 0;
  for (let k = row + 12; k < low && !bead; k += 2) {
    await page.mouse.move(x, k);
    if (/Drag the point/.test(await page.locator(".foot").textContent())) bead = k;
  }
  expect(bead).toBeGreaterThan(0);
  await page.mouse.move(x, bead);
  await page.mouse.down();
  await page.keyboard.down("Shift");
  await page.mouse.move(x + 1, bead + 20);
  await page.mouse.move(x + 1, bead + 30);
  await expect(page.locator(".foot")).toContainText("2 points by −6.0 dB");
  await page.mouse.up();
  await page.keyboard.up("Shift");
  await saved(page, 5);
  const dragged = await lineOf(reel, clip);
  expect(dragged.map((p) => p.db)).toEqual([0, -9, -9, 0]);
  expect(dragged.map((p) => p.at)).toEqual(four.map((p) => p.at));
  // Escape on the way leaves all as it was.
  await page.mouse.move(x, bead + 8);
  await page.mouse.down();
  await page.mouse.move(x, bead + 30);
  await page.keyboard.press("Escape");
  await page.mouse.up();
  expect((await load(reel)).revision).toBe(5);
});

test("music goes down under speech by one key, its field sets how far, a bead is kept when it is updated", async ({
  bench: page,
  reel,
}) => {
  const v = await load(reel),
    music = v.reel.tracks.find((t) => t.role === "music"),
    speech = v.reel.tracks.filter((t) => t.role === "dialogue").map((t) => t.id);
  const musicAlone = async (from, to) => {
    const others = (await load(reel)).reel.clips.filter((c) => c.track !== music.id).map((c) => c.id);
    return pcm(reel, from, to, `&silent=${others.join(",")}`);
  };
  const [bed] = await clipsOf(reel, "opening bed b"),
    first = v.reel.clips.filter((c) => speech.includes(c.track)).sort((a, b) => a.start - b.start)[0];
  const end = bed.start + bed.length,
    was = await musicAlone(first.start, end);
  await page.locator("#tracks").focus();
  await page.keyboard.press("Alt+a");
  await saved(page, 2);
  await expect(page.locator(".foot")).toContainText("Music goes down by 9 dB under");
  const line = async () => ((await load(reel)).reel.points ?? []).filter((p) => p.track === music.id).sort((a, b) => a.at - b.at);
  const dips = await line();
  expect(dips.every((p) => p.duck === "made")).toBe(true);
  // In the middle of the first dip the music is lower by just that.
  const low = dips.findIndex((p) => p.db === -9),
    from = Math.max(dips[low].at, first.start) - first.start,
    to = Math.min(dips[low + 1].at, end) - first.start;
  expect(to - from).toBeGreaterThan(10000);
  expect(between((await musicAlone(first.start, end)).slice(2 * from, 2 * to), was.slice(2 * from, 2 * to))).toBeCloseTo(-9, 3);
  // By pointer: the head of the track, and the field of its depth.
  await page.locator("#tracks").getByText("Music", { exact: true }).first().click();
  await page.getByLabel("Down by, dB").fill("12");
  await page.getByLabel("Down by, dB").press("Enter");
  await saved(page, 3);
  expect((await line())[low].db).toBe(-12);
  // What is altered by hand stays.
  await page.locator("#tracks").focus();
  await page.keyboard.press("Home");
  for (let k = 0; k < low + 1; k++) await page.keyboard.press("Alt+0");
  await expect(page.locator("#points")).toContainText("under speech, track Music");
  await page.keyboard.press("Control+ArrowUp");
  await saved(page, 4);
  await page.keyboard.press("Escape");
  await page.getByRole("button", { name: "Update", exact: true }).click();
  await expect(page.getByRole("alert")).toContainText("1 dip adjusted by hand is kept");
  expect((await line())[low]).toMatchObject({ db: -11.5, duck: "altered" });
  await page.getByRole("button", { name: "Remove duck" }).click();
  await expect.poll(line).toEqual([]);
  expect(same(await musicAlone(first.start, end), was)).toBe(true);
});

test("a duck that the speech has left is told at the foot, and brought up to date by one key from anywhere", async ({
  bench: page,
  reel,
}) => {
  const tracks = page.locator("#tracks"),
    line = async () => {
      const v = (await load(reel)).reel,
        music = v.tracks.find((t) => t.name === "Music").id;
      return (v.points ?? [])
        .filter((p) => p.track === music && p.duck)
        .map((p) => [p.at, p.db])
        .sort((a, b) => a[0] - b[0]);
    },
    told = page.locator("#stale-ducks");
  await tracks.getByText("Music", { exact: true }).first().click();
  await page.locator("#duck").getByRole("button", { name: "Duck" }).click();
  await saved(page, 2);
  const before = await line();
  await expect(told).toHaveCount(0);
  // The last line of all is said three seconds later.
  const [last] = await clipsOf(reel, "Grower 8");
  await api("POST", `/reels/${reel}/edits`, { base: 2, edit: { do: "move", with: { clips: [last.id], by: 3 * 48000 } } });
  await saved(page, 3);
  await expect(told).toHaveText("update duck");
  await choose(page, "Warden 2 → Warden 3");
  await page.locator("#tracks").press("Alt+a");
  await saved(page, 4);
  await expect(told).toHaveCount(0);
  expect((await line()).at(-1)[0] - before.at(-1)[0]).toBe(3 * 48000);
  await page.keyboard.press("Control+z");
  await saved(page, 5);
  expect(await line()).toEqual(before);
  await expect(told).toHaveText("update duck");
  await told.click();
  await saved(page, 6);
  await expect(told).toHaveCount(0);
});

test("points let go of the keys at the next seam; an empty gain line is in no one's way", async ({ bench: page, reel }) => {
  const { clip, track } = await showClip(page, reel, "Grower 1");
  const tracks = page.locator("#tracks");
  await page.locator("#timecode").fill("01:00:16:00");
  await page.locator("#timecode").press("Enter");
  await tracks.focus();
  await tracks.press("9");
  await saved(page, 2);
  const [was] = await lineOf(reel, clip);
  // The next seam: the keys trim it, and the point stays where it is.
  await page.keyboard.press("n");
  await expect(page.locator("#points")).toHaveCount(0);
  await page.keyboard.press("[");
  await saved(page, 3);
  expect((await load(reel)).undo).not.toContain("point");
  await page.keyboard.press("Control+z");
  await saved(page, 4);
  expect((await lineOf(reel, clip))[0].at).toBe(was.at);
  await page.keyboard.press("Control+z");
  await saved(page, 5);
  // A clip that is selected shows where a line would be. A drag along it marks a span as elsewhere.
  const { at } = await showClip(page, reel, "Grower 1");
  await page.mouse.click(at.x(clip.start + 24000), await at.y(track, "tab"));
  const row = await at.y(track, "tab"),
    x = at.x(clip.start + 30000);
  let y = 0;
  for (let k = row + 14; k < row + 80 && !y; k++) {
    await page.mouse.move(x, k);
    if (/Alt-click adds a point/.test(await page.locator(".foot").textContent())) y = k + 1;
  }
  expect(y).toBeGreaterThan(0);
  await page.mouse.move(x, y);
  await page.mouse.down();
  await page.mouse.move(x + 20, y);
  await page.mouse.move(x + 60, y);
  await page.mouse.up();
  await expect(page.getByRole("group", { name: "Marked span" })).toBeVisible();
  expect((await load(reel)).revision).toBe(5);
  // With alt a point is added there.
  await page.keyboard.press("Escape");
  await page.keyboard.down("Alt");
  await page.mouse.click(x, y);
  await page.keyboard.up("Alt");
  await saved(page, 6);
  expect(Math.abs((await lineOf(reel, clip))[0].here - (clip.start + 30000))).toBeLessThan(2000);
});

test.describe("with ears", () => {
  test.use({ bypassCSP: true });

  test("a ride is written while the reel plays, by a held key and by the fader: few points, one step, heard at once", async ({
    bench: page,
    reel,
  }) => {
    const [clip] = await clipsOf(reel, "Warden 1"),
      go = async () => {
        await page.locator("#timecode").fill("01:00:12:00");
        await page.locator("#timecode").press("Enter");
        await page.locator("#tracks").focus();
      },
      playing = (more) => expect.poll(() => page.evaluate(() => window.heard.length)).toBeGreaterThan(more),
      blocks = () => page.evaluate(() => window.heard.length);
    await choose(page, "Warden 1, start");
    await go();
    await page.keyboard.press("PageDown");
    await expect(page.getByText("a ride is written while it plays")).toBeVisible();
    const was = await pcm(reel, clip.start, clip.start + 5 * 48000);
    await page.keyboard.press("Space");
    await playing(100);
    await page.keyboard.down("PageDown");
    await expect(page.locator("#hint")).toContainText(/Writing a ride on Warden: −([6-9]|1\d)/);
    await page.keyboard.up("PageDown");
    await playing((await blocks()) + 100); // the level stays where it was let go
    await page.keyboard.press("Space");
    await saved(page, 2);
    const { points } = (await load(reel)).reel;
    expect(points.every((p) => p.track === clip.track)).toBe(true);
    expect(points.length).toBeLessThanOrEqual(6);
    expect(points.length).toBeGreaterThanOrEqual(4);
    const least = Math.min(...points.map((p) => p.db));
    expect(least).toBeLessThan(-5.5);
    const last = points.sort((a, b) => a.at - b.at).at(-1);
    expect(last.db).toBe(0);
    await page.keyboard.press("Control+z");
    await saved(page, 3);
    expect(same(await pcm(reel, clip.start, clip.start + 5 * 48000), was)).toBe(true);

    // By the fader on the card of a clip, its own line: it is heard before it is kept.
    const [fan] = await clipsOf(reel, "fan, first half"),
      { tracks } = (await load(reel)).reel;
    for (const t of tracks.filter((t) => t.id !== fan.track))
      await api("POST", `/reels/${reel}/edits`, {
        base: (await load(reel)).revision,
        edit: { do: "setTrack", with: { track: t.id, mute: true } },
      });
    const { revision } = await load(reel);
    await saved(page, revision);
    await choose(page, "fan, first half, start");
    await page.locator("#tracks").press("z");
    const view = await zoomed(page, reel, fan.start);
    await page.mouse.click(view.x(fan.start + 24000), await view.y("Room tone", "tab"));
    const fader = await page.getByLabel("Write a ride while it plays, dB").boundingBox(),
      middle = fader.y + fader.height / 2;
    await page.locator("#timecode").fill("01:00:06:00");
    await page.locator("#timecode").press("Enter");
    await page.locator("#tracks").focus();
    await page.keyboard.press("Space");
    await playing((await blocks()) + 100);
    await page.mouse.move(fader.x + fader.width * 0.77, middle);
    await page.mouse.down();
    await page.mouse.move(fader.x + 2, middle, { steps: 6 });
    await page.waitForFunction(() => window.heard.slice(-80).every((b) => b[0].every((x) => Math.abs(x) < 1e-5)));
    expect((await load(reel)).revision).toBe(revision);
    await page.mouse.up();
    await saved(page, revision + 1);
    await page.keyboard.press("Space");
    const line = await lineOf(reel, fan);
    expect(Math.min(...line.map((p) => p.db))).toBe(-144);
    expect(line.at(-1).db).toBe(0);
  });
});
