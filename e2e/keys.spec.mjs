import { readFileSync, writeFileSync } from "node:fs";
import { api, choose, expect, load, saved, test, url } from "./kit.mjs";

test.afterEach(async () => {
  for (const s of (await api("GET", "/keys")).body.sets) await api("DELETE", `/keys/${encodeURIComponent(s.name)}`);
});

const row = (page, id) => page.locator(`[data-command][data-id="${id}"]`);

test("a key is changed, a conflict is told with both names, and the bench shows and heeds the keys in force", async ({
  bench: page,
  reel,
}) => {
  await page.locator("#tracks").press("?");
  await page.getByLabel("Search the keys").fill("split");
  await expect(page.getByRole("region", { name: "All keys" }).getByRole("listitem")).toHaveCount(1);
  await page.getByRole("link", { name: "Change keys…" }).click();
  await page.locator("#search").fill("playhead split");
  await expect(page.locator("[data-command]")).toHaveCount(1);
  // A press of the new combination takes the place of the old one.
  await row(page, "split")
    .getByRole("button", { name: /^S for/ })
    .click();
  await page.keyboard.press("Control+Alt+k");
  await expect(row(page, "split")).toContainText("Ctrl Alt K");
  // What another command holds is told with its name, and taken only when wanted.
  await row(page, "split")
    .getByRole("button", { name: /^Add a key/ })
    .click();
  await page.keyboard.press("b");
  await expect(page.getByRole("alert")).toContainText("B is used by “Blend the seam”. Use it for “Split at the playhead” instead?");
  await page.getByRole("button", { name: "Dismiss" }).click();
  await expect(row(page, "split")).not.toContainText(/\bB\b/);
  await row(page, "split")
    .getByRole("button", { name: /^Add a key/ })
    .click();
  await page.keyboard.press("b");
  await page.getByRole("button", { name: "Reassign" }).click();
  await expect(row(page, "split").getByRole("button", { name: /^B for/ })).toBeVisible();
  // What is the browser's is left to it.
  await row(page, "split")
    .getByRole("button", { name: /^Add a key/ })
    .click();
  await page.keyboard.press("F5");
  await expect(page.getByRole("alert")).toContainText("is reserved by the browser");

  await page.goto(`${url()}/reels/${reel}`);
  await expect(page.locator(".seamrow").first()).toBeVisible();
  await choose(page, "Warden 2 → Warden 3");
  await expect(page.locator("#hint")).not.toContainText("B blends it");
  await page.locator("#tracks").press("Shift+ArrowRight");
  await page.keyboard.press("b"); // splits now
  await saved(page, 2);
  expect((await load(reel)).reel.clips.filter((c) => c.name === "Warden 3")).toHaveLength(2);
  await page.keyboard.press("s"); // and this does nothing
  await page.keyboard.press("5");
  await expect(page.getByRole("button", { name: "Split" })).toHaveAttribute("title", "Split at the playhead (Ctrl Alt K)");

  // One is reset, then all.
  await page.goto(`${url()}/keys`);
  await row(page, "split")
    .getByRole("button", { name: /^Reset/ })
    .click();
  await expect(row(page, "split").getByRole("button", { name: /^S for/ })).toBeVisible();
  await expect(row(page, "split").getByRole("button", { name: /^B for/ })).toHaveCount(0);
  await expect(page.getByRole("status")).toContainText("1 command differs from the default"); // the blend lost its key
  await page.getByRole("button", { name: "Reset all" }).click();
  await expect(page.getByRole("status")).toContainText("All keys are the default");
  await expect(row(page, "blend").getByRole("button", { name: /^B for/ })).toBeVisible();
});

test("named sets are made, chosen, exported, imported and removed", async ({ page }, info) => {
  await page.goto(`${url()}/keys`);
  await page.getByLabel("Name of a new set").fill("left hand");
  await page.getByRole("button", { name: "Save as a new set" }).click();
  await expect(page.locator("#set")).toHaveValue("left hand");
  await row(page, "nextSeam")
    .getByRole("button", { name: /^N for/ })
    .click();
  await page.keyboard.press("Alt+q");
  await expect(row(page, "nextSeam")).toContainText("Alt Q");
  const [file] = await Promise.all([page.waitForEvent("download"), page.getByRole("button", { name: "Export", exact: true }).click()]);
  const path = info.outputPath("set.json");
  await file.saveAs(path);
  expect(file.suggestedFilename()).toBe("left hand.keys.json");
  const set = JSON.parse(readFileSync(path, "utf8"));
  expect(set).toMatchObject({ format: "blend-seam-keys", version: 1, name: "left hand" });
  expect(set.keys.nextSeam).toEqual(["alt+q"]);
  await page.locator("#set").selectOption("");
  await expect(row(page, "nextSeam").getByRole("button", { name: /^N for/ })).toBeVisible();
  await page.locator("#import-keys").setInputFiles(path);
  await expect(page.getByRole("alert")).toContainText("Imported as “left hand 2”");
  await expect(row(page, "nextSeam")).toContainText("Alt Q");
  // A file that is none, one with a conflict, and one of another version.
  for (const [text, word] of [
    ["{", "is not a key set"],
    [JSON.stringify({ ...set, version: 9 }), "is not a key set"],
    [JSON.stringify({ ...set, keys: { split: ["w"], join: ["w"] } }), "cannot call both"],
  ]) {
    writeFileSync(path, text);
    await page.locator("#import-keys").setInputFiles(path);
    await expect(page.getByRole("alert")).toContainText(word);
  }
  await page.reload();
  await expect(page.locator("#set")).toHaveValue("left hand 2");
  await page.getByRole("button", { name: "Remove this set" }).click();
  await expect(page.locator("#set")).toHaveValue("");
  await page.getByRole("button", { name: "Undo", exact: true }).click();
  await expect(page.locator("#set")).toHaveValue("left hand 2");
  await expect(row(page, "nextSeam")).toContainText("Alt Q");
});
