import { readFileSync } from "node:fs";
import { createRequire } from "node:module";
import { api, choose, expect, load, saved, test, url } from "./kit.mjs";

const axe = readFileSync(createRequire(import.meta.url).resolve("axe-core/axe.min.js"), "utf8");

const wcag = { type: "tag", values: ["wcag2a", "wcag2aa", "wcag21aa", "wcag22aa"] },
  // All of those that colours decide; the others find the same by day and by night.
  ofColours = { type: "rule", values: ["color-contrast", "link-in-text-block"] };

/** What axe finds against WCAG 2.2 A and AA, in words. */
async function faults(page, runOnly) {
  await page.evaluate("window.axe || 0").then((there) => there || page.evaluate(axe));
  const found = await page.evaluate((runOnly) => window.axe.run(document, { runOnly, resultTypes: ["violations"] }), runOnly);
  return found.violations.flatMap((v) =>
    v.nodes.map(
      (n) =>
        `${v.id}: ${n.html.slice(0, 160)} — ${n.any
          .map((a) => a.message)
          .join("; ")
          .slice(0, 200)}`,
    ),
  );
}

/** Nothing is found on what is shown, by day and by night. */
async function lookAt(page) {
  expect(await faults(page, wcag)).toEqual([]);
  const colour = () => page.evaluate(() => getComputedStyle(document.body).color);
  const day = await colour();
  await page.emulateMedia({ colorScheme: "dark" });
  await expect.poll(colour).not.toBe(day);
  expect(await faults(page, ofColours)).toEqual([]);
  await page.emulateMedia({ colorScheme: "light" });
  await expect.poll(colour).toBe(day);
}

