import { mkdirSync, readFileSync, writeFileSync } from "node:fs";
import { api, expect, load, same, test, tone, url, withChunk } from "./kit.mjs";

/** Drops files or folders of this machine onto the page. */
async function drop(page, paths) {
  const cdp = await page.context().newCDPSession(page),
    data = { items: [], files: paths, dragOperationsMask: 1 };
  for (const type of ["dragEnter", "dragOver", "drop"]) await cdp.send("Input.dispatchDragEvent", { type, x: 640, y: 300, data });
}

test("a folder that is dropped brings the files in it, those of its folders too, in groups", async ({ bench: page, reel }, info) => {
  const dir = info.outputPath("takes");
  mkdirSync(`${dir}/inner`, { recursive: true });
  writeFileSync(`${dir}/high.wav`, tone({ hz: 880 }));
  writeFileSync(`${dir}/inner/low.wav`, tone({ hz: 110 }));
  writeFileSync(`${dir}/.hidden.wav`, tone({ hz: 220 }));
  await page.getByRole("tab", { name: "Sources" }).click();
  const rows = page.locator("[data-source-row]");
  // The sources come after the page.
  await expect(rows).not.toHaveCount(0);
  const before = await rows.count();
  await drop(page, [dir]);
  await expect(rows).toHaveCount(before + 2);
  await expect(rows.filter({ hasText: "high" })).toHaveCount(1);
  await expect(rows.filter({ hasText: "low" })).toHaveCount(1);
  // Its tree is the groups of the list; a source is moved to another by typing, and groups are folded.
  const groups = page.locator("[data-folder]:visible");
  await expect(groups).toHaveText([/^takes\s*1/, /^takes\/inner\s*1/]);
  await groups.first().click();
  await expect(rows.filter({ hasText: "high" })).toBeHidden();
  await groups.first().click();
  await rows.filter({ hasText: "high" }).getByRole("button").first().click();
  await page.locator("#source-folder").fill("wild / ..\\ lines");
  await page.locator("#source-folder").press("Enter");
  await expect(groups).toHaveText([/^takes\/inner\s*1/, /^wild\/lines\s*1/]);
  // A folded group stays so; what is looked for is shown wherever it lies.
  await groups.first().click();
  await expect(rows.filter({ hasText: "low" })).toBeHidden();
  await page.reload();
  await page.getByRole("tab", { name: "Sources" }).click();
  await expect(groups).toHaveText([/^takes\/inner\s*1/, /^wild\/lines\s*1/]);
  await expect(rows.filter({ hasText: "low" })).toBeHidden();
  const find = page.getByLabel("Find a source");
  await find.fill("INNER lo");
  await expect(rows).toHaveCount(1);
  await expect(rows.filter({ hasText: "low" })).toBeVisible();
  await find.fill("nothing of that name");
  await expect(page.getByText("No source has these words")).toBeVisible();
  await find.press("Escape");
  await expect(rows).toHaveCount(before + 2);
  const { sources } = (await api("GET", `/reels/${reel}/sources`)).body;
  expect(
    sources
      .filter((s) => s.folder)
      .map((s) => [s.name, s.folder])
      .sort(),
  ).toEqual([
    ["high", "wild/lines"],
    ["low", "takes/inner"],
  ]);
});

