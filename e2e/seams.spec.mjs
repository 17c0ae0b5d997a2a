import { api, choose, expect, load, pcm, saved, seamOf, test } from "./kit.mjs";

const blendOf = async (reel, a, b) => seamOf(await load(reel), a, b).blend;

test("from seam to seam with keys: blend, law, length, lie and back, all saved", async ({ bench: page, reel }) => {
  await page.locator("#tracks").focus();
  const selected = page.locator('.seamrow[aria-selected="true"]');
  await page.keyboard.press("n");
  // A row tells its verdict once it is measured.
  await expect(page.locator('.seamrow[data-verdict="measuring"]')).toHaveCount(0);
  const first = await selected.textContent();
  await page.keyboard.press("n");
  await expect(selected).not.toHaveText(first);
  await page.keyboard.press("p");
  await expect(selected).toHaveText(first);

  await choose(page, "Warden 2 → Warden 3");
  expect(await blendOf(reel, "Warden 2", "Warden 3")).toBeUndefined();
  await page.locator("#tracks").focus();
  await page.keyboard.press("b");
  await saved(page, 2);
  expect(await blendOf(reel, "Warden 2", "Warden 3")).toMatchObject({ before: 5760, after: 5760, law: "constantPower", lean: 0.5 });

  await page.getByRole("radio", { name: "Constant gain" }).click();
  await saved(page, 3);
  expect(await blendOf(reel, "Warden 2", "Warden 3")).toMatchObject({ law: "constantGain" });
  // A click does not keep the keys: enter plays the seam all the same.
  await page.keyboard.press("Enter");
  await expect(page.getByRole("button", { name: "Stop" })).toBeVisible();
  await page.keyboard.press("Escape");
  await expect(page.getByRole("button", { name: "Play", exact: true })).toBeVisible();
  await page.locator("#blend-ms").fill("100,0");
  await page.locator("#blend-ms").press("Enter");
  await saved(page, 4);
  await page.getByRole("radio", { name: "before" }).click();
  await saved(page, 5);
  expect(await blendOf(reel, "Warden 2", "Warden 3")).toMatchObject({ before: 4800, after: 0, law: "constantGain" });
  await page.locator("#blend-frames").fill("4");
  await page.locator("#blend-frames").press("Enter");
  await saved(page, 6);
  expect(await blendOf(reel, "Warden 2", "Warden 3")).toMatchObject({ before: 7680, after: 0 });
  await page.getByRole("radio", { name: "after" }).click();
  await saved(page, 7);
  await page.locator("#tracks").focus();
  await page.keyboard.press("4"); // the keys act on the blend's length
  await page.keyboard.press("]");
  await saved(page, 8);
  await page.keyboard.press("Alt+[");
  await saved(page, 9);
  expect(await blendOf(reel, "Warden 2", "Warden 3")).toMatchObject({ before: 0, after: 7680 + 1920 - 48 });
  await page.keyboard.press("Alt+b");
  await saved(page, 10);
  expect(await blendOf(reel, "Warden 2", "Warden 3")).toBeUndefined();
  await page.keyboard.press("Control+z");
  await saved(page, 11);
  expect(await blendOf(reel, "Warden 2", "Warden 3")).toMatchObject({ before: 0, after: 9552 });
});

test("a grip is dragged off the cut, then an end of the blend; what is shown meanwhile is what is saved", async ({ bench: page, reel }) => {
  await choose(page, "Warden 2 → Warden 3");
  const canvas = page.locator("#closeup"),
    box = await canvas.boundingBox();
  await expect(page.getByText("A hard cut. Drag a grip")).toBeVisible();
  const rows = { middle: box.y + (box.height - Math.min(Math.max(box.height * 0.16, 34), 60) - 40) / 2 + 9 };
  const at = (seconds) => box.x + 14 + (box.width - 28) * (0.5 + seconds / 2.4);
  await page.mouse.move(at(0) + 11, rows.middle);
  await page.mouse.down();
  await page.mouse.move(at(0.2), rows.middle, { steps: 6 });
  await expect(page.locator("#hint")).toContainText("after it");
  await expect(page.locator("#blend-ms")).toBeVisible();
  await page.mouse.move(at(0.3) + 11, rows.middle, { steps: 4 });
  await page.mouse.up();
  await saved(page, 2);
  const one = await blendOf(reel, "Warden 2", "Warden 3");
  expect(one.before).toBe(0);
  expect(one.after / 48000).toBeCloseTo(0.3, 1);
  // With shift both ends move alike; escape backs out of a drag.
  const end = at(one.after / 48000);
  await page.mouse.move(end, rows.middle);
  await page.mouse.down();
  await page.mouse.move(end - 60, rows.middle, { steps: 5 });
  await page.keyboard.press("Escape");
  await page.mouse.up();
  expect(await blendOf(reel, "Warden 2", "Warden 3")).toEqual(one);
  await page.mouse.move(end, rows.middle);
  await page.mouse.down();
  await page.keyboard.down("Shift");
  await page.mouse.move(end - 30, rows.middle, { steps: 5 });
  await page.mouse.up();
  await page.keyboard.up("Shift");
  await saved(page, 3);
  const two = await blendOf(reel, "Warden 2", "Warden 3");
  expect(two.before).toBe(two.after);
});

