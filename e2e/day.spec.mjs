import { api, choose, expect, goTo, load, pcm, saved, seamOf, test, tone, url } from "./kit.mjs";

test("the usual blend goes on all chosen cuts at once, as one step", async ({ bench: page, reel }) => {
  await choose(page, "Warden 2 → Warden 3");
  await page.locator("#tracks").focus();
  const was = (await load(reel)).reel.blends.length;
  await page.keyboard.press("a"); // all clips of the track
  await page.keyboard.press("b");
  await saved(page, 2);
  const v = (await load(reel)).reel;
  expect(v.blends.length).toBeGreaterThan(was + 3);
  expect(seamOf({ reel: v }, "Warden 6", "Warden 7").blend).toMatchObject({ before: 5760, after: 5760, law: "constantPower" });
  await page.keyboard.press("Control+z");
  await saved(page, 3);
  expect((await load(reel)).reel.blends.length).toBe(was);
});

test("a length is read as it is typed, and what is none is said", async ({ bench: page, reel }) => {
  await choose(page, "Warden 2 → Warden 3");
  await page.locator("#tracks").press("b");
  await saved(page, 2);
  const field = page.locator("#blend-frames"),
    of = async () => {
      const b = seamOf(await load(reel), "Warden 2", "Warden 3").blend;
      return b.before + b.after;
    };
  let revision = 2;
  for (const [text, samples] of [
    ["0,5s", 24000],
    ["12f", 23040],
    ["320 ms", 15360],
    ["00:00:00:10", 19200],
    ["8", 15360],
  ]) {
    await field.fill(text);
    await field.press("Enter");
    await saved(page, ++revision);
    expect(await of()).toBe(samples);
  }
  await field.fill("soon");
  await field.press("Enter");
  await expect(page.getByText("“soon” is not a length")).toBeVisible();
  expect(await of()).toBe(15360);
});

test("news that comes late takes nothing of what is typed, and a button acts on what is", async ({ bench: page, reel }) => {
  await choose(page, "Warden 2 → Warden 3");
  await page.locator("#tracks").press("b");
  await saved(page, 2);
  const field = page.locator("#blend-frames"),
    blend = async () => seamOf(await load(reel), "Warden 2", "Warden 3").blend;
  await expect(field).not.toHaveValue("");
  let late = () => {},
    gate = new Promise((open) => (late = () => open(undefined)));
  const hold = () => (gate = new Promise((open) => (late = () => open(undefined))));
  await page.route("**/closeup*", async (route) => {
    const answer = await route.fetch();
    await gate;
    await route.fulfill({ response: answer });
  });
  await field.fill("12f");
  await field.press("Enter");
  await saved(page, 3);
  await field.fill("8");
  const told = page.waitForResponse("**/closeup*");
  late();
  await told;
  await expect(field).toHaveValue("8");
  await field.press("Enter");
  await saved(page, 4);
  expect((await blend()).before + (await blend()).after).toBe(15360);
  // The close-up still shows what was, and the law is another meanwhile.
  await expect(page.locator("#blend-ms")).toHaveValue("320");
  hold();
  await page.getByRole("radio", { name: "Constant gain" }).click();
  await saved(page, 5);
  await page.getByRole("button", { name: "eased" }).click();
  await saved(page, 6);
  expect((await blend()).law).toBe("constantGainEased");
  late();
  await expect(page.getByRole("radio", { name: "Constant gain" })).toHaveAttribute("aria-checked", "true");
});

