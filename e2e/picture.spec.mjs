import { execFileSync } from "node:child_process";
import { readFileSync } from "node:fs";
import { api, choose, expect, goTo, load, pcm, same, saved, test, url, who } from "./kit.mjs";

const frame = 1920; // samples of a frame at 25 frames and 48 kHz

/** The edit as lists tell it: what plays where, and from which timecode of its source. */
async function story(id) {
  const { reel } = await load(id);
  const seen = new Set(reel.tracks.filter((t) => t.role === "picture").map((t) => t.id)),
    source = (c) => reel.sources.find((s) => s.id === c.source);
  const tied = new Map((reel.ties ?? []).map((t) => [t.clip, reel.clips.find((c) => c.id === t.shot).start]));
  return reel.clips
    .map(
      (c) =>
        `${seen.has(c.track) ? "picture" : "sound"} ${c.name} ${c.start / frame}+${c.length / frame} from ${(Math.max(source(c).startTC, 0) + c.offset) / frame}${tied.has(c.id) ? ` under ${tied.get(c.id) / frame}` : ""}`,
    )
    .sort();
}

const edl = "demo/picture/frost warning.edl";
const media = [
  "demo/picture/warden camera.webm",
  "demo/picture/grower camera.webm",
  "demo/picture/glasshouse wide.png",
  "demo/sound/warden take 3.flac",
  "demo/sound/grower take 2.flac",
  "demo/sound/glasshouse fan.flac",
];

