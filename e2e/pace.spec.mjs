import { choose, expect, goTo, load, saved, test, who } from "./kit.mjs";

const frame = 1920; // samples of a frame at 25 frames and 48 kHz

test.describe("at the picture reel", () => {
  test.use({ of: 3 });

  test("a shot is frozen on a frame, runs at another speed by typing, and runs as recorded again", async ({ bench: page, reel }) => {
    let v = await load(reel);
    const pic = v.reel.tracks.find((t) => t.role === "picture").id,
      shot = () => v.reel.clips.find((c) => c.name === "Warden 2" && c.track === pic),
      src = () => v.reel.sources.find((o) => o.id === shot().source);
    let was = shot();
    const sound = () => v.reel.clips.filter((c) => v.reel.ties.some((t) => t.shot === shot().id && t.clip === c.id)),
      heard = () => sound().map((c) => [c.start, c.length, c.offset, c.source]),
      wasHeard = heard();
    expect(wasHeard.length).toBeGreaterThan(0);
    // By its card, at twice its speed, with its sound; then as it was.
    await choose(page, "Grower 1 → Warden 2");
    await page.locator("#tracks").press("z");
    const box = await page.locator("#lanes").boundingBox(),
      head = await page.locator(".trackhead").first().boundingBox();
    await page.mouse.click(box.x + ((10 * frame + 72000) / 144000) * box.width, head.y + head.height / 2);
    await expect(page.locator("#hint")).toContainText("Warden 2");
    const speed = page.getByLabel("Speed", { exact: true });
    await expect(speed).toHaveValue("100 %");
    await speed.fill("50 %");
    await speed.press("Enter");
    await saved(page, 2);
    v = await load(reel);
    expect(Math.abs(shot().length / frame - was.length / frame / 2)).toBeLessThanOrEqual(0.5);
    expect(src().picture.own).toBe(was.length / frame);
    await expect(speed).toHaveValue(/^(50|49\.\d|50\.\d) %$/);
    const by = shot().length / was.length;
    for (const [i, c] of sound().entries()) {
      expect(Math.abs(c.length - wasHeard[i][1] * by)).toBeLessThan(3);
      expect(Math.abs(c.start - shot().start - (wasHeard[i][0] - was.start) * by)).toBeLessThan(3);
      expect(v.reel.sources.find((o) => o.id === c.source).fit).toMatchObject({ in: wasHeard[i][2], span: wasHeard[i][1] });
    }
    await page.getByLabel("Fit to").selectOption("recorded");
    await saved(page, 3);
    v = await load(reel);
    expect(shot()).toMatchObject({ source: was.source, offset: was.offset });
    expect(heard()).toEqual(wasHeard);
    was = shot();
    await goTo(page, "01:00:08:00");
    const seen = page.locator("#picture"),
      frameSeen = async () => (await seen.getAttribute("data-frame")).split(":")[1];
    await page.keyboard.press("Control+Alt+f");
    await saved(page, 4);
    v = await load(reel);
    const own = was.offset / frame + (8 * 25 - was.start / frame);
    expect(src().picture.held).toBe(own + 1);
    expect([shot().start, shot().length]).toEqual([was.start, was.length]);
    // The window shows the same picture wherever the shot is looked at.
    const look = () => page.evaluate(() => document.getElementById("picture").toDataURL());
    await expect.poll(() => who(page, "picture")).toBe("Warden");
    await page.keyboard.press("ArrowRight");
    await expect.poll(async () => Number(await frameSeen())).toBe(own + 1);
    const one = await look();
    await goTo(page, "01:00:08:10");
    await expect.poll(async () => Number(await frameSeen())).toBe(own + 10);
    expect(await look()).toBe(one);
    await page.keyboard.press("Control+Alt+r");
    await saved(page, 5);
    v = await load(reel);
    expect(shot()).toEqual(was);
    // Alone, where that is wanted: its sound is as it was.
    await page.getByLabel("with sound").uncheck();
    await speed.fill("80 %");
    await speed.press("Enter");
    await saved(page, 6);
    v = await load(reel);
    expect(shot().length).toBeLessThan(was.length);
    expect(heard()).toEqual(wasHeard);
  });
});