test("what the playhead points at is filled, whatever is chosen elsewhere", async ({ bench: page, reel }) => {
  // A span is struck and covered, and stays chosen; the playhead then goes to a gap of the same track.
  await choose(page, "Warden 1 → Warden 2");
  await page.locator("#tracks").focus();
  for (const [tc, key] of [
    ["01:00:21:06", "i"],
    ["01:00:21:24", "o"],
  ]) {
    await goTo(page, tc);
    await page.keyboard.press(key);
  }
  await page.getByRole("button", { name: "Strike", exact: true }).click();
  await saved(page, 2);
  await page.locator("#tracks").focus();
  await page.keyboard.press("c");
  await saved(page, 3);
  const covers = async () => JSON.stringify((await load(reel)).reel.strikes.map((k) => k.cover)),
    before = await covers();
  await goTo(page, "01:00:45:00");
  await page.keyboard.press("c");
  await saved(page, 4);
  expect(await covers()).toBe(before);
  const at = 48000 * 45,
    v = (await load(reel)).reel,
    warden = v.tracks.find((t) => t.name === "Warden").id;
  expect(v.clips.some((c) => c.track === warden && c.start <= at && c.start + c.length > at)).toBe(true);
});

test("export comes alive again after a list was chosen", async ({ bench: page }) => {
  const dialog = page.locator("#export"),
    file = dialog.locator("select").first();
  await page.getByRole("button", { name: "Export", exact: true }).click();
  await file.selectOption("otio");
  await page.keyboard.press("Escape");
  await page.getByRole("button", { name: "Export", exact: true }).click();
  // It still stands on the timeline, and writes it; and sound again when that is chosen.
  await expect(dialog.getByText("Everything can be written.")).toBeVisible();
  await expect(dialog.getByText("A reel is written as")).toHaveCount(0);
  await file.selectOption("wav");
  await expect(dialog.getByText("LUFS").first()).toBeVisible();
});

test("what is told of a format is of the one that is chosen, however late an answer comes", async ({ bench: page }) => {
  let held;
  await page.route("**/lists/edl/survey", (route) => (held = route));
  await page.keyboard.press("Shift+E");
  const format = page.locator("#export select").first();
  await format.selectOption({ label: "Edit list" });
  await expect.poll(() => Boolean(held)).toBe(true);
  await format.selectOption({ label: "Timeline" });
  await expect(page.getByText("An OpenTimelineIO timeline")).toBeVisible();
  const told = page.locator("#writing");
  await expect(told).not.toContainText("An edit decision list", { useInnerText: true });
  const late = page.waitForResponse("**/lists/edl/survey");
  await held.continue();
  await late;
  await page.evaluate(() => new Promise((go) => requestAnimationFrame(() => requestAnimationFrame(go))));
  await expect(told).toContainText("An OpenTimelineIO timeline", { useInnerText: true });
  await expect(told).not.toContainText("An edit decision list", { useInnerText: true });
});

test("a muted track's seams are not heard, and are not called fine", async ({ bench: page }) => {
  const row = await choose(page, "Warden 2 → Warden 3");
  await page.locator(".trackhead", { hasText: "Warden" }).getByRole("button", { name: /^mute/i }).click();
  await expect(row).toHaveAttribute("data-verdict", "muted");
  await expect(page.locator("#verdict")).toContainText("Not heard: the track is muted.");
});

test("at 900 px all of it is in reach", async ({ bench: page }) => {
  for (const size of [
    { width: 900, height: 600 },
    { width: 960, height: 600 },
  ]) {
    await page.setViewportSize(size);
    for (const name of ["Export", "Accept", "Undo"]) {
      const box = await page.getByRole("button", { name, exact: true }).first().boundingBox();
      expect(box.x + box.width).toBeLessThanOrEqual(size.width);
      expect(box.y + box.height).toBeLessThanOrEqual(size.height);
    }
    const foot = await page.locator(".foot").boundingBox();
    expect(foot.y + foot.height).toBeLessThanOrEqual(size.height + 1);
  }
});

test("a mark that begins right beside the last is a new one; its grips move it", async ({ bench: page }) => {
  await page.getByRole("tab", { name: "Sources" }).click();
  await page.locator("[data-source-row] button").filter({ hasText: "warden take 3" }).first().click();
  const box = await page.locator("#source-wave").boundingBox(),
    y = box.y + 20;
  const seconds = async () => Number(await page.getByLabel("In, s").inputValue());
  const drag = async (from, to, at) => {
    await page.mouse.move(box.x + from, at);
    await page.mouse.down();
    await page.mouse.move(box.x + to, at, { steps: 4 });
    await page.mouse.up();
  };
  await drag(100, 200, y);
  const first = await seconds();
  await drag(205, 300, y);
  const second = await seconds();
  expect(second).toBeGreaterThan(first + 0.1);
  // The grip of the out edge, in the middle of the wave, moves that edge alone.
  const out = async () => Number(await page.getByLabel("Out, s").inputValue()),
    was = await out();
  await drag(300, 360, box.y + (box.height - 30) / 2 + 4);
  expect(await seconds()).toBe(second);
  expect(await out()).toBeGreaterThan(was + 0.1);
});

