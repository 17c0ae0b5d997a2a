import { execFileSync } from "node:child_process";
import { readFileSync, readdirSync } from "node:fs";
import { join } from "node:path";
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

for (const fades of ["", "curved"])
  test(`a reel is handed on as an audio decision list with its sound${fades && ", fades and worked clips in files"}, and taken over from it into a new reel`, async ({
    bench: page,
    reel,
  }, info) => {
    test.setTimeout(120_000);
    if (fades) {
      // What no list can say: a struck span and a gain line.
      const { revision, reel: r } = await load(reel),
        talk = r.clips.filter((c) => r.tracks.find((t) => t.id === c.track).role === "dialogue");
      const edits = [
        {
          do: "strike",
          with: {
            clips: [talk[0].id],
            tracks: [talk[0].track],
            from: talk[0].start + 9600,
            to: talk[0].start + 19200,
            fade: 480,
            shape: "constantPower",
          },
        },
        { do: "addPoint", with: { clip: talk[1].id, at: talk[1].offset + 4800, db: -9 } },
      ];
      for (const [i, edit] of edits.entries())
        expect((await api("POST", `/reels/${reel}/edits`, { base: revision + i, edit })).status).toBeLessThan(300);
      await expect(page.locator("#save")).toHaveText(new RegExp(`r${revision + 2}$`));
    }
    await page.locator("#tracks").focus();
    await page.keyboard.press("Shift+E");
    const dialog = page.locator("#export");
    await dialog.locator("select").first().selectOption("adl");
    await expect(dialog).toContainText("every time to the sample");
    await expect(dialog.getByLabel(/With its sound/)).toBeChecked();
    await dialog.getByLabel("Fades and blends").selectOption(fades);
    const inTheSound = dialog.getByLabel(/Strikes, gain lines and treatments/);
    if (fades) {
      await inTheSound.uncheck();
      await expect(dialog.getByLabel("What is lost")).toContainText("A struck span is written as it was recorded.");
      await inTheSound.check();
    }
    await expect(inTheSound).toBeChecked();
    await expect(dialog).toContainText("Everything can be written.");
    await dialog.getByRole("button", { name: "Export", exact: true }).click();
    const job = page.locator("#jobs [data-job]").first();
    await expect(job).toHaveAttribute("data-state", "done", { timeout: 30_000 });
    const [file] = await Promise.all([page.waitForEvent("download"), job.getByRole("link", { name: /^Download/ }).click()]),
      path = info.outputPath("list.zip"),
      folder = info.outputPath("list");
    await file.saveAs(path);
    execFileSync("unzip", ["-q", path, "-d", folder]);
    const files = readdirSync(folder, { recursive: true })
        .filter((f) => /\.\w+$/.test(f))
        .map((f) => join(folder, f)),
      list = files.find((f) => f.endsWith(".adl"));
    await page.keyboard.press("Escape");

    // What was chosen is the choice for the next list.
    await page.reload();
    await expect(page.locator("#save")).toHaveText(/r\d+$/);
    await page.locator("#tracks").focus();
    await page.keyboard.press("Shift+E");
    await dialog.locator("select").first().selectOption("adl");
    await expect(dialog.getByLabel("Fades and blends")).toHaveValue(fades);

    await page.goto(`${url()}/`);
    await page.getByRole("button", { name: "New reel" }).click();
    await page.getByRole("textbox", { name: "Name" }).fill("Taken over");
    await page.getByRole("button", { name: "Create" }).click();
    await page.waitForURL(/reels\/\d+/);
    const id = Number(/reels\/(\d+)/.exec(page.url())[1]);
    await page.getByRole("tab", { name: "Sources" }).click();
    await page.locator("#list-file").setInputFiles(list);
    const brings = page.getByRole("dialog", { name: /Import/ });
    await brings.getByRole("button", { name: "Import it" }).click();
    await expect(brings).toBeHidden();
    await page.locator("#link-files").setInputFiles(files.filter((f) => f !== list));
    await expect(page.locator("[data-missing]")).toHaveCount(0, { timeout: 60_000 });
    expect(files.some((f) => f.includes("/Fades/"))).toBe(fades === "curved");
    expect(files.filter((f) => f.includes("/Clips/"))).toHaveLength(fades ? 2 : 0);
    // Each clip lies where it lay and plays what it played, gain and blends with it.
    const told = async (of) => (await laid(of)).clips.map((c) => `${c.name} ${c.start}+${c.length} ${c.gainDB}`).sort();
    if (!fades) expect(await told(id)).toEqual(await told(reel));
    // It sounds the same where the tracks are heard at their own level.
    const v = await load(reel);
    for (const of of [reel, id]) {
      let { revision, reel: r } = await load(of);
      for (const t of r.tracks) {
        await api("POST", `/reels/${of}/edits`, { base: revision, edit: { do: "setTrack", with: { track: t.id, gainDB: 0, pan: 0 } } });
        revision = (await load(of)).revision;
      }
    }
    const end = Math.max(...v.reel.clips.map((c) => c.start + c.length));
    for (let at = 0; at < end; at += 960_000) {
      const a = await pcm(reel, at, Math.min(at + 960_000, end)),
        b = await pcm(id, at, Math.min(at + 960_000, end));
      expect(a.reduce((worst, x, i) => Math.max(worst, Math.abs(x - b[i])), 0)).toBeLessThan(2e-6);
    }
  });