test("a new user brings in an edit list and its media, makes a lead, a lag and a straight cut, and writes them out", async ({
  page,
}, info) => {
  test.setTimeout(120_000);
  await page.goto(url());
  await page.getByRole("button", { name: "New reel" }).first().click();
  await page.getByRole("textbox", { name: "Name" }).fill(`To picture ${Math.random()}`);
  await page.getByRole("button", { name: "Create" }).click();
  await page.waitForURL(/reels\/\d+/);
  const reel = Number(/reels\/(\d+)/.exec(page.url())[1]);
  // The list is looked at first: what it brings and what is not here.
  await page.getByRole("tab", { name: "Sources" }).click();
  await page.locator("#list-file").setInputFiles(edl);
  const dialog = page.getByRole("dialog", { name: /Import frost warning/ });
  await expect(dialog.locator("[data-list-track]")).toHaveText(["Picture · 10", "Sound 1 · 8", "Sound 2 · 1"]);
  await expect(dialog.locator("[data-lacking]")).toHaveCount(7);
  await expect(dialog.getByRole("combobox", { name: "Frame rate of the list" })).toHaveValue("25");
  await dialog.getByRole("button", { name: "Import it" }).click();
  await expect(dialog).toBeHidden();
  await expect(page.locator("[data-missing]")).toHaveCount(7);
  const asListed = await story(reel);
  expect(asListed).toHaveLength(19);
  // Import the files with these names and link them; the insert that nobody has stays a card.
  await page.locator("#link-files").setInputFiles(media);
  await expect(page.locator("[data-missing]")).toHaveCount(1, { timeout: 60_000 });
  expect((await story(reel)).filter((l) => !l.includes("glasshouse"))).toEqual(asListed.filter((l) => !l.includes("glasshouse")));
  await page.getByRole("tab", { name: "Seams" }).click();

  // Lead, by drag of the sound's cut.
  const clip = (v, name, seen) =>
    v.reel.clips.find((c) => c.name === name && (v.reel.tracks.find((t) => t.id === c.track).role === "picture") === seen);
  await choose(page, "Warden 1 → Grower 1");
  await page.keyboard.press("e");
  await expect(page.locator("[data-offer]")).toHaveCount(3);
  await expect(page.locator("[data-offer]").first()).toContainText("leads 6 frames");
  let v = await load(reel);
  const cut = clip(v, "Grower 1", true).start,
    shots = JSON.stringify(v.reel.clips.filter((c) => c.track === clip(v, "Grower 1", true).track));
  const line = await page.locator("#splitline").boundingBox(),
    perFrame = (line.width / 2 / (1.2 * 48000)) * frame;
  await page.mouse.move(line.x + line.width / 2, line.y + 80);
  await page.mouse.down();
  await page.mouse.move(line.x + line.width / 2 - 3 * perFrame, line.y + 80, { steps: 4 });
  await page.mouse.move(line.x + line.width / 2 - 6 * perFrame, line.y + 80, { steps: 4 });
  await expect(page.locator("#hint")).toContainText("sound leads 6 frames");
  await page.mouse.up();
  await expect(page.locator("#lead")).toHaveValue("6");
  await expect(page.getByRole("radio", { name: "leads" })).toHaveAttribute("aria-checked", "true");
  v = await load(reel);
  expect(clip(v, "Grower 1", false).start).toBe(cut - 6 * frame);
  expect(JSON.stringify(v.reel.clips.filter((c) => c.track === clip(v, "Grower 1", true).track))).toBe(shots); // the picture stays
  // Heard: in those frames the one who comes in alone; seen: the one who goes out.
  const left = clip(v, "Warden 1", false).id,
    right = clip(v, "Grower 1", false).id;
  expect(same(await pcm(reel, cut - 6 * frame, cut), await pcm(reel, cut - 6 * frame, cut, `&silent=${left}`))).toBe(true);
  expect(same(await pcm(reel, cut - 6 * frame, cut), await pcm(reel, cut - 6 * frame, cut, `&silent=${right}`))).toBe(false);
  await goTo(page, "01:00:04:20");
  await expect.poll(() => who(page, "picture")).toBe("Warden");
  await goTo(page, "01:00:04:22");
  await expect.poll(() => who(page, "picture")).toBe("Grower");
  await expect.poll(() => who(page, "frame-out")).toBe("Warden");
  await expect.poll(() => who(page, "frame-in")).toBe("Grower");
  await expect(page.getByRole("option", { name: /Warden 1 → Grower 1/ })).toContainText("leads 6 frames");

  // A dissolve of the picture is a thing of its own.
  const sounds = async () => (await load(reel)).reel.blends.filter((b) => b.law !== "constantGain").length,
    before = await sounds();
  await page.locator("#dissolve").fill("10");
  await page.locator("#dissolve").press("Enter");
  await expect.poll(async () => (await load(reel)).reel.blends.some((b) => b.before === 5 * frame && b.after === 5 * frame)).toBe(true);
  expect(await sounds()).toBe(before);
  expect(clip(await load(reel), "Grower 1", false).start).toBe(cut - 6 * frame);
  await page.locator("#tracks").focus();

  // Lag, by the key that takes the suggestion.
  await choose(page, "Warden 3 → Grower 3");
  await choose(page, "Grower 2 → Warden 3");
  await page.keyboard.press("Alt+l");
  await expect(page.getByRole("radio", { name: "lags" })).toHaveAttribute("aria-checked", "true");
  v = await load(reel);
  const second = clip(v, "Warden 3", true).start,
    lag = (clip(v, "Warden 3", false).start - second) / frame;
  expect(lag).toBeGreaterThan(2);
  expect(Number.isInteger(lag)).toBe(true);
  await expect(page.locator("#lead")).toHaveValue(String(lag));
  expect(
    same(
      await pcm(reel, second, second + (lag - 2) * frame),
      await pcm(reel, second, second + (lag - 2) * frame, `&silent=${clip(v, "Warden 3", false).id}`),
    ),
  ).toBe(true);

  // Straight, by key, where frames were nudged before.
  await choose(page, "Warden 4 → Grower 4");
  await page.keyboard.press("8");
  await page.keyboard.press("{");
  await expect(page.locator("#lead")).toHaveValue("10");
  await page.keyboard.press("[");
  await expect(page.locator("#lead")).toHaveValue("11");
  await page.keyboard.press("Alt+k");
  await expect(page.getByRole("radio", { name: "straight" })).toHaveAttribute("aria-checked", "true");
  v = await load(reel);
  expect(clip(v, "Grower 4", false).start).toBe(clip(v, "Grower 4", true).start);

  // None of them added a blend; one that is put goes out as well.
  expect((await load(reel)).reel.blends.filter((b) => b.law !== "constantGain").length).toBe(before);
  const blends = (await load(reel)).reel.blends.length;
  await page.locator("#tracks").focus();
  await page.keyboard.press("b");
  await expect.poll(async () => (await load(reel)).reel.blends.length).toBe(blends + 1);

  // Written out as both formats, and read back into reels of their own.
  const mine = await story(reel);
  await page.locator("#tracks").focus();
  for (const [format, label] of [
    ["edl", "Edit list"],
    ["otio", "Timeline"],
  ]) {
    await page.keyboard.press("Shift+E");
    await page.locator("#export select").first().selectOption({ label });
    if (format === "otio") await expect(page.getByText("Everything can be written.")).toBeVisible();
    else await expect(page.getByRole("list", { name: "What is lost" })).toContainText(/laws? of/);
    const [download] = await Promise.all([page.waitForEvent("download"), page.locator("#do-export").click()]);
    const path = info.outputPath(`out.${format}`);
    await download.saveAs(path);
    const { body } = await api("POST", "/reels", {
      name: `Back ${Math.random()}`,
      sampleRate: 48000,
      frameRate: { num: 25, den: 1, drop: false },
      start: "01:00:00:00",
    });
    const res = await fetch(`${url()}/api/v1/reels/${body.id}/lists?name=out.${format}&take=1`, {
      method: "POST",
      body: readFileSync(path),
    });
    expect(res.status).toBe(200);
    expect(await story(body.id)).toEqual(mine);
  }
});