test("a nudge goes by five frames, and by a size that is typed", async ({ bench: page, reel }) => {
  await choose(page, "Warden 2 → Warden 3");
  const at = async () => seamOf(await load(reel), "Warden 2", "Warden 3").right.start,
    was = await at();
  await page.locator("#tracks").press("Shift+Digit9");
  await saved(page, 2);
  expect(await at()).toBe(was - 5 * 1920);
  const size = page.getByRole("textbox", { name: "Size of a nudge" });
  await size.fill("0,12s");
  await size.press("Enter");
  await page.locator("#tracks").press("Control+]");
  await saved(page, 3);
  expect(await at()).toBe(was - 5 * 1920 + 5760);
  // The same by pointer, and the size is kept for the next day.
  await page.reload();
  await choose(page, "Warden 2 → Warden 3");
  await expect(size).toHaveValue("0,12s");
  await page.getByRole("button", { name: "Nudge earlier" }).click();
  await saved(page, 4);
  expect(await at()).toBe(was - 5 * 1920);
  await size.fill("a while");
  await size.press("Enter");
  await expect(page.getByText("“a while” is not a length")).toBeVisible();
  await expect(size).toHaveValue("0,12s");
});

test("what is marked in a field is typed over, though news of the seam comes meanwhile", async ({ bench: page, reel }) => {
  await choose(page, "Warden 2 → Warden 3");
  await page.locator("#tracks").press("b");
  await saved(page, 2);
  const field = page.locator("#blend-frames"),
    at = seamOf(await load(reel), "Warden 2", "Warden 3");
  await expect(field).toHaveValue("6");
  await field.focus();
  await field.selectText();
  // Another window makes the blend longer: the field does not move under the hand.
  await api("POST", `/reels/${reel}/edits`, {
    base: 2,
    edit: {
      do: "setBlend",
      with: { left: at.left.id, right: at.right.id, before: 9600, after: 9600, law: at.blend.law, lean: at.blend.lean },
    },
  });
  await saved(page, 3);
  await expect(page.locator(".seamrow").filter({ hasText: "Warden 2 → Warden 3" })).toContainText("blend 10 fr");
  await page.keyboard.type("8");
  await page.keyboard.press("Enter");
  await saved(page, 4);
  const b = seamOf(await load(reel), "Warden 2", "Warden 3").blend;
  expect(b.before + b.after).toBe(8 * 1920);
  await expect(field).toHaveValue("8");
});

test("the presets go round on a seam by one key", async ({ bench: page, reel }) => {
  await choose(page, "Warden 2 → Warden 3");
  const presets = (await api("GET", "/presets")).body.presets,
    usual = presets.findIndex((p) => p.usual);
  for (let k = 0; k <= presets.length; k++) {
    await page.locator("#tracks").press("Control+b");
    await saved(page, 2 + k);
    const want = presets[(usual + k) % presets.length],
      b = seamOf(await load(reel), "Warden 2", "Warden 3").blend;
    expect(b.law).toBe(want.law);
    expect(b.before + b.after).toBe(Math.round(want.ms * 48));
    await expect(page.locator("#hint")).toContainText(`Preset “${want.name}”`);
  }
});