test("a blend longer than the handles is refused with the longest that fits, one click away", async ({ bench: page, reel }) => {
  await choose(page, "Grower 4 → Grower 5");
  await page.locator("#tracks").focus();
  await page.keyboard.press("b");
  const alert = page.getByRole("alert").filter({ hasText: "Grower 5" });
  await expect(alert).toContainText("ahead of its head");
  await expect(alert).toContainText("longest");
  await alert.getByRole("button", { name: /^Take / }).click();
  await saved(page, 2);
  const s = seamOf(await load(reel), "Grower 4", "Grower 5");
  // It has no handle to come in from, so the length that was wanted lies after the cut.
  expect(s.right.offset).toBe(0);
  expect(s.blend).toMatchObject({ before: 0, after: 11520 });
  // Longer than the room on that side: the longest that lies so is offered.
  await page.locator("#blend-ms").fill("9000");
  await page.locator("#blend-ms").press("Enter");
  await expect(page.getByRole("alert")).toContainText("Longest blend at this position");
  await page
    .getByRole("alert")
    .getByRole("button", { name: /^Take / })
    .click();
  await saved(page, 3);
  expect(seamOf(await load(reel), "Grower 4", "Grower 5").blend.after).toBeGreaterThan(48000);
});

test("fades at clip ends by key, number and corner grip", async ({ bench: page, reel }) => {
  await choose(page, "can set down, start");
  await page.locator("#tracks").focus();
  await page.keyboard.press("b");
  await saved(page, 2);
  await page.locator("#fade-ms").fill("40");
  await page.locator("#fade-ms").press("Enter");
  await saved(page, 3);
  await page.getByRole("combobox", { name: "Shape" }).selectOption("smooth");
  await saved(page, 4);
  const clip = () => load(reel).then((v) => v.reel.clips.find((c) => c.name === "can set down"));
  expect((await clip()).fadeIn).toEqual({ length: 1920, shape: "smooth", bend: 0.5 });
  const quiet = await pcm(reel, (await clip()).start, (await clip()).start + 2, "&silent=0");
  expect(quiet.length).toBe(4);

  // The corner grip of the closing bed's head, on the timeline.
  const bed = (await load(reel)).reel.clips.find((c) => c.name === "closing bed");
  await page.keyboard.press("Control+z");
  await saved(page, 5);
  const at = await page.evaluate(
    ({ start, length }) => {
      const box = document.getElementById("lanes").getBoundingClientRect();
      const total = Math.max(window.innerWidth, 1);
      return { box: { x: box.x, y: box.y, w: box.width }, total, start, length };
    },
    { start: bed.start, length: bed.fadeIn.length },
  );
  // The whole reel is in view: its end lies at 98 % of it.
  const v = await load(reel),
    end = Math.max(...v.reel.clips.map((c) => c.start + c.length));
  const perPixel = Math.max(end * 1.02, 480000) / at.box.w,
    from = -8 * perPixel;
  const x = (s) => at.box.x + (s - from) / perPixel;
  const head = await page.locator(".trackhead").filter({ hasText: "Music" }).boundingBox();
  await page.keyboard.press("0");
  await page.mouse.move(x(bed.start + bed.fadeIn.length), head.y + 20);
  await expect(page.locator("#hint")).toHaveText("Drag to set the fade");
  await page.mouse.down();
  await page.mouse.move(x(bed.start + bed.fadeIn.length) + 40, head.y + 20, { steps: 5 });
  await page.mouse.up();
  await saved(page, 6);
  const after = (await load(reel)).reel.clips.find((c) => c.name === "closing bed");
  expect(Math.abs(after.fadeIn.length - bed.fadeIn.length - 40 * perPixel)).toBeLessThan(4 * perPixel);
});

