import { api, choose, expect, find, heard, load, pcm, same, seamOf, test, wasHeard } from "./kit.mjs";

// The ears are a script of the test's own, which the page's policy would refuse.
test.use({ bypassCSP: true });

/** Waits until a number of samples was heard that are not silence. */
const until = (page, n) =>
  page.waitForFunction((n) => window.heard.reduce((k, b) => k + b[0].reduce((m, s) => m + (s !== 0), 0), 0) >= n, n);

const one = (interleaved, c) => Float32Array.from({ length: interleaved.length / 2 }, (_, i) => interleaved[2 * i + c]);

test("enter plays the seam, shift+enter the hard cut: what sounds is what is rendered, bit for bit", async ({ bench: page, reel }) => {
  await choose(page, "Warden 1 → Warden 2");
  const s = seamOf(await load(reel), "Warden 1", "Warden 2");
  expect(s.blend).toBeTruthy();
  for (const [key, extra] of [
    ["Enter", ""],
    ["Shift+Enter", `&hardCut=${s.blend.id}`],
  ]) {
    await page.evaluate(() => (window.heard = []));
    await page.locator("#tracks").press(key);
    await expect(page.getByRole("button", { name: "Stop" })).toBeVisible();
    await expect(page.getByRole("button", { name: "Play", exact: true })).toBeVisible();
    const whole = await pcm(reel, s.at - 48000, s.at + 48000, extra);
    const [left, right] = await heard(page);
    // All but the first samples, over which starting is eased.
    for (const [ear, c] of [
      [left, 0],
      [right, 1],
    ]) {
      const want = one(whole, c),
        at = find(ear, want, 200, 64);
      expect(at).toBeGreaterThan(-1);
      for (let i = 200; i < want.length; i++)
        if (ear[at + i - 200] !== want[i]) throw new Error(`${key}: sample ${i} was heard as ${ear[at + i - 200]}, rendered as ${want[i]}`);
    }
  }
});

test("the loop goes on, and an edit made while it plays is heard within half a second without a click", async ({ bench: page, reel }) => {
  await choose(page, "Warden 1 → Warden 2");
  await page.locator("#tracks").press("l");
  await page.locator("#tracks").press("Enter");
  await until(page, 48000 * 2.4);
  const v = await load(reel),
    warden = v.reel.tracks.find((t) => t.name === "Warden");
  const before = await page.evaluate(() => window.heard.length);
  // Another window turns everything else down, so that the change is plain to hear.
  await api("POST", `/reels/${reel}/edits`, { base: v.revision, edit: { do: "setTrack", with: { track: warden.id, gainDB: -90 } } });
  const after = v.reel.tracks.filter((t) => t.name !== "Warden");
  for (const t of after)
    await api("POST", `/reels/${reel}/edits`, {
      base: (await load(reel)).revision,
      edit: { do: "setTrack", with: { track: t.id, mute: true } },
    });
  // From when the last of them was saved: how long five requests take is not the player's doing.
  const acknowledged = await page.evaluate(() => window.heard.length);
  await page.waitForFunction((n) => {
    const late = window.heard.slice(n);
    return late.length > 300 && late.slice(-80).every((b) => b[0].every((x) => Math.abs(x) < 1e-4));
  }, before);
  const quietAt = await page.evaluate((n) => {
    const late = window.heard.slice(n);
    let i = late.length;
    while (i > 0 && late[i - 1][0].every((x) => Math.abs(x) < 1e-4)) i--;
    return (i * 128) / 48000;
  }, acknowledged);
  // The last of the edits ends the sound.
  expect(quietAt).toBeLessThan(0.9);
  await page.locator("#tracks").press(" ");
  await expect(page.getByRole("button", { name: "Play", exact: true })).toBeVisible();
  const [left] = await heard(page);
  let step = 0;
  for (let i = 1; i < left.length; i++) step = Math.max(step, Math.abs(left[i] - left[i - 1]));
  // No jump that is not in the recordings themselves.
  const rendered = one(await pcm(1, seamOf(v, "Warden 1", "Warden 2").at - 48000, seamOf(v, "Warden 1", "Warden 2").at + 48000), 0);
  let natural = 0;
  for (let i = 1; i < rendered.length; i++) natural = Math.max(natural, Math.abs(rendered[i] - rendered[i - 1]));
  expect(step).toBeLessThanOrEqual(natural * 1.05 + 1e-4);
});