test("panels fold and the timeline is drawn without waves or fades, until they are asked for", async ({ bench: page }) => {
  await choose(page, "Warden 2 → Warden 3");
  const drawn = () => page.locator("#lanes").evaluate((c) => c.toDataURL()),
    wide = async () => (await page.locator("#closeup").boundingBox()).width;
  await page.waitForLoadState("networkidle"); // the waves are there
  const picture = await drawn(),
    width = await wide();
  await page.locator("#tracks").press("Shift+H");
  await expect.poll(drawn).not.toBe(picture);
  const bare = await drawn();
  await page.locator("#tracks").press("Alt+h");
  await expect.poll(drawn).not.toBe(bare);
  await page.getByRole("button", { name: "Fold the lists" }).click();
  await page.locator("#tracks").press("Shift+Digit7");
  await expect(page.locator("#ledger")).toBeHidden();
  await expect(page.getByRole("complementary", { name: "Selection" })).toBeHidden();
  await expect.poll(wide).toBeGreaterThan(width + 500);
  await page.reload();
  await expect(page.locator("#verdict")).toBeVisible();
  await expect(page.locator("#ledger")).toBeHidden();
  for (const key of ["Shift+Digit6", "Shift+Digit7", "Shift+H", "Alt+h"]) await page.locator("#tracks").press(key);
  await expect(page.locator("#ledger")).toBeVisible();
  await choose(page, "Warden 2 → Warden 3");
  await expect.poll(drawn).toBe(picture);
});

test("each number beside the cut is explained where it stands", async ({ bench: page }) => {
  await choose(page, "Warden 2 → Warden 3");
  const dialog = page.getByRole("dialog", { name: "What the numbers mean" });
  for (const [row, words] of [
    ["Click", "linear prediction"],
    ["Voice level", "ITU-R BS.1770"],
    ["Room tone", "dBFS above 188 Hz"],
    ["Handles", "Material beyond both edges"],
  ]) {
    await page.getByRole("table", { name: "What was measured at the cut" }).getByRole("rowheader", { name: row, exact: true }).click();
    await expect(dialog.locator(".meant")).toContainText(words);
    await expect(dialog.locator(".meant")).toBeInViewport();
    await page.keyboard.press("Escape");
    await expect(dialog).toBeHidden();
  }
  await page.locator("#tracks").press("Shift+J");
  await expect(dialog.getByText("Room not known.")).toBeVisible();
});

test("the palette finds a command by its words, shows its key and runs it", async ({ bench: page, reel }) => {
  await choose(page, "Warden 2 → Warden 3");
  await page.locator("#tracks").press("Control+k");
  const words = page.getByRole("combobox", { name: "Command" }),
    answers = page.getByRole("listbox", { name: "Commands" }).getByRole("option");
  await words.fill("blend the seam");
  await expect(answers.first()).toHaveText(/^\s*Blend the seam.*B$/s);
  await words.press("Enter");
  await expect(page.getByRole("dialog", { name: "Command palette" })).toBeHidden();
  await saved(page, 2);
  expect(seamOf(await load(reel), "Warden 2", "Warden 3").blend).toBeTruthy();
  // By arrows and by pointer; what was run last comes first next time.
  await page.locator("#tracks").press("Control+k");
  await expect(answers.first()).toContainText("Blend the seam");
  await words.fill("redo undo");
  await expect(page.getByText("No command matches.")).toBeVisible();
  await words.fill("undo");
  await words.press("ArrowDown");
  await words.press("ArrowUp");
  await answers.first().click();
  await saved(page, 3);
  expect(seamOf(await load(reel), "Warden 2", "Warden 3").blend).toBeFalsy();
});

