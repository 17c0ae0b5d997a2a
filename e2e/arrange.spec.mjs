import { api, choose, clipsOf, expect, laid, load, pcm, saved, test, url, zoomed } from "./kit.mjs";

test.describe("the rough layout becomes the tight one", () => {
  test.use({ of: 2 });

  test("by pointer alone", async ({ bench: page, reel }) => {
    await page.getByRole("button", { name: "the worst first" }).click();
    let revision = 1;
    const done = async () => saved(page, ++revision);
    /** Goes to a seam of the ledger, zooms there, and gives the places. */
    const at = async (title) => {
      const row = page.getByRole("option").filter({ hasText: title }).first();
      // From the top on: where the wheel came late, the list stood further down than was seen, and the row above it.
      await page.locator("#ledger").hover();
      await page.mouse.wheel(0, -5000);
      await expect.poll(() => page.locator("#ledger").evaluate((l) => l.scrollTop)).toBe(0);
      for (let i = 0; i < 12 && !(await row.isVisible()); i++) {
        await page.mouse.wheel(0, 300);
        await page.evaluate(() => new Promise((go) => requestAnimationFrame(() => requestAnimationFrame(go))));
      }
      await row.click();
      await page.getByRole("button", { name: "Zoom the timeline to the seam" }).click();
      const end = /^(.*), (start|end)$/.exec(title),
        names = !end ? title.split(" → ") : end[2] === "start" ? ["", end[1]] : [end[1], ""],
        v = await load(reel),
        { body } = await api("GET", `/reels/${reel}/seams`);
      const name = (id) => v.reel.clips.find((c) => c.id === id)?.name ?? "";
      const seam = body.seams.find((s) => name(s.left) === names[0] && name(s.right) === names[1]).at;
      return { ...(await zoomed(page, reel, seam)), seam };
    };
    const drag = async (x0, y0, x1, y1 = y0) => {
      await page.mouse.move(x0, y0);
      await page.mouse.down();
      await page.mouse.move((x0 + x1) / 2, (y0 + y1) / 2, { steps: 4 });
      await page.mouse.move(x1, y1, { steps: 4 });
      // What it leads to is said while it is dragged.
      await expect(page.locator("#hint")).toContainText(/frames|samples|onto|content/);
      await page.mouse.up();
    };
    const marker = async (text) => (await load(reel)).reel.markers.find((m) => m.text === text).at;

    // The slack at the end of the first line: its tail to the marker, and its track closes up.
    await page.getByRole("radio", { name: "on track" }).click();
    let p = await at("Warden 1 → Warden 2");
    await drag(p.x(p.seam) - 4, await p.y("Warden", "wave"), p.x(await marker("out here")) - 2);
    await done();
    // The hole: what comes later closes up on all tracks.
    await page.getByRole("radio", { name: "follow" }).click();
    await at("Warden 2, end");
    await page.getByRole("button", { name: "Close the gap" }).click();
    await done();
    await at("Grower 2 → Grower 3");
    await page.getByRole("button", { name: /^Blend 240 ms across/ }).click();
    await done();
    // The cut that lies too early is rolled to its marker.
    p = await at("Warden 3 → Warden 4");
    await drag(p.x(p.seam), await p.y("Warden", "knot"), p.x(await marker("cut here")) + 2);
    await done();
    // The phrase that begins twice: the piece between goes, and the rest is one clip again.
    p = await at("Warden 5 → Warden 5");
    const piece = (await clipsOf(reel, "Warden 5"))[1];
    await page.mouse.click(p.x(piece.start + piece.length / 2), await p.y("Warden", "tab"));
    await page.getByRole("button", { name: "Remove", exact: true }).click();
    await done();
    await at("Warden 5 → Warden 5");
    await page.getByRole("button", { name: "Join" }).click();
    await done();
    // The line that is said twice.
    p = await at("Grower 4 → Grower 4");
    await page.mouse.click(p.x(p.seam) + 40, await p.y("Grower", "tab"));
    await page.getByRole("button", { name: "Remove", exact: true }).click();
    await done();
    // A head that begins too early, to its marker.
    p = await at("Warden 6 → Warden 7");
    await drag(p.x(p.seam) + 4, await p.y("Warden", "wave"), p.x(await marker("in here")) + 6);
    await done();
    // Content that stands ten frames late is slipped on its ribbon.
    p = await at("Grower 6 → Grower 7");
    await drag(p.x(p.seam) + 300, await p.y("Grower", "ribbon"), p.x(p.seam - 10 * 1920) + 300);
    await done();
    // The door goes back up to its own track.
    p = await at("door, start");
    await drag(p.x(p.seam) + 20, await p.y("Music", "tab"), p.x(p.seam) + 21, await p.y("Spots", "tab"));
    await done();

    expect(await laid(reel)).toEqual(await laid(1));
    expect(await pcm(reel, 0, 48000 * 20)).toEqual(await pcm(1, 0, 48000 * 20));
  });

  test("by keys alone", async ({ bench: page, reel }) => {
    await page.getByRole("button", { name: "the worst first" }).press("Enter");
    await page.locator("#tracks").focus();
    let revision = 1;
    const press = async (...keys) => {
      for (const k of keys) await page.keyboard.press(k);
    };
    const did = async (...keys) => {
      for (const k of keys) {
        await page.keyboard.press(k);
        await saved(page, ++revision);
      }
    };
    /** Goes from seam to seam until one is chosen. */
    const to = async (title) => {
      const chosen = page.locator('.seamrow[aria-selected="true"]');
      const heading = page.getByRole("heading", { name: /^Seam \d/ });
      let key = "n";
      for (let i = 0; i < 120; i++) {
        if ((await chosen.textContent()).includes(title)) return;
        // An edit may number the seams anew meanwhile: the title tells as well.
        const here = async () => `${await heading.textContent()} ${await chosen.textContent()}`;
        const before = await here(),
          was = await heading.textContent(),
          count = parseInt(await page.locator("footer .num").textContent(), 10);
        if (was === `Seam ${count}`) key = "p";
        await press(key);
        await expect.poll(here).not.toBe(before);
      }
      throw new Error(`no seam ${title}`);
    };
    await press("Shift+F");
    await to("Warden 1 → Warden 2");
    await press("1");
    await did("{", "{");
    await press("f");
    await to("Warden 2, end");
    await did("Alt+c");
    await to("Grower 2 → Grower 3");
    await did("b");
    await to("Warden 3 → Warden 4");
    await press("3");
    await did("}", "]", "]");
    await to("Warden 5 → Warden 5");
    await press("5");
    await did("Delete");
    await press("Escape");
    await to("Warden 5 → Warden 5");
    await did("Shift+S");
    await to("Grower 4 → Grower 4");
    await press("5");
    await did("Delete");
    await press("Escape");
    await to("door, start");
    await press("5");
    await did("Alt+ArrowUp");
    await press("Escape");
    await to("Warden 6 → Warden 7");
    await press("2");
    await did("}", "]", "]", "]", "]", "]");
    await to("Grower 6 → Grower 7");
    await press("5", "6");
    await did("{");
    expect(await laid(reel)).toEqual(await laid(1));
  });
});

