import { api, choose, clipsOf, expect, laid, load, saved, test, url, zoomed } from "./kit.mjs";

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
  await choose(page, "drips, end");
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
  await choose(page, "drips, end");
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