test("linking a folder lists what was linked, not other files of the same name", async ({ page }, info) => {
  const dir = info.outputPath("media"),
    made = (await api("POST", "/reels", { name: `Linked ${Math.random()}`, frameRate: { num: 25, den: 1 } })).body.id;
  for (const d of ["good", "old", "notes"]) mkdirSync(`${dir}/${d}`, { recursive: true });
  // The list asks for two seconds from 4 s on: only the take that is long enough holds them.
  writeFileSync(`${dir}/good/line one.wav`, tone({ seconds: 8 }));
  writeFileSync(`${dir}/old/line one.mp3`, readFileSync("demo/sound/glasshouse fan.flac")); // another ending
  writeFileSync(`${dir}/old/LINE ONE.wav`, tone({ seconds: 3, hz: 300 }));
  writeFileSync(`${dir}/notes/other.wav`, tone({ seconds: 1 }));
  const list = info.outputPath("one.edl");
  writeFileSync(
    list,
    "TITLE: ONE\nFCM: NON-DROP FRAME\n\n001  AX       A     C        00:00:04:00 00:00:06:00 01:00:00:00 01:00:02:00\n* FROM CLIP NAME: line one.wav\n",
  );
  await page.goto(`${url()}/reels/${made}`);
  await page.getByRole("tab", { name: "Sources" }).click();
  await page.locator("#list-file").setInputFiles(list);
  await page.getByRole("button", { name: "Import it" }).click();
  await expect(page.locator("[data-missing]")).toHaveCount(1);
  await expect(page.locator("[data-source-row]")).toContainText("missing media");
  await page.locator("#link-folder").setInputFiles(dir);
  await expect(page.locator("[data-missing]")).toHaveCount(0);
  await expect(page.locator("[role=alert]").filter({ hasText: "Not needed, so not listed: LINE ONE.wav" })).toBeVisible();
  await expect(page.locator("[data-source-row]")).toHaveCount(1);
  // The shorter one may have come first, and makes way for the better one.
  await expect.poll(async () => (await load(made)).reel.sources.filter((s) => !s.unlisted).map((s) => s.length)).toEqual([8 * 48000]);
  const v = (await load(made)).reel,
    listed = v.sources.filter((s) => !s.unlisted);
  expect(listed).toHaveLength(1);
  expect(v.clips[0].source).toBe(listed[0].id);
  expect(listed[0].length).toBe(8 * 48000);
});

test("a take that a recorder wrote as several files is joined into one, which sounds as they do one after the other", async ({
  bench: page,
  reel,
}) => {
  const rate = 48000,
    at = (seconds) => {
      const bext = Buffer.alloc(602);
      bext.writeBigUInt64LE(BigInt(seconds * rate), 338);
      return bext;
    },
    parts = [2, 2, 1].map((seconds, i) => ({
      name: `T017_${i + 1}.wav`,
      mimeType: "audio/wav",
      buffer: withChunk(tone({ seconds, hz: 200 + 90 * i }), "bext", at(36000 + 2 * i)),
    })),
    lone = { name: "T018_2.wav", mimeType: "audio/wav", buffer: withChunk(tone({ hz: 500 }), "bext", at(50000)) };
  await page.getByRole("tab", { name: "Sources" }).click();
  await page.locator("#files").setInputFiles([...parts, lone]);
  const offer = page.locator("[data-take]"),
    rows = page.locator("[data-source-row]");
  await expect(offer).toHaveCount(1);
  await expect(offer).toContainText("“T017” is split into 3 files");
  const listed = async () => (await api("GET", `/reels/${reel}/sources`)).body.sources.filter((s) => s.name.startsWith("T01")),
    of = async (s, n) =>
      new Float32Array(
        await (await fetch(`${url()}/api/v1/recordings/${s.recording}/${rate}/pcm?left=0&right=-1&from=0&to=${n}`)).arrayBuffer(),
      );
  const before = (await listed()).filter((s) => s.name.startsWith("T017")).sort((a, b) => a.name.localeCompare(b.name)),
    want = [];
  for (const s of before) want.push(await of(s, s.length));
  await offer.getByRole("button", { name: "Join" }).click();
  await expect(page.getByRole("alert").first()).toContainText("3 files joined");
  await expect(offer).toHaveCount(0);
  await expect(rows.filter({ hasText: "T017" })).toHaveCount(1);
  const now = await listed();
  expect(now.map((s) => s.name).sort()).toEqual(["T017", "T018_2"]);
  const whole = now.find((s) => s.name === "T017");
  expect([whole.length, whole.startTC]).toEqual([5 * rate, 36000 * rate]);
  const heard = await of(whole, whole.length);
  let from = 0;
  for (const part of want) {
    expect(same(heard.subarray(from, from + part.length), part)).toBe(true);
    from += part.length;
  }
  expect(from).toBe(heard.length);
});