test.describe("at the picture reel", () => {
  test.use({ of: 3 });

  test("the picture cut rolls with its sound, alone it makes a split edit; sound off its picture is told and brought back by a key", async ({
    bench: page,
    reel,
  }) => {
    await choose(page, "Grower 1 → Warden 2");
    await page.locator("#tracks").press("z");
    let v = await load(reel);
    const pic = v.reel.tracks.find((t) => t.role === "picture").id,
      at = (name, seen) => v.reel.clips.find((c) => c.name === name && (c.track === pic) === seen);
    const cut = at("Warden 2", true).start,
      box = await page.locator("#lanes").boundingBox(),
      heads = page.locator(".trackhead");
    const x = (sample) => box.x + ((sample - (cut - 72000)) / 144000) * box.width;
    const head = await heads.first().boundingBox(),
      y = head.y + 16 + (head.height - 16) / 2;
    const drag = async (by, alt) => {
      if (alt) await page.keyboard.down("Alt");
      await page.mouse.move(x(cut), y);
      await page.mouse.down();
      await page.mouse.move(x(cut + by / 2), y, { steps: 3 });
      await page.mouse.move(x(cut + by), y, { steps: 3 });
      await expect(page.locator("#hint")).toContainText("frames");
      await page.mouse.up();
      if (alt) await page.keyboard.up("Alt");
    };
    await drag(-12 * frame, false);
    await saved(page, 2);
    v = await load(reel);
    expect([at("Warden 2", true).start, at("Warden 2", false).start]).toEqual([cut - 12 * frame, cut - 12 * frame]);
    await page.keyboard.press("Control+z");
    await saved(page, 3);
    await drag(-12 * frame, true);
    await saved(page, 4);
    v = await load(reel);
    expect([at("Warden 2", true).start, at("Warden 2", false).start]).toEqual([cut - 12 * frame, cut]);
    await expect(page.getByRole("option", { name: /Grower 1 → Warden 2/ })).toContainText("lags 12 frames");
    await page.keyboard.press("Control+z");
    await saved(page, 5);

    // A slip of the sound alone takes it off its picture.
    const dialogue = await heads.nth(1).boundingBox(),
      ribbon = dialogue.y + dialogue.height - 4;
    await page.keyboard.down("Alt");
    await page.mouse.move(x(cut + 20 * frame), ribbon);
    await page.mouse.down();
    await page.mouse.move(x(cut + 22 * frame), ribbon, { steps: 3 });
    await page.mouse.move(x(cut + 23 * frame), ribbon, { steps: 3 });
    await expect(page.locator("#hint")).toContainText("later");
    await page.mouse.up();
    await page.keyboard.up("Alt");
    await saved(page, 6);
    await expect(page.getByRole("option", { name: /Grower 1 → Warden 2/ })).toContainText(/3 frames late/);
    v = await load(reel);
    const late = at("Warden 2", false);
    await page.keyboard.press("Alt+Shift+M");
    await saved(page, 7);
    v = await load(reel);
    expect(at("Warden 2", false).offset).toBe(late.offset + 3 * frame);
    expect((await api("GET", `/reels/${reel}/seams`)).body.off).toEqual([]);
    // Moving a shot moves its sound; untied it does not.
    await page.keyboard.press("Escape");
    const tab = head.y + 8,
      last = at("Grower 4", true);
    await page.keyboard.press("0");
    await page.keyboard.press("Alt+v");
    await expect(page.locator("#picture-window")).toBeHidden();
    await api("POST", `/reels/${reel}/edits`, { base: 7, edit: { do: "move", with: { clips: [last.id], by: 25 * frame, tied: true } } });
    await saved(page, 8);
    v = await load(reel);
    expect(at("Grower 4", false).start).toBe(last.start + 25 * frame);
    void tab;
  });

  test("the frame at the playhead is the one that its timecode says, and plays with the sound", async ({ bench: page, reel }) => {
    const v = await load(reel),
      shot = v.reel.clips.find((c) => c.name === "Warden 2" && v.reel.tracks.find((t) => t.id === c.track).role === "picture");
    await goTo(page, "01:00:08:00");
    const inSource = shot.offset / frame + (8 * 25 - shot.start / frame);
    await expect(page.locator("#picture")).toHaveAttribute("data-frame", `${shot.id}:${inSource}`);
    // Bit for bit the kept frame: the window shows what the library holds.
    const src = v.reel.sources.find((s) => s.id === shot.source);
    const res = await fetch(`${url()}/api/v1/pictures/${src.recording}/frames?from=${inSource}&count=1`),
      body = Buffer.from(await res.arrayBuffer());
    expect(body.readUInt32LE(0)).toBe(body.length - 4);
    expect(res.headers.get("cache-control")).toContain("immutable");
    await page.keyboard.press("ArrowRight");
    await expect(page.locator("#picture")).toHaveAttribute("data-frame", `${shot.id}:${inSource + 1}`);
    // Playing: what is seen is within a frame of what the clock of the sound says.
    await page.keyboard.press("Space");
    await expect
      .poll(async () => Number((await page.locator("#picture").getAttribute("data-frame")).split(":")[1]))
      .toBeGreaterThan(inSource + 10);
    await page.keyboard.press("Space");
    await expect(page.getByRole("button", { name: "Play", exact: true })).toBeVisible();
    const [h, m, s, f] = (await page.getByLabel("Timecode of the playhead").inputValue()).split(":").map(Number),
      now = ((h * 60 + m) * 60 + s) * 25 + f - 90000;
    await expect(page.locator("#picture")).toHaveAttribute("data-frame", `${shot.id}:${shot.offset / frame + now - shot.start / frame}`);
  });
});