test("the middle of a clip goes in one gesture: mark a span, delete; and closes with the other key", async ({ bench: page, reel }) => {
  await choose(page, "Warden 3 → Warden 4");
  await page.locator("#tracks").press("z");
  const [warden] = await clipsOf(reel, "Warden 3"),
    p = await zoomed(page, reel, warden.start + warden.length),
    y = await p.y("Warden", "wave");
  const mark = async () => {
    await page.mouse.move(p.x(warden.start + warden.length - 60000), y);
    await page.mouse.down();
    await page.mouse.move(p.x(warden.start + warden.length - 30000), y, { steps: 5 });
    await page.mouse.up();
    await expect(page.getByRole("group", { name: "Marked span" })).toBeVisible();
  };
  await mark();
  await page.keyboard.press("Delete");
  await saved(page, 2);
  let pieces = await clipsOf(reel, "Warden 3");
  expect(pieces).toHaveLength(2);
  const gap = pieces[1].start - pieces[0].start - pieces[0].length;
  expect(gap).toBeGreaterThan(20000);
  expect(gap % 1920).toBe(0); // snapped to frames
  expect(pieces[1].offset - pieces[0].offset - pieces[0].length).toBe(gap);
  // The gap is silent now, and nothing else of the track has moved.
  const rest = (await clipsOf(reel, "Warden 4"))[0];
  await page.keyboard.press("Control+z");
  await saved(page, 3);
  await mark();
  // Other tracks lie across, so closing up on all is refused, and on this one offered.
  await page.keyboard.press("Alt+Delete");
  await expect(page.getByRole("alert")).toContainText(/would follow|is in the time/);
  await page.getByRole("button", { name: "Close the gap on this track only" }).click();
  await saved(page, 4);
  pieces = await clipsOf(reel, "Warden 3");
  expect(pieces[1].start).toBe(pieces[0].start + pieces[0].length);
  expect((await clipsOf(reel, "Warden 4"))[0].start).toBe(rest.start - gap);
});