/** The views, a test each: how to come to what they show, looking at each with a call of look. */
const views = {
  "the bench and a seam": async (page, look) => {
    await look();
    await choose(page, "Warden 1 → Warden 2");
    await expect(page.locator("#blend-ms")).toBeVisible();
    await look();
    await page.getByRole("button", { name: "At the cut" }).click();
    await expect(page.getByRole("heading", { name: "Limits of this reel" })).toBeVisible();
    await look();
  },
  "a seam's presets, spectrum, better cuts and sweep": async (page, look) => {
    await choose(page, "Warden 1 → Warden 2");
    await page.getByRole("button", { name: "Presets", exact: true }).click();
    await expect(page.locator("[data-preset]").first()).toBeVisible();
    await look();
    await page.keyboard.press("Escape");
    await page.getByRole("radio", { name: "Spectrum" }).click();
    await page.locator("#tracks").press("q");
    await expect(page.locator("[data-better]").first()).toBeVisible();
    await look();
    await page.keyboard.press("Escape");
    await page.locator("#tracks").press("Shift+B");
    await expect(page.locator("[data-sweep]").first()).toBeVisible();
    await look();
  },
  "a clip, markers, steps": async (page, look) => {
    await choose(page, "Warden 1 → Warden 2");
    await page.locator("#tracks").press("5");
    await expect(page.getByRole("heading", { name: "Clip" })).toBeVisible();
    await look();
    await page.keyboard.press("m");
    await expect(page.locator("[data-marker]").first()).toBeVisible();
    await look();
    await page.getByRole("tab", { name: "History" }).click();
    await expect(page.locator("[data-step]")).toHaveCount(2);
    await page.getByRole("button", { name: "Save", exact: true }).click();
    await expect(page.locator("[data-version]")).toBeVisible();
    await look();
  },
  "a track, a marked span, the menu, a source, the keys": async (page, look) => {
    await page.locator(".trackhead button").first().click();
    await expect(page.getByRole("heading", { name: "Track" })).toBeVisible();
    await choose(page, "Warden 1 → Warden 2");
    await page.locator("#tracks").press("5");
    await page.keyboard.press("v");
    await expect(page.getByRole("group", { name: "Marked span" })).toBeVisible();
    await look();
    await page.keyboard.press("Shift+F10");
    await expect(page.getByRole("menu")).toBeVisible();
    await look();
    await page.keyboard.press("Escape");
    await page.keyboard.press("Escape");
    await page.getByRole("tab", { name: "Sources" }).click();
    await page.locator("[data-source-row] button").first().press("Enter");
    await expect(page.getByLabel("In, s")).toBeVisible();
    await look();
    await page.locator("#tracks").press("?");
    await expect(page.getByRole("heading", { name: "Keys" })).toBeVisible();
    await look();
  },
  "what is struck, room tone, filling, a bed": async (page, look) => {
    await choose(page, "Warden 1 → Warden 2");
    await page.locator("#tracks").press("v");
    await page.keyboard.press("x");
    await expect(page.locator("#struck")).toBeVisible();
    await page.keyboard.press("c");
    await expect(page.getByLabel("Gain of the tone, dB")).toBeVisible();
    await look();
    await page.keyboard.press("Shift+5");
    await page.locator("#find-quiet").click();
    await page.locator("[data-quiet]").first().getByRole("button", { name: "Save", exact: true }).click();
    await expect(page.locator("[data-swatch]")).toBeVisible();
    await look();
    await page.locator("#tracks").press("Shift+T");
    await page.getByLabel("Which gaps").selectOption("all");
    await expect(page.locator("[data-fill]").first()).toBeVisible();
    await look();
    await page.keyboard.press("Escape");
    await page.locator("#tracks").press("Shift+R");
    await page.locator("#bed-strike").check();
    await expect(page.locator("#bed [role=status]")).toContainText("struck");
    await look();
  },
  "points of a ride, a duck, evening out, loudness": async (page, look) => {
    await choose(page, "Warden 1 → Warden 2");
    await page.locator("#tracks").press("9");
    await expect(page.locator("#points")).toBeVisible();
    await look();
    await page.keyboard.press("Escape");
    await page.locator("#tracks").getByText("Music", { exact: true }).first().click();
    await page.locator("#duck button").first().click();
    await expect(page.getByRole("button", { name: "Update", exact: true })).toBeVisible();
    await look();
    await page.locator("#tracks").press("Shift+U");
    await expect(page.locator("[data-even]").first()).toBeVisible();
    await look();
    await page.keyboard.press("Escape");
    await page.locator("#tracks").press("Alt+i");
    await expect(page.locator("[data-loud]").first()).toBeVisible();
    await look();
  },
  "a treatment, a matched tone, how one listens": async (page, look) => {
    await choose(page, "Warden 2 → Warden 3");
    await page.locator("#tracks").press("Alt+Shift+C");
    await page.getByRole("button", { name: "Match to the clip before" }).click();
    await look();
    await page.getByRole("button", { name: "Match anyway" }).click();
    await expect(page.getByLabel("Amount of the matched tone, percent")).toBeVisible();
    await page.getByRole("checkbox", { name: "Expander" }).check();
    await expect(page.getByRole("button", { name: "From room" })).toBeVisible();
    await look();
    await page.locator("#tracks").press("Alt+s");
    await expect(page.locator("#listening")).toBeVisible();
    await look();
  },
  "picture, a split edit, an edit list": async (page, look) => {
    await page.goto(`${url()}/reels/3`);
    await choose(page, "Warden 1 → Grower 1");
    await page.locator("#tracks").press("e");
    await expect(page.locator("[data-offer]")).toHaveCount(3);
    await look();
    await page.getByRole("tab", { name: "Sources" }).click();
    await expect(page.locator("[data-missing]")).toHaveCount(1);
    await look();
    await page.locator("#list-file").setInputFiles("demo/picture/frost warning.edl");
    await expect(page.locator("[data-list-track]").first()).toBeVisible();
    await look();
    await page.keyboard.press("Escape");
    await page.locator("#tracks").press("Shift+E");
    await page.locator("#export select").first().selectOption("edl");
    await expect(page.getByRole("list", { name: "What is lost" })).toContainText("left out");
    await look();
  },
  "the other pages": async (page, look, reel) => {
    await page.goto(`${url()}/reels/${reel}/sources`);
    await expect(page.locator("[data-source-row]")).toHaveCount(7);
    await look();
    await api("POST", `/reels/${reel}/exports`, { from: 0, to: 48000, bits: 24, channels: 2, file: "wav", kbits: 0, each: "" });
    await page.goto(`${url()}/jobs`);
    await expect(page.locator('[data-state="done"]').first()).toBeVisible();
    await look();
    await page.goto(`${url()}/keys`);
    await expect(page.locator("[data-command]").first()).toBeVisible();
    await look();
    await page.goto(`${url()}/numbers`);
    await look();
    await page.goto(`${url()}/reels/${reel}`);
    await expect(page.locator(".seamrow").first()).toBeVisible();
    await page.locator("#tracks").press("Control+k");
    await expect(page.getByRole("listbox", { name: "Commands" }).getByRole("option").first()).toBeVisible();
    await look();
    await page.keyboard.press("Escape");
    await page.locator("#tracks").press("Shift+J");
    await expect(page.getByRole("dialog", { name: "What the numbers mean" }).getByText("Room not known.")).toBeVisible();
    await look();
    await page.goto(url());
    await look();
  },
};

test.describe("by day and by night", () => {
  // axe is a script of the test's own.
  test.use({ colorScheme: "light", bypassCSP: true });
  for (const [name, visit] of Object.entries(views))
    test(`nothing is found against WCAG: ${name}`, async ({ bench: page, reel }) => {
      await visit(page, () => lookAt(page), reel);
    });
});