test("a film is brought in: its frames, its sound, and both laid in tied together", async ({ page }, info) => {
  const film = info.outputPath("boat.mkv");
  execFileSync("ffmpeg", [
    "-v",
    "error",
    "-f",
    "lavfi",
    "-i",
    "testsrc2=s=320x180:r=25:d=3",
    "-f",
    "lavfi",
    "-i",
    "sine=500:d=3:r=48000",
    "-c:v",
    "libvpx",
    "-b:v",
    "800k",
    "-c:a",
    "pcm_s16le",
    "-metadata",
    "timecode=10:00:00:00",
    film,
  ]);
  const { body } = await api("POST", "/reels", {
    name: `Film ${Math.random()}`,
    sampleRate: 48000,
    frameRate: { num: 25, den: 1, drop: false },
    start: "01:00:00:00",
  });
  await page.goto(`${url()}/reels/${body.id}`);
  await page.getByRole("tab", { name: "Sources" }).click();
  await page.locator("#files").setInputFiles(film);
  await expect(page.locator("[data-source-row]")).toHaveCount(2, { timeout: 30_000 });
  await page.locator("[data-source-row]").filter({ hasText: "75 frames" }).getByRole("button").click();
  await page.keyboard.press("d");
  await expect.poll(async () => (await load(body.id)).reel.ties?.length ?? 0).toBe(1);
  const { reel } = await load(body.id),
    [a, b] = reel.clips;
  expect([a.start, a.length, b.start, b.length]).toEqual([0, 75 * frame, 0, 75 * frame]);
  const tone = await pcm(body.id, 24000, 24480);
  expect(Math.max(...tone)).toBeGreaterThan(0.1);
});

test("after an hour at 29.97 drop the picture is still in step with the sound that plays", async ({ page }) => {
  const { body } = await api("POST", "/reels", {
    name: `Hour ${Math.random()}`,
    sampleRate: 48000,
    frameRate: { num: 30000, den: 1001, drop: true },
    start: "01:00:00;00",
  });
  const text = "FCM: DROP FRAME\r\n001  LONG     B     C        10:00:00;00 11:05:00;00 01:00:00;00 02:05:00;00\r\n";
  expect((await fetch(`${url()}/api/v1/reels/${body.id}/lists?name=long.edl&take=1`, { method: "POST", body: text })).status).toBe(200);
  await page.goto(`${url()}/reels/${body.id}`);
  await expect(page.locator(".seamrow").first()).toBeVisible();
  await goTo(page, "02:00:00;00");
  // An hour is 107,892 frames by the standard; the source began at ten o'clock.
  const at = () =>
    page
      .locator("#picture")
      .getAttribute("data-frame")
      .then((f) => Number(f.split(":")[1]));
  await expect.poll(at).toBe(10 * 107892 + 107892);
  await page.keyboard.press("Space");
  // What is drawn and what the clock of the sound says are read at one moment, many times.
  await page.waitForFunction(() => Number(document.querySelector("#picture").dataset.frame.split(":")[1]) > 11 * 107892 + 12);
  const off = await page.evaluate(async () => {
    let worst = 0;
    for (let i = 0; i < 40; i++) {
      await new Promise(requestAnimationFrame);
      await new Promise((r) => setTimeout(r));
      const [h, m, s, f] = document.querySelector("#timecode").value.split(/[:;]/).map(Number),
        minutes = h * 60 + m;
      const heard = (minutes * 60 + s) * 30 + f - 2 * (minutes - Math.floor(minutes / 10)) - 107892,
        seen = Number(document.querySelector("#picture").dataset.frame.split(":")[1]) - 10 * 107892;
      worst = Math.max(worst, Math.abs(seen - heard));
    }
    return worst;
  });
  expect(off).toBe(0);
  await page.keyboard.press("Space");
});