test("a drag stops where the material ends, says why, and the word is kept", async ({ bench: page, reel }) => {
  await choose(page, "opening bed a → opening bed b");
  await page.locator("#tracks").press("z");
  const [left] = await clipsOf(reel, "opening bed a"),
    p = await zoomed(page, reel, left.start + left.length),
    y = await p.y("Music", "knot");
  const x = p.x(left.start + left.length);
  await page.mouse.move(x, y);
  await page.mouse.down();
  await page.mouse.move(x + 80, y, { steps: 4 });
  await expect(page.locator("#hint")).toContainText(/“opening bed a” [\d.]+ frames longer, “opening bed b” [\d.]+ frames shorter/);
  await page.mouse.move(20, y, { steps: 6 });
  await page.keyboard.press("Escape"); // backed out of: nothing was saved
  await page.mouse.up();
  await expect(page.locator("#save")).toContainText("r1");
  await page.locator("#tracks").press("z"); // beyond the side the view went along
  // With later clips staying, a tail stops at the clip that comes next.
  await page.mouse.move(x - 4, await p.y("Music", "edge"));
  await page.mouse.down();
  await page.mouse.move(x + 150, await p.y("Music", "edge"), { steps: 6 });
  await expect(page.locator("#hint")).toContainText("begins where “opening bed a” ends");
  await page.mouse.up();
  await expect(page.getByRole("alert")).toContainText("Let later clips follow, or roll the cut");
  expect((await clipsOf(reel, "opening bed a"))[0]).toEqual(left);
});

test("copy, cut and paste over tracks, with the blends inside; where there is no room the way out is one click", async ({
  bench: page,
  reel,
}) => {
  const before = await load(reel),
    lines = before.reel.clips.filter((c) => /^(Warden|Grower) [12]$/.test(c.name));
  const from = Math.min(...lines.map((c) => c.start)),
    to = Math.max(...lines.map((c) => c.start + c.length));
  await choose(page, "Warden 1, start");
  await page.locator("#tracks").press("Shift+ArrowDown"); // the Grower's track as well
  await page.keyboard.press("a");
  await expect(page.getByRole("heading", { name: /clips$/ })).toBeVisible();
  await page.keyboard.press("Escape");
  await page.keyboard.press("Home");
  await page.keyboard.press("u");
  await expect(page.getByRole("alert")).toContainText("No clip at the playhead");
  await page.goto(`${url()}/reels/${reel}?at=${from}`);
  await expect(page.locator(".seamrow").first()).toBeVisible();
  // Both voices' first two clips by clicks, the second with shift.
  for (const [i, title] of ["Warden 1, start", "Grower 1, start"].entries()) {
    await choose(page, title);
    await page.locator("#tracks").press("5");
    if (i === 0) await page.keyboard.press("Control+c");
  }
  await page.keyboard.press("Control+v"); // lies on what is there
  await expect(page.getByRole("alert")).toContainText("follow, to make room");
  await page.getByRole("button", { name: "Paste it there" }).click();
  await saved(page, 2);
  expect(await clipsOf(reel, "Warden 1")).toHaveLength(2);
  await page.keyboard.press("Control+z");
  await saved(page, 3);
  // A span over two tracks, cut out and pasted at the end: all as it was, elsewhere.
  await api("POST", `/reels/${reel}/edits`, { base: 3, edit: { do: "addMarker", with: { at: to + 48000 * 60, text: "far" } } });
  await saved(page, 4);
  await choose(page, "Warden 1, start");
  await page.locator("#tracks").press("Shift+ArrowDown");
  await page.keyboard.press("i");
  await choose(page, "Warden 2 → Warden 3");
  await page.locator("#tracks").press("ArrowUp");
  await page.keyboard.press("Shift+ArrowDown");
  await page.keyboard.press("o");
  await page.keyboard.press("Control+x");
  await saved(page, 5);
  expect(await clipsOf(reel, "Warden 1")).toHaveLength(0);
  for (let i = 0; i < 5; i++) await page.keyboard.press("'");
  await page.keyboard.press("Control+v");
  await saved(page, 6);
  const after = await load(reel),
    pasted = after.reel.clips.filter((c) => c.name === "Warden 1" || c.name === "Warden 2");
  expect(pasted).toHaveLength(2);
  expect(pasted[0].start).toBe(to + 48000 * 60);
  const blend = after.reel.blends.find((b) => b.left === pasted[0].id);
  expect(blend).toMatchObject({ right: pasted[1].id, before: 5760, after: 5760 });
});

