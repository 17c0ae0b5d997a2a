import { api, choose, expect, laid, load, pcm, saved, test, url, zoomed } from "./kit.mjs";

const clipsOf = async (reel, name) => (await load(reel)).reel.clips.filter((c) => c.name === name).sort((a, b) => a.start - b.start);

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
      const end = /^(Start|End) of (.*)$/.exec(title),
        names = !end ? title.split(" → ") : end[1] === "Start" ? ["", end[2]] : [end[2], ""],
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
    await at("End of Warden 2");
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
    p = await at("Start of door");
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
    await to("End of Warden 2");
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
    await to("Start of door");
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
  await choose(page, "Start of Warden 1");
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
  for (const [i, title] of ["Start of Warden 1", "Start of Grower 1"].entries()) {
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
  await choose(page, "Start of Warden 1");
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
  await page.getByLabel(/Not rippled/).check();
  await page.getByLabel("Locked").check();
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

test("clips are chosen by a box, and the drag of an edge of two microphones trims both", async ({ bench: page, reel }) => {
  await page.locator("#tracks").press("0");
  const lanes = await page.locator("#lanes").boundingBox();
  await page.keyboard.down("Control");
  await page.mouse.move(lanes.x + 5, lanes.y + 30);
  await page.mouse.down();
  await page.mouse.move(lanes.x + lanes.width - 5, lanes.y + 130, { steps: 6 });
  await page.mouse.up();
  await page.keyboard.up("Control");
  const v = await load(reel),
    names = new Set(["Warden", "Grower"]),
    ids = new Set(v.reel.tracks.filter((t) => names.has(t.name)).map((t) => t.id));
  await expect(page.getByRole("heading", { name: `${v.reel.clips.filter((c) => ids.has(c.track)).length} clips` })).toBeVisible();
  await page.keyboard.press("Escape");
  await expect(page.getByRole("heading", { name: /clips$/ })).toBeHidden();
  // A take on two tracks: both are chosen, one edge is dragged, both are trimmed and what comes later follows once.
  const source = v.reel.sources.find((s) => s.name === "warden take 3").id,
    [spots, music] = ["Spots", "Music"].map((n) => v.reel.tracks.find((t) => t.name === n).id);
  let { revision } = v;
  const start = 48000 * 110,
    made = [];
  for (const [track, at, length] of [
    [spots, start, 96000],
    [music, start, 96000],
    [spots, start + 96000, 48000],
    [music, start + 200000, 48000],
  ]) {
    const { body } = await api("POST", `/reels/${reel}/edits`, {
      base: revision,
      edit: { do: "place", with: { source, track, start: at, offset: 200000, length } },
    });
    made.push(body.outcome.made[0]);
    revision = body.revision;
  }
  await saved(page, revision);
  await page.getByRole("radio", { name: "follow", exact: true }).click();
  await choose(page, "warden take 3 → warden take 3");
  await page.getByRole("button", { name: "Zoom the timeline to the seam" }).click();
  const p = await zoomed(page, reel, start + 96000);
  await page.mouse.click(p.x(start + 60000), await p.y("Spots", "tab"));
  await page.keyboard.down("Shift");
  await page.mouse.click(p.x(start + 60000), await p.y("Music", "tab"));
  await page.keyboard.up("Shift");
  await expect(page.getByRole("heading", { name: "2 clips" })).toBeVisible();
  await page.mouse.move(p.x(start + 96000) - 4, await p.y("Spots", "edge"));
  await page.mouse.down();
  await page.mouse.move(p.x(start + 96000 - 19200) - 4, await p.y("Spots", "edge"), { steps: 6 });
  await expect(page.locator("#hint")).toContainText("2 clips 10 frames shorter");
  await page.mouse.up();
  await saved(page, revision + 1);
  const { reel: now } = await load(reel),
    clip = (i) => now.clips.find((c) => c.id === made[i]);
  expect([clip(0).length, clip(1).length]).toEqual([76800, 76800]);
  expect([clip(2).start, clip(3).start]).toEqual([start + 76800, start + 200000 - 19200]);
});

test("the menu under the other button does here what the keys do at the playhead, by pointer and by keys", async ({
  bench: page,
  reel,
}) => {
  await choose(page, "Warden 2 → Warden 3");
  await page.locator("#tracks").press("z");
  const [left] = await clipsOf(reel, "Warden 2"),
    cut = left.start + left.length,
    p = await zoomed(page, reel, cut),
    y = await p.y("Warden", "wave");
  await page.mouse.click(p.x(cut - 48000), y, { button: "right" });
  await page.getByRole("menuitem", { name: /^Split here/ }).click();
  await saved(page, 2);
  const pieces = await clipsOf(reel, "Warden 2");
  expect(pieces).toHaveLength(2);
  expect(pieces[1].start % 1920).toBe(0);
  await page.mouse.click(p.x(pieces[1].start + 20000), y, { button: "right" });
  await page.getByRole("menuitem", { name: /^Cut/ }).click();
  await saved(page, 3);
  await page.mouse.click(p.x(pieces[1].start + 20000), y, { button: "right" });
  await page.getByRole("menuitem", { name: /^Close this gap/ }).click();
  await saved(page, 4);
  expect((await clipsOf(reel, "Warden 3"))[0].start).toBe(pieces[1].start);
  await page.keyboard.press("Control+z");
  await saved(page, 5);
  await page.locator("#tracks").press("Shift+F10");
  await expect(page.getByRole("menuitem").first()).toBeFocused();
  await page.keyboard.press("Escape");
  await expect(page.getByRole("menu")).toHaveCount(0);
  await page.keyboard.press("Shift+F10");
  const first = page.getByRole("menuitem", { name: /^Paste here/ });
  await expect(first).toBeFocused();
  await page.keyboard.press("ArrowDown");
  await expect(page.getByRole("menuitem", { name: /^Close this gap/ })).toBeFocused();
  await page.keyboard.press("ArrowUp");
  await expect(first).toBeFocused();
});

test("the cut is rolled in the close-up, content slips and a clip slides; what is shown is what is saved", async ({
  bench: page,
  reel,
}) => {
  await choose(page, "Warden 2 → Warden 3");
  const close = await page.locator("#closeup").boundingBox(),
    cut = async () => (await clipsOf(reel, "Warden 3"))[0].start,
    was = await cut();
  await page.mouse.move(close.x + close.width / 2, close.y + 40);
  await page.mouse.down();
  await page.mouse.move(close.x + close.width / 2 + 90, close.y + 40, { steps: 6 });
  // What is said follows the pointer: the last of it.
  let said = "";
  await expect
    .poll(async () => {
      const was = said;
      return /the cut [\d.]+ frames later/.test((said = await page.locator("#hint").textContent())) && said === was;
    })
    .toBe(true);
  const told = Number(/the cut ([\d.]+) frames later/.exec(said)[1]);
  await page.mouse.up();
  await saved(page, 2);
  expect((await cut()) - was).toBeGreaterThan(0);
  expect(Math.abs(((await cut()) - was) / 1920 - told)).toBeLessThan(0.06);
  // A clip slides by keys between its neighbours: only they change, and only at their edges.
  const three = await clipsOf(reel, "Warden 3"),
    four = await clipsOf(reel, "Warden 4"),
    two = await clipsOf(reel, "Warden 2");
  await page.locator("#tracks").press("5");
  await page.keyboard.press("7");
  await page.keyboard.press("]");
  await saved(page, 3);
  expect((await clipsOf(reel, "Warden 3"))[0]).toEqual({ ...three[0], start: three[0].start + 1920 });
  expect((await clipsOf(reel, "Warden 2"))[0]).toMatchObject({ start: two[0].start, length: two[0].length + 1920 });
  expect((await clipsOf(reel, "Warden 4"))[0]).toMatchObject({ offset: four[0].offset + 1920, length: four[0].length - 1920 });
  // With the clip no longer chosen, the keys act on the cut again, and the card says so.
  await page.keyboard.press("Escape");
  await expect(page.getByRole("radio", { name: "Cut", exact: true })).toHaveAttribute("aria-checked", "true");
  await page.keyboard.press("5");
  // The millisecond goes with every one of them.
  await page.keyboard.press("6");
  await page.keyboard.press("Alt+[");
  await saved(page, 4);
  expect((await clipsOf(reel, "Warden 3"))[0].offset).toBe(three[0].offset + 48);
});

test("a key that is pressed faster than the server answers loses nothing", async ({ bench: page, reel }) => {
  await choose(page, "opening bed a → opening bed b");
  await page.locator("#tracks").press("3");
  const [before] = await clipsOf(reel, "opening bed b");
  await page.evaluate(() => {
    for (let i = 0; i < 12; i++)
      document.getElementById("tracks").dispatchEvent(new KeyboardEvent("keydown", { key: i === 5 ? "[" : "]", bubbles: true }));
  });
  await expect.poll(async () => (await clipsOf(reel, "opening bed b"))[0].start - before.start).toBe(10 * 1920);
  await page.evaluate(() => {
    for (const key of ["b", "s", "m", "z"])
      document.getElementById("tracks").dispatchEvent(new KeyboardEvent("keydown", { key, bubbles: true }));
    for (let i = 0; i < 6; i++)
      document.getElementById("tracks").dispatchEvent(new KeyboardEvent("keydown", { key: i === 0 ? "4" : "]", bubbles: true }));
  });
  const blend = async () => (await load(reel)).reel.blends.find((b) => b.right === before.id);
  await expect.poll(async () => (await blend())?.before + (await blend())?.after).toBe(11520 + 5 * 1920);
});

test("two windows: later clips that follow in one follow in the other, and both go on from there", async ({
  bench: page,
  reel,
  context,
}) => {
  const other = await context.newPage();
  await other.goto(`${url()}/reels/${reel}`);
  await expect(other.locator(".seamrow").first()).toBeVisible();
  await choose(other, "opening bed a → opening bed b");
  await page.getByRole("radio", { name: "follow", exact: true }).click();
  await choose(page, "End of drips");
  await page.locator("#tracks").press("1");
  await page.keyboard.press("}");
  await saved(page, 2);
  await saved(other, 2);
  // Both are read each time: either may be the later to know.
  const differ = async () => {
    // The seam that is chosen in one keeps its place there while it gets worse: the rows count, not their order.
    const [a, b] = await Promise.all([page, other].map(async (p) => (await p.locator(".seamrow").allTextContents()).sort()));
    return a.filter((text, i) => text !== b[i]);
  };
  await expect.poll(differ).toEqual([]);
  await other.locator("#tracks").press("3");
  await other.keyboard.press("]");
  await saved(other, 3);
  await saved(page, 3);
  await expect.poll(differ).toEqual([]);
  await page.keyboard.press("Control+z"); // takes back what was done last, wherever
  await saved(other, 4);
  await expect.poll(differ).toEqual([]);
  await other.close();
});

test("a source is dragged onto a track: snapped, told, and where there is no room laid at the nearest", async ({ bench: page, reel }) => {
  await choose(page, "End of drips");
  await page.getByRole("button", { name: "Zoom the timeline to the seam" }).click();
  const [drips] = await clipsOf(reel, "drips"),
    end = drips.start + drips.length,
    p = await zoomed(page, reel, end);
  await page.getByRole("tab", { name: "Sources" }).click();
  const hold = await page.locator("[data-source-row] button").filter({ hasText: "spot effects" }).boundingBox();
  await page.mouse.move(hold.x + 40, hold.y + 10);
  await page.mouse.down();
  await page.mouse.move(p.x(end) - 50, await p.y("Spots", "wave"), { steps: 8 });
  await expect(page.locator("#hint")).toContainText("“drips” is there");
  await page.mouse.move(p.x(end) + 4, await p.y("Spots", "wave"), { steps: 4 });
  await expect(page.locator("#hint")).toContainText("of “spot effects” at");
  await page.keyboard.press("Escape");
  await page.mouse.up();
  await expect(page.locator("#save")).toContainText("r1");
  const { body } = await api("POST", `/reels/${reel}/edits`, {
    base: 1,
    edit: {
      do: "remove",
      with: { clips: (await load(reel)).reel.clips.filter((c) => c.track === drips.track && c.start > end).map((c) => c.id) },
    },
  });
  await saved(page, body.revision);
  await page.mouse.move(hold.x + 40, hold.y + 10);
  await page.mouse.down();
  await page.mouse.move(p.x(end) + 4, await p.y("Spots", "wave"), { steps: 8 });
  await expect(page.locator("#hint")).toContainText("of “spot effects” at");
  await page.mouse.up();
  await saved(page, body.revision + 1);
  expect((await clipsOf(reel, "spot effects"))[0]).toMatchObject({ start: end, offset: 0 });
  // The marker's flag is dragged along the ruler.
  await page.locator("#tracks").press("Home");
  await page.keyboard.press("m");
  await saved(page, body.revision + 2);
  await page.locator("#tracks").press("0");
  const ruler = await page.locator("#ruler").boundingBox(),
    v = await load(reel),
    length = Math.max(...v.reel.clips.map((c) => c.start + c.length)),
    perPixel = (length * 1.02) / ruler.width;
  await page.mouse.move(ruler.x + 8 + 3, ruler.y + 20);
  await page.mouse.down();
  await page.mouse.move(ruler.x + 8 + 3 + (48000 * 5) / perPixel, ruler.y + 20, { steps: 6 });
  await page.mouse.up();
  await saved(page, body.revision + 3);
  expect(Math.abs((await load(reel)).reel.markers.find((m) => m.text.startsWith("Marker")).at - 48000 * 5)).toBeLessThan(60000);
});

test("head and tail to the playhead, with later clips staying and following, and nothing to do told", async ({ bench: page, reel }) => {
  await choose(page, "Warden 2 → Warden 3");
  await page.locator("#tracks").press("t");
  await expect(page.getByRole("alert")).toContainText("The tail of “Warden 2” is at the playhead already");
  for (let i = 0; i < 3; i++) await page.keyboard.press("Shift+ArrowLeft");
  const before = await load(reel),
    of = (v, name) => v.reel.clips.find((c) => c.name === name),
    [two, three, four] = ["Warden 2", "Warden 3", "Warden 4"].map((n) => of(before, n));
  await page.keyboard.press("t");
  await saved(page, 2);
  let now = await load(reel);
  const cut = two.start + two.length - of(now, "Warden 2").length - two.start;
  expect(cut).toBeGreaterThan(28 * 1920);
  expect(cut).toBeLessThan(31 * 1920);
  expect(of(now, "Warden 3")).toEqual(three);
  await page.keyboard.press("Control+z");
  await saved(page, 3);
  await page.keyboard.press("Shift+F");
  await page.keyboard.press("t");
  await saved(page, 4);
  now = await load(reel);
  expect(of(now, "Warden 3").start).toBe(three.start - cut);
  expect(of(now, "Warden 4").start).toBe(four.start - cut);
  expect(of(now, "Grower 3").start).toBe(of(before, "Grower 3").start);
  await page.keyboard.press("Control+z");
  await saved(page, 5);
  // The head: what is cut off closes, and the playhead stands at the new head.
  await choose(page, "Warden 2 → Warden 3");
  await page.locator("#tracks").press("Shift+ArrowRight");
  await page.keyboard.press("h");
  await saved(page, 6);
  now = await load(reel);
  const head = of(now, "Warden 3");
  expect(head.start).toBe(three.start);
  expect(head.offset).toBeGreaterThan(three.offset);
  expect(of(now, "Warden 4").start).toBe(four.start - (head.offset - three.offset));
  await page.keyboard.press("h");
  await expect(page.getByRole("alert")).toContainText("The head of “Warden 3” is at the playhead already");
});
