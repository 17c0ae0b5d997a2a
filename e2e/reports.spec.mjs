import { readFileSync } from "node:fs";
import { api, expect, load, saved, test, url } from "./kit.mjs";

/** The rows of a CSV file without quotes in it. */
const rows = (path) =>
  readFileSync(path, "utf8")
    .trim()
    .split("\r\n")
    .map((line) => line.split(/,(?=(?:[^"]*"[^"]*")*[^"]*$)/).map((c) => c.replace(/^"|"$/g, "")));

test("cue sheet and seam report are shown for paper and saved as CSV; markers go out and come in", async ({ bench: page, reel }, info) => {
  const { reel: r } = await load(reel);
  // Markers from a list, in the hand of another country; one step takes them back.
  await page.getByRole("tab", { name: "Markers" }).click();
  await page.locator("#markers-file").setInputFiles({
    name: "notes.csv",
    mimeType: "text/csv",
    buffer: Buffer.from("Zeit;Text\r\n01:00:05:00;Tür\r\n01:00:10:12;Schritte; laut\r\n"),
  });
  await saved(page, 2);
  await expect(page.locator("[data-marker]")).toHaveCount((r.markers ?? []).length + 2);
  const texts = (await load(reel)).reel.markers.map((m) => m.text);
  expect(texts).toEqual(expect.arrayContaining(["Tür", "Schritte · laut"]));
  await page.locator("#markers-file").setInputFiles({ name: "none.csv", mimeType: "text/csv", buffer: Buffer.from("hello") });
  await expect(page.getByRole("alert").filter({ hasText: "no marker can be found" }).first()).toBeVisible();

  // The cue sheet has a row for every clip, the seam report one for every seam.
  await page.locator("#tracks").focus();
  const [paper] = await Promise.all([page.context().waitForEvent("page"), page.keyboard.press("Control+Alt+p")]);
  await expect(paper.getByRole("heading", { name: "Cue sheet" })).toBeVisible();
  await expect(paper.locator("tbody tr")).toHaveCount(r.clips.length);
  await paper.getByRole("link", { name: "Seam report" }).click();
  await expect(paper.getByRole("heading", { name: "Seam report" })).toBeVisible();
  const { body } = await api("GET", `/reels/${reel}/seams`); // all measured by now
  await expect(paper.locator("tbody tr")).toHaveCount(body.seams.length);
  await expect(paper.locator("tbody tr").filter({ hasText: "mend" })).toHaveCount(3);
  // On paper there is the table alone, in black, and it is as wide as the sheet.
  await paper.emulateMedia({ media: "print" });
  await expect(paper.locator("header")).toBeHidden();
  for (const format of ["A4", "Letter"]) expect((await paper.pdf({ format })).subarray(0, 4).toString()).toBe("%PDF");
  await paper.emulateMedia({ media: "screen" });
  const [file] = await Promise.all([paper.waitForEvent("download"), paper.getByRole("link", { name: "CSV" }).click()]),
    path = info.outputPath("seams.csv");
  expect(file.suggestedFilename()).toMatch(/Seam report\.csv$/);
  await file.saveAs(path);
  const [head, ...list] = rows(path);
  expect(head.slice(0, 4)).toEqual(["Timecode", "Track", "Seam", "Verdict"]);
  expect(list.map((l) => l[3]).sort()).toEqual(body.seams.map((s) => s.verdict).sort());
  const res = await fetch(`${url()}/api/v1/reels/${reel}/reports/nothing`);
  expect(res.status).toBe(400);
});

test("the seam report tells what was done at a seam last, and when; what is undone is not told", async ({ bench: page, reel }) => {
  const report = async () => {
    const text = await (await fetch(`${url()}/api/v1/reels/${reel}/reports/seams`)).text();
    return text
      .trim()
      .split("\r\n")
      .map((line) => line.split(/,(?=(?:[^"]*"[^"]*")*[^"]*$)/).map((c) => c.replace(/^"|"$/g, "")));
  };
  const v = await load(reel),
    at = (title, list) => list.find((l) => l[2] === title);
  const [head, ...before] = await report();
  expect(head.slice(-2)).toEqual(["Last edit", "When (UTC)"]);
  expect(before.every((l) => l.at(-1) === "" && l.at(-2) === "")).toBe(true);
  const shot = (name) => v.reel.clips.find((c) => c.name === name);
  const blend = { left: shot("Warden 3").id, right: shot("Warden 4").id, before: 2400, after: 2400, law: "constantPower", lean: 0.5 };
  const done = await api("POST", `/reels/${reel}/edits`, { base: v.revision, edit: { do: "setBlend", with: blend } });
  expect(done.status ?? 200).toBe(200);
  const [, ...after] = await report(),
    row = at("Warden 3 → Warden 4", after);
  expect(row.at(-2)).not.toBe("");
  expect(Math.abs(Date.parse(`${row.at(-1).replace(" ", "T")}:00Z`) - Date.now())).toBeLessThan(130_000);
  // The seams at the other ends of both clips are of clips that were altered; no others are.
  const told = after.filter((l) => l.at(-2) !== "").map((l) => l[2]);
  expect(told.every((t) => /Warden [34]/.test(t))).toBe(true);
  await api("POST", `/reels/${reel}/undo`);
  const [, ...undone] = await report();
  expect(at("Warden 3 → Warden 4", undone).at(-2)).toBe("");
  // The open ones alone: neither fine nor accepted.
  const { body } = await api("GET", `/reels/${reel}/seams`),
    open = body.seams.filter((s) => !["fine", "silent"].includes(s.verdict) && !s.accepted);
  const paper = await page.context().newPage();
  await paper.goto(`${url()}/reels/${reel}/print/open`);
  await expect(paper.getByRole("heading", { name: "Open seams" })).toBeVisible();
  expect(open.length).toBeGreaterThan(3);
  await expect(paper.locator("tbody tr")).toHaveCount(open.length);
  await page.reload();
});
