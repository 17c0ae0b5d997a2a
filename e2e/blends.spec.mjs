import { api, choose, expect, load, saved, test } from "./kit.mjs";

test("the matched law, sides by themselves, a preset kept by name, and a blend as long as the span", async ({ bench: page, reel }) => {
  await choose(page, "Grower 2 → Grower 3");
  const blend = async () => {
    const v = await load(reel),
      left = v.reel.clips.find((c) => c.name === "Grower 2").id;
    return v.reel.blends.find((b) => b.left === left);
  };
  await page.getByRole("radio", { name: "Matched" }).click();
  await saved(page, 2);
  expect(await blend()).toMatchObject({ law: "matched" });
  await page.getByRole("button", { name: "sides" }).click();
  await saved(page, 3);
  await page.getByLabel("Shape of the incoming side").selectOption("smooth");
  await saved(page, 4);
  expect(await blend()).toMatchObject({ out: { shape: "constantPower", bend: 0.5 }, in: { shape: "smooth", bend: 0.5 } });
  await page.getByRole("button", { name: "sides" }).click();
  await saved(page, 5);
  expect((await blend()).in).toBeUndefined();
  try {
    await page.getByRole("button", { name: "Presets", exact: true }).click();
    await page.getByLabel("Name of the preset").fill("breath between");
    await page.getByRole("button", { name: "Save this blend" }).click();
    await expect(page.locator("[data-preset]").filter({ hasText: "breath between" })).toContainText("240 ms across");
    await page.getByRole("button", { name: "Done" }).click();
    await choose(page, "Warden 2 → Warden 3");
    await page.getByLabel("Apply a preset").selectOption("breath between");
    await saved(page, 6);
    const v = await load(reel),
      left = v.reel.clips.find((c) => c.name === "Warden 2");
    expect(v.reel.blends.find((b) => b.left === left.id)).toMatchObject({ law: "matched", before: 5760, after: 5760 });
    // As long as the marked span, where the span lies.
    await page.locator("#tracks").focus();
    await page.keyboard.press("ArrowLeft");
    await page.keyboard.press("i");
    for (let i = 0; i < 3; i++) await page.keyboard.press("ArrowRight");
    await page.keyboard.press("o");
    await page.keyboard.press("Shift+K");
    await saved(page, 7);
    const b = (await load(reel)).reel.blends.find((o) => o.left === left.id);
    expect(b.before + b.after).toBe(3 * 1920);
    expect(b.before).toBeLessThan(2 * 1920);
  } finally {
    await api("DELETE", "/presets");
  }
});

test("two clips on two tracks are blended in one gesture and rolled as one; a clip dropped with Alt is blended by the overlap", async ({
  bench: page,
  reel,
}) => {
  const v = await load(reel),
    clip = (name) => v.reel.clips.find((c) => c.name === name),
    track = (name) => v.reel.tracks.find((t) => t.name === name).id;
  // The last line of one and the last of the other overlap in time on their tracks.
  const left = clip("Warden 8"),
    right = clip("Grower 8");
  expect(left.start < right.start && right.start < left.start + left.length && left.start + left.length < right.start + right.length).toBe(
    true,
  );
  await page.locator("#tracks").focus();
  await choose(page, "Warden 8, end");
  await page.keyboard.press("z");
  const heads = page.locator(".trackhead"),
    lanes = await page.locator("#lanes").boundingBox(),
    end = left.start + left.length;
  const x = (s) => lanes.x + ((s - (end - 48000 * 1.5)) / (48000 * 3)) * lanes.width;
  const tab = async (name) => (await heads.filter({ hasText: name }).first().boundingBox()).y + 8;
  await page.mouse.click(x(end - 9000), await tab("Warden"));
  await page.keyboard.down("Shift");
  await page.mouse.click(x(end + 9000), await tab("Grower"));
  await page.keyboard.up("Shift");
  await page.keyboard.press("b");
  await saved(page, 2);
  const after = await load(reel),
    b = after.reel.blends.find((o) => o.left === left.id);
  expect(b).toMatchObject({ right: right.id });
  expect(b.before + b.after).toBe(end - right.start);
  const l = after.reel.clips.find((c) => c.id === left.id),
    r = after.reel.clips.find((c) => c.id === right.id);
  expect([l.track, r.track]).toEqual([track("Warden"), track("Grower")]);
  expect(l.start + l.length).toBe(r.start);
  await expect(page.locator('.seamrow[aria-selected="true"]')).toContainText("Warden 8 → Grower 8");
  await page.keyboard.press("3");
  await page.keyboard.press("[");
  await saved(page, 3);
  const rolled = (await load(reel)).reel;
  expect(rolled.clips.find((c) => c.id === right.id).start).toBe(r.start - 1920);
  expect(rolled.blends.find((o) => o.left === left.id)).toBeTruthy();

  // Dropped half over its neighbour: without Alt it is refused, with Alt the overlap is blended.
  const drips = clip("drips"),
    can = clip("can set down");
  await page.keyboard.press("0");
  const reach = (Math.max(...rolled.clips.map((c) => c.start + c.length)) * 1.02) / lanes.width,
    at = (s) => lanes.x + 8 + s / reach;
  const y = await tab("Spots"),
    by = drips.start + drips.length - 9600 - can.start;
  await page.mouse.move(at(can.start) + 6, y);
  await page.mouse.down();
  await page.keyboard.down("Control");
  await page.mouse.move(at(can.start + by) + 6, y, { steps: 8 });
  await expect(page.locator("#hint")).toContainText("with Alt the overlap is blended");
  await page.keyboard.down("Alt");
  await page.mouse.move(at(can.start + by) + 7, y);
  await expect(page.locator("#hint")).toContainText("a blend of");
  await page.mouse.up();
  await page.keyboard.up("Alt");
  await page.keyboard.up("Control");
  await saved(page, 4);
  const dropped = (await load(reel)).reel,
    joined = dropped.blends.find((o) => o.left === drips.id);
  expect(joined).toMatchObject({ right: can.id });
  expect(dropped.clips.find((c) => c.id === drips.id).start).toBe(drips.start);
});