test("a recording is cut into named stretches in a row, and a gap is filled exactly from either end", async ({ bench: page, reel }) => {
  const v = await load(reel),
    source = v.reel.sources.find((s) => s.name === "spot effects");
  await page.goto(`${url()}/reels/${reel}?source=${source.id}&at=${48000 * 100}`);
  await expect(page.getByLabel("In, s")).toBeVisible();
  await page.getByLabel("Track to insert on").selectOption({ label: "Spots" });
  await page.locator("#stretch-name").fill("rattle 1");
  let revision = 1;
  for (const [a, b] of [
    [0.25, 1],
    [2.5, 3.75],
    [5, 5.5],
  ]) {
    await page.getByLabel("In, s").fill(String(a));
    await page.getByLabel("In, s").press("Enter");
    await page.getByLabel("Out, s").fill(String(b));
    await page.getByLabel("Out, s").press("Enter");
    await page.locator("#tracks").press("d");
    await saved(page, ++revision);
  }
  const rattles = (await load(reel)).reel.clips.filter((c) => c.name.startsWith("rattle")).sort((a, b) => a.start - b.start);
  expect(rattles.map((c) => [c.name, c.offset, c.length])).toEqual([
    ["rattle 1", 12000, 36000],
    ["rattle 2", 120000, 60000],
    ["rattle 3", 240000, 24000],
  ]);
  expect(rattles[1].start).toBe(rattles[0].start + rattles[0].length);
  // The middle one goes; its place is filled from the in point, then to the out point.
  const hole = rattles[1];
  await api("POST", `/reels/${reel}/edits`, { base: revision, edit: { do: "remove", with: { clips: [hole.id] } } });
  await saved(page, ++revision);
  await page.goto(`${url()}/reels/${reel}?source=${source.id}&at=${hole.start + 100}`);
  await expect(page.getByLabel("In, s")).toBeVisible();
  await page.getByLabel("Track to insert on").selectOption({ label: "Spots" });
  await page.getByLabel("In, s").fill("7");
  await page.getByLabel("In, s").press("Enter");
  await page.getByRole("button", { name: "Fill from in" }).click();
  await saved(page, ++revision);
  const fill = async () => (await load(reel)).reel.clips.find((c) => c.start === hole.start && c.track === hole.track);
  expect(await fill()).toMatchObject({ length: hole.length, offset: 7 * 48000 });
  await page.locator("#tracks").press("Control+z");
  await saved(page, ++revision);
  await page.goto(`${url()}/reels/${reel}?source=${source.id}&at=${hole.start + 100}`);
  await expect(page.getByLabel("In, s")).toBeVisible();
  await page.getByLabel("Track to insert on").selectOption({ label: "Spots" });
  await page.getByLabel("Out, s").fill("9");
  await page.getByLabel("Out, s").press("Enter");
  await page.locator("#tracks").press("Alt+d");
  await saved(page, ++revision);
  expect(await fill()).toMatchObject({ length: hole.length, offset: 9 * 48000 - hole.length });
});