test("two windows on one reel: each shows what the other does, and neither loses an edit", async ({ bench: page, reel, browser }) => {
  const other = await browser.newPage();
  await other.goto(page.url());
  await expect(other.locator(".seamrow").first()).toBeVisible();
  await choose(page, "Warden 2 → Warden 3");
  await page.locator("#tracks").focus();
  await page.keyboard.press("b");
  await saved(other, 2);
  await choose(other, "Warden 2 → Warden 3");
  await expect(other.locator("#blend-ms")).toHaveValue("240");
  await other.getByRole("radio", { name: "Constant gain" }).click();
  await saved(page, 3);
  await expect(page.getByRole("radio", { name: "Constant gain" })).toHaveAttribute("aria-checked", "true");
  // An edit of what was changed elsewhere in the same moment is refused and told.
  const b = await blendOf(reel, "Warden 2", "Warden 3");
  const stale = await api("POST", `/reels/${reel}/edits`, {
    base: 2,
    edit: { do: "setBlend", with: { left: b.left, right: b.right, before: 1, after: 1, law: "constantPower", lean: 0.5 } },
  });
  expect(stale.status).toBe(409);
  await other.close();
});

test("a clip dropped onto another is refused, and the nearest free place is one click away", async ({ bench: page, reel }) => {
  await page.locator("#tracks").focus();
  await page.keyboard.press("0");
  const v = await load(reel),
    lanes = await page.locator("#lanes").boundingBox(),
    head = await page.locator(".trackhead").filter({ hasText: "Warden" }).boundingBox();
  const end = Math.max(...v.reel.clips.map((c) => c.start + c.length)),
    perPixel = (end * 1.02) / lanes.width;
  const x = (s) => lanes.x + 8 + s / perPixel,
    clip = (name) => v.reel.clips.find((c) => c.name === name);
  const six = clip("Warden 6"),
    three = clip("Warden 3");
  await page.mouse.move(x(six.start + 24000), head.y + 8);
  await page.mouse.down();
  await page.keyboard.down("Control"); // no pulling to edges
  await page.mouse.move(x(three.start + three.length / 2), head.y + 8, { steps: 8 });
  await expect(page.locator("#hint")).toContainText("The nearest free place begins at");
  await page.mouse.up();
  await page.keyboard.up("Control");
  const alert = page.getByRole("alert").filter({ hasText: "nearest free place" });
  await expect(alert).toBeVisible();
  expect((await load(reel)).reel.clips.find((c) => c.id === six.id).start).toBe(six.start);
  await alert.getByRole("button", { name: "Move it there" }).click();
  await saved(page, 2);
  const moved = (await load(reel)).reel.clips.find((c) => c.id === six.id);
  expect(moved.start).not.toBe(six.start);
  expect(moved.track).toBe(six.track);
  await page.keyboard.press("Control+z");
  await saved(page, 3);
  expect((await load(reel)).reel.clips.find((c) => c.id === six.id).start).toBe(six.start);
});

test("a law is eased by one click, and what is heard is not what the even law gives", async ({ bench: page, reel }) => {
  await choose(page, "Warden 2 → Warden 3");
  await page.locator("#tracks").press("b");
  await saved(page, 2);
  const { at } = seamOf(await load(reel), "Warden 2", "Warden 3"),
    sound = () => pcm(reel, at - 4800, at + 4800),
    even = await sound();
  await page.getByRole("button", { name: "eased" }).click();
  await saved(page, 3);
  expect(await blendOf(reel, "Warden 2", "Warden 3")).toMatchObject({ law: "constantPowerEased", before: 5760, after: 5760 });
  expect(await sound()).not.toEqual(even);
  await page.getByRole("radio", { name: "Constant gain" }).click();
  await saved(page, 4);
  expect(await blendOf(reel, "Warden 2", "Warden 3")).toMatchObject({ law: "constantGainEased" });
  await page.getByRole("button", { name: "eased" }).click();
  await saved(page, 5);
  expect(await blendOf(reel, "Warden 2", "Warden 3")).toMatchObject({ law: "constantGain" });
});
