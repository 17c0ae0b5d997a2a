import { execFileSync } from "node:child_process";
import { readFileSync } from "node:fs";
import Ajv from "ajv";
import { api, expect, laid, load, pcm, same, test, url } from "./kit.mjs";

test("a reel is saved as a bundle and opened from it: the same sound, history and all", async ({ page, reel }, info) => {
  const { reel: doc } = await load(reel),
    clip = doc.clips.at(-1);
  await api("POST", `/reels/${reel}/edits`, { base: 1, edit: { do: "gain", with: { clips: [clip.id], by: -4 } } });
  await page.goto(`${url()}/`);
  const row = page.locator(`[data-reel="${reel}"]`);
  await row.getByRole("button", { name: /^Save .* as a bundle$/ }).click();
  const dialog = page.getByRole("dialog", { name: "Save as a bundle" });
  await expect(dialog.getByLabel("History")).toBeChecked();
  await dialog.getByRole("button", { name: "Save" }).click();
  await page.waitForURL("**/jobs");
  const job = page.locator("[data-job]").first();
  await expect(job).toHaveAttribute("data-state", "done");
  await expect(job).toContainText("bundle");
  const [file] = await Promise.all([page.waitForEvent("download"), job.getByRole("link", { name: /^Download/ }).click()]),
    path = info.outputPath("reel.bundle.zip");
  expect(file.suggestedFilename()).toMatch(/\.bundle\.zip$/);
  await file.saveAs(path);
  // It says of itself what its published schema says.
  const says = JSON.parse(execFileSync("unzip", ["-p", path, "bundle.json"]).toString()),
    holds = new Ajv().compile(JSON.parse(readFileSync("docs/bundle.schema.json", "utf8")));
  expect(holds(says), JSON.stringify(holds.errors)).toBe(true);
  expect(says.recordings.length).toBeGreaterThan(3);

  await page.goto(`${url()}/`);
  await page.getByLabel("Open a bundle…").setInputFiles(path);
  await page.waitForURL(/\/reels\/\d+$/);
  const id = Number(new URL(page.url()).pathname.split("/").pop());
  expect(id).not.toBe(reel);
  expect(await laid(id)).toEqual(await laid(reel));
  expect((await load(id)).revision).toBe((await load(reel)).revision);
  for (const at of [0, 480_000, 1_200_000]) expect(same(await pcm(id, at, at + 240_000), await pcm(reel, at, at + 240_000))).toBe(true);
  // Its last step is undone here.
  await expect(page.locator("#save")).toHaveText(/Saved r\d+$/);
  await page.locator("#tracks").focus();
  await page.keyboard.press("Control+z");
  await expect.poll(async () => (await load(id)).reel.clips.find((c) => c.id === clip.id).gainDB).toBe(clip.gainDB);

  // What is no bundle is told in words, and makes no reel.
  await page.goto(`${url()}/`);
  const before = (await api("GET", "/reels")).body.reels.length;
  await page
    .getByLabel("Open a bundle…")
    .setInputFiles({ name: "notes.zip", mimeType: "application/zip", buffer: Buffer.from("no archive") });
  await expect(page.getByRole("alert").filter({ hasText: "cannot be opened" }).first()).toBeVisible();
  expect((await api("GET", "/reels")).body.reels.length).toBe(before);
});
