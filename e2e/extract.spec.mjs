import { execFileSync } from "node:child_process";
import { mkdtempSync, readdirSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { expect, load, readWAV, test } from "./kit.mjs";

test("five stretches of a recording are marked while it plays, by keys alone, named, and saved in one go as files and sources", async ({
  bench: page,
  reel,
}) => {
  const before = (await load(reel)).reel.sources,
    take = before.find((s) => s.name === "warden take 3"),
    list = page.getByRole("list", { name: "Stretches" }).getByRole("listitem");
  await page.getByRole("tab", { name: "Sources" }).click();
  await page.locator("[data-source-row]").filter({ hasText: "warden take 3" }).getByRole("button").first().press("Enter");
  await expect(page.getByRole("heading", { name: "Stretches" })).toBeVisible();
  // The whole is listened to; where one presses in and out is what one hears.
  await page.locator("#stretch-name").fill("line 1");
  await page.locator("#tracks").press("Space");
  const press = (key, field, beyond) =>
    expect
      .poll(async () => {
        await page.keyboard.press(key);
        return Number(await page.getByLabel(field).inputValue());
      })
      .toBeGreaterThan(beyond);
  let last = 0;
  for (let i = 1; i <= 5; i++) {
    await press("i", "In, s", last + 0.2);
    await press("o", "Out, s", Number(await page.getByLabel("In, s").inputValue()) + 0.3);
    last = Number(await page.getByLabel("Out, s").inputValue());
    await page.keyboard.press("Alt+Shift+S");
    await expect(list).toHaveCount(i);
  }
  await page.keyboard.press("Space");
  await expect(page.getByLabel("Name of stretch 5")).toHaveValue("line 5");
  await page.getByLabel("Name of stretch 2").fill("the warning");
  await page.getByLabel("Name of stretch 2").press("Enter");
  // They are there after a reload.
  await page.reload();
  await expect(page.locator(".seamrow").first()).toBeVisible();
  await page.getByRole("tab", { name: "Sources" }).click();
  await page.locator("[data-source-row]").filter({ hasText: "warden take 3" }).getByRole("button").first().press("Enter");
  await expect(list).toHaveCount(5);
  const kept = await page.evaluate(() => JSON.parse(Object.entries(localStorage).find(([k]) => k.startsWith("stretches"))[1]));
  await page.locator("#tracks").press("Control+Alt+e");
  await page.locator("#extract-names").fill("{wrong}");
  await page.locator("#do-extract").click();
  await expect(page.locator("#extract [role=alert]")).toContainText("{timecode}");
  await page.locator("#extract-names").fill("{number} {name}");
  await page.locator("#extract").getByLabel("Samples").selectOption("32");
  const [file] = await Promise.all([page.waitForEvent("download"), page.locator("#do-extract").click()]);
  await expect(page.getByRole("alert").first()).toContainText("5 saved as sources");
  const dir = mkdtempSync(join(tmpdir(), "stretches-"));
  execFileSync("unzip", ["-q", await file.path(), "-d", dir]);
  expect(readdirSync(dir).sort()).toEqual(["001 line 1.wav", "002 the warning.wav", "003 line 3.wav", "004 line 4.wav", "005 line 5.wav"]);
  const now = (await load(reel)).reel.sources.filter((s) => !before.some((o) => o.id === s.id));
  expect(now.map((s) => s.name)).toEqual(["001 line 1", "002 the warning", "003 line 3", "004 line 4", "005 line 5"]);
  kept.forEach((k, i) => {
    expect(now[i].length).toBe(k.to - k.from);
    if (take.startTC >= 0) expect(now[i].startTC).toBe(take.startTC + k.from);
    const [wav] = readWAV(join(dir, `00${i + 1} ${k.name}.wav`)).samples;
    expect(wav.length).toBe(k.to - k.from);
    expect(wav.some((x) => Math.abs(x) > 1e-4)).toBe(true);
  });
});