test("first steps walk a newcomer from a seam to its mending, are left at any time and called again", async ({ bench: page, reel }) => {
  const guide = page.getByRole("region", { name: "First steps" }),
    title = guide.getByRole("heading");
  await choose(page, "Warden 1 → Warden 2");
  await page.getByRole("button", { name: "First steps" }).click();
  await expect(title).toHaveText("Seams");
  await choose(page, "Warden 2 → Warden 3"); // what it asks for
  await expect(title).toHaveText("Listen");
  await expect(page.locator(".guided")).toBeVisible();
  await page.locator("#tracks").press("Enter");
  await expect(title).toHaveText("Verdict");
  await guide.getByRole("button", { name: "Next" }).click();
  await expect(title).toHaveText("Mend");
  await page.locator("#tracks").press("b");
  await expect(title).toHaveText("Compare");
  expect(seamOf(await load(reel), "Warden 2", "Warden 3").blend).toBeTruthy();
  await guide.getByRole("button", { name: "Leave" }).click();
  await expect(guide).toBeHidden();
  await expect(page.locator(".guided")).toHaveCount(0);
  await page.reload();
  await expect(page.locator(".seamrow").first()).toBeVisible();
  await expect(page.getByRole("button", { name: "First steps" })).toBeHidden();
  await page.locator("#tracks").press("Control+k");
  await page.getByRole("combobox", { name: "Command" }).fill("first steps");
  await page.getByRole("combobox", { name: "Command" }).press("Enter");
  await expect(title).toHaveText("Seams");
});

test("what does not fit is refused with how far it goes, alike for blends, fades and strikes", async ({ bench: page, reel }) => {
  await choose(page, "Warden 2 → Warden 3");
  await page.locator("#tracks").press("b");
  await saved(page, 2);
  const offer = page.locator("[role=alert] button").first();
  await page.locator("#blend-ms").fill("60s");
  await page.locator("#blend-ms").press("Enter");
  await expect(offer).toHaveText(/^Take /);
  await expect(page.locator("#save")).toContainText("r2"); // nothing was done
  const forBlend = (await offer.textContent()) ?? "";
  await choose(page, "Warden 1, start");
  await expect(page.getByText(/^at most \d/)).toBeVisible();
  await page.locator("#fade-ms").fill("60s");
  await page.locator("#fade-ms").press("Enter");
  await expect(offer).toHaveText(/^Take /);
  await expect(offer).not.toHaveText(forBlend); // the former offer went when this was asked for
  await expect(page.locator("#save")).toContainText("r2");
  await page.locator("#tracks").press("Control+Enter"); // by key as by pointer
  await saved(page, 3);
  const c = (await load(reel)).reel.clips.find((o) => o.name === "Warden 1");
  expect(c.fadeIn.length).toBeGreaterThan(48000);
});

test("what is copied in one reel is pasted into another, with its recordings", async ({ bench: page, reel }) => {
  const other = (await api("POST", "/reels", { name: `Empty ${Math.random()}`, frameRate: { num: 25, den: 1 } })).body.id;
  await choose(page, "Warden 1 → Warden 2");
  await page.locator("#tracks").press("a");
  await page.keyboard.press("Control+c");
  await expect(page.locator("#hint")).toContainText("Copied 8 clips");
  await page.goto(`${url()}/reels/${other}`);
  await expect(page.locator(".trackhead").first()).toBeVisible();
  await page.locator("#tracks").press("Control+v");
  await expect(page.locator(".seamrow").first()).toBeVisible();
  const was = (await load(reel)).reel,
    now = (await load(other)).reel;
  const names = (r) =>
    r.clips
      .filter((c) => c.name.startsWith("Warden"))
      .sort((a, b) => a.start - b.start)
      .map((c) => `${c.name} ${c.length} ${c.offset}`);
  expect(names(now)).toEqual(names(was));
  await page.getByRole("tab", { name: "Sources" }).click();
  await expect(page.locator("[data-source-row]")).toHaveCount(now.sources.length);
  const first = Math.min(...now.clips.map((c) => c.start)),
    there = Math.min(...was.clips.filter((c) => c.name.startsWith("Warden")).map((c) => c.start));
  const heard = await pcm(other, first, first + 96000),
    others = was.tracks.filter((t) => t.name !== "Warden").map((t) => t.id);
  for (const id of others)
    await api("POST", `/reels/${reel}/edits`, {
      base: (await load(reel)).revision,
      edit: { do: "setTrack", with: { track: id, mute: true } },
    });
  expect(Buffer.compare(Buffer.from(heard.buffer), Buffer.from((await pcm(reel, there, there + 96000)).buffer))).toBe(0);
  await page.locator("#tracks").press("Control+z");
  await expect.poll(async () => (await load(other)).reel.clips.length).toBe(0);
});