test("space plays from the playhead and leaves it where it stopped; sound starts at once", async ({ bench: page, reel }) => {
  await page.locator("#timecode").fill("01:00:12:00");
  await page.locator("#timecode").press("Enter");
  await expect(page.locator("#timecode")).toHaveValue("01:00:12:00");
  await page.locator("#tracks").press(" ");
  await until(page, 24000);
  await page.locator("#tracks").press(" ");
  await expect(page.getByRole("button", { name: "Play", exact: true })).toBeVisible();
  const tc = await page.locator("#timecode").inputValue();
  expect(tc > "01:00:12:08" && tc < "01:00:16:00").toBe(true);
  const want = one(await pcm(reel, 12 * 48000, 13 * 48000), 0),
    [left] = await heard(page);
  expect(find(left, want, 200, 4000)).toBeGreaterThan(-1);
});

test("half and double speed, backwards, and sound under the playhead that is dragged; the monitor's level is not the reel's", async ({
  bench: page,
  reel,
}) => {
  const v = await load(reel),
    at = v.reel.clips.find((c) => c.name === "Warden 1").start + 48000,
    go = async () => {
      await page.locator("#timecode").fill("01:00:12:20");
      await page.locator("#timecode").press("Enter");
      await page.locator("#tracks").focus();
      await page.evaluate(() => (window.heard = []));
    },
    here = (12 * 25 + 20) * 1920;
  expect(Math.abs(at - here)).toBeLessThan(96000);
  // Backwards: what was rendered, turned round, to the bit.
  await go();
  await page.keyboard.press("Alt+y");
  const back = one(await pcm(reel, here - 24000, here - 12000), 0).reverse();
  await expect.poll(() => wasHeard(page, back)).toBe(true);
  await page.keyboard.press("Space");
  // Half and double: the playhead goes by at that speed, and what is heard is what the server makes.
  for (const [key, speed] of [
    ["Alt+g", 0.5],
    ["Alt+f", 2],
  ]) {
    await go();
    await page.keyboard.press(key);
    const some = one(await pcm(reel, 9600, 19200, `&speed=${speed}&start=${here}`), 0);
    await expect.poll(() => wasHeard(page, some)).toBe(true);
    const now = () => page.evaluate(() => [document.querySelector("#timecode").value, window.heard.length]),
      [a, n] = await now();
    await page.waitForFunction((n) => window.heard.length > n + 375, n); // a second and more
    const [b, m] = await now();
    const frames = (t) => t.split(":").reduce((s, p, i) => s * [0, 60, 60, 25][i] + Number(p), 0);
    expect(Math.abs(frames(b) - frames(a) - (25 * speed * (m - n) * 128) / 48000)).toBeLessThan(12);
    await page.keyboard.press("Space");
  }
  // What plays next plays as usual.
  await go();
  await page.keyboard.press("Alt+y");
  await expect(page.getByRole("button", { name: "Stop" })).toBeVisible();
  await page.keyboard.press("Space");
  await go();
  await page.keyboard.press("Space");
  const usual = one(await pcm(reel, here + 9600, here + 14400), 0);
  await expect.poll(() => wasHeard(page, usual)).toBe(true);
  await page.keyboard.press("Space");
  // The monitor: half as loud here, and the very same on the server.
  const was = await pcm(reel, here, here + 9600);
  await go();
  for (let i = 0; i < 2; i++) await page.keyboard.press("Shift+PageDown");
  await expect(page.locator("#hint")).toContainText("Monitor −6.0 dB");
  await page.keyboard.press("Space");
  await expect.poll(() => page.evaluate(() => window.heard.reduce((m, b) => Math.max(m, ...b[0].map(Math.abs)), 0))).toBeGreaterThan(0.01);
  await page.keyboard.press("Space");
  expect(await wasHeard(page, one(was, 0).slice(2000, 4000))).toBe(false);
  expect(same(await pcm(reel, here, here + 9600), was)).toBe(true);
  for (let i = 0; i < 2; i++) await page.keyboard.press("Shift+PageUp");
  // Under the playhead, both ways.
  await page.evaluate(() => (window.heard = []));
  const ruler = await page.locator("#ruler").boundingBox();
  await page.mouse.move(ruler.x + 130, ruler.y + 6);
  await page.mouse.down();
  for (const to of [180, 140]) {
    await page.evaluate(() => (window.heard = []));
    await expect
      .poll(async () => {
        await page.mouse.move(ruler.x + to + Math.random() * 6, ruler.y + 6, { steps: 3 });
        return page.evaluate(() => window.heard.some((b) => b[0].some((x) => x !== 0)));
      })
      .toBe(true);
  }
  await page.mouse.up();
});