test("by keys alone: from the ledger through blending, choosing, nudging and taking out, to undo", async ({ bench: page, reel }) => {
  await page.getByRole("listbox", { name: "Seams" }).focus();
  for (let i = 0; i < 60; i++) {
    if ((await page.locator('.seamrow[aria-selected="true"]').textContent()).includes("Warden 2 → Warden 3")) break;
    await page.keyboard.press("ArrowDown");
  }
  await page.keyboard.press("b");
  await expect(page.locator("#save")).toContainText("r2");
  await page.keyboard.press("5");
  await expect(page.getByRole("heading", { name: "Clip" })).toBeVisible();
  await page.keyboard.press("Delete");
  await expect(page.locator("#save")).toContainText("r3");
  // The blend went with the clip, and the page said so.
  await expect(page.getByRole("alert")).toContainText("removed with its other side");
  let v = await load(reel);
  expect(v.reel.clips.some((c) => c.name === "Warden 3")).toBe(false);
  await page.keyboard.press("Control+z");
  await expect(page.locator("#save")).toContainText("r4");
  v = await load(reel);
  expect(v.reel.clips.some((c) => c.name === "Warden 3")).toBe(true);
  // A clip nudged by a frame at any zoom; a refusal names the free place.
  await page.keyboard.press("Escape");
  await choose(page, "can set down, start");
  await page.locator("#tracks").focus();
  await page.keyboard.press("5");
  const was = v.reel.clips.find((c) => c.name === "can set down").start;
  await page.keyboard.press("]");
  await expect(page.locator("#save")).toContainText("r5");
  await page.keyboard.press("{");
  await expect(page.locator("#save")).toContainText("r6");
  await page.keyboard.press("Alt+]");
  await expect(page.locator("#save")).toContainText("r7");
  expect((await load(reel)).reel.clips.find((c) => c.name === "can set down").start).toBe(was + 1920 - 19200 + 48);
});

test("zoom goes from the whole reel down to single samples", async ({ bench: page }) => {
  await choose(page, "opening bed a → opening bed b");
  await page.locator("#tracks").focus();
  const ruler = () => page.evaluate(() => document.getElementById("scroll").firstElementChild.getBoundingClientRect().width);
  const whole = await ruler();
  for (let i = 0; i < 40; i++) await page.keyboard.press("+");
  await expect.poll(ruler).toBeLessThan(20);
  // A wave of single samples is drawn: dots on a line, in the track's colour.
  await expect
    .poll(() =>
      page.evaluate(() => {
        const c = document.getElementById("lanes"),
          g = c.getContext("2d"),
          d = g.getImageData(0, 0, c.width, c.height).data;
        let plum = 0;
        for (let i = 0; i < d.length; i += 4)
          if (Math.abs(d[i] - 109) < 12 && Math.abs(d[i + 1] - 74) < 12 && Math.abs(d[i + 2] - 120) < 12) plum++;
        return plum;
      }),
    )
    .toBeGreaterThan(200);
  await page.keyboard.press("0");
  await expect.poll(ruler).toBeCloseTo(whole, 0);
});

test("mending one seam after the other: the list goes on from where one was, and the key puts the preset that is chosen for it", async ({
  bench: page,
  reel,
}) => {
  const mend = page.getByRole("button", { name: /^Mend \d/ });
  await expect(mend).toHaveText("Mend 3");
  await mend.click();
  await choose(page, "opening bed a → opening bed b");
  await page.locator("#tracks").focus();
  await page.keyboard.press("b");
  await saved(page, 2);
  expect((await load(reel)).reel.blends.at(-1)).toMatchObject({ before: 5760, after: 5760, law: "constantPower" });
  await expect(page.getByRole("option").filter({ hasText: "opening bed a → opening bed b" })).toHaveCount(0);
  // From its place on to the next that is still listed.
  await page.keyboard.press("n");
  await expect(page.locator('.seamrow[aria-selected="true"]')).toContainText("fan, second half");
  await page.keyboard.press("n");
  await expect(page.locator('.seamrow[aria-selected="true"]')).toContainText("Warden 6");
  const check = page.getByRole("button", { name: /^Check \d/ });
  await check.click();
  await choose(page, "Warden 3 → Warden 4");
  // Another preset is put by the key, and stays so after a reload, as do the filter and how long one listens.
  await page.getByRole("button", { name: "Presets", exact: true }).click();
  await page.getByLabel("Same take, constant gain is applied by the blend key").check();
  await page.getByRole("button", { name: "Done" }).click();
  await expect(page.getByRole("button", { name: "Blend 80 ms across B" })).toBeVisible();
  await page.getByLabel("Seconds before the cut").fill("0.405");
  await page.getByLabel("Seconds before the cut").press("Enter");
  await page.reload();
  await expect(check).toHaveAttribute("aria-pressed", "true");
  await expect(page.getByLabel("Seconds before the cut")).toHaveValue("0.405");
  await expect(page.getByRole("button", { name: "Blend 80 ms across B" })).toBeVisible(); // a seam is there again
  await page.locator("#tracks").focus();
  await page.keyboard.press("b");
  await saved(page, 3);
  expect((await load(reel)).reel.blends.at(-1)).toMatchObject({ before: 1920, after: 1920, law: "constantGain" });
});

// The presets are those of the server: whatever has become of the test, others find them as they ship.
test.afterEach(() => api("DELETE", "/presets"));
