import { api, choose, expect, laid, load, pcm, saved, saying, test, wasHeard } from "./kit.mjs";

/** What is not fine, by the names of its clips. */
async function verdicts(reel) {
  const { reel: doc } = await load(reel),
    name = (id) => doc.clips.find((c) => c.id === id)?.name ?? "";
  const { body } = await api("GET", `/reels/${reel}/seams`);
  return body.seams.map((s) => ({ ...s, title: `${name(s.left)}|${name(s.right)}` }));
}
const count = (list, verdict) => list.filter((s) => s.verdict === verdict).length;
/** The left side of what is rendered. */
const one = (interleaved) => Float32Array.from({ length: interleaved.length / 2 }, (_, i) => interleaved[2 * i]);
/** Waits until all seams of the page are measured. */
const measured = async (page) => {
  await expect(page.getByRole("status").filter({ hasText: "measuring" })).toHaveCount(0);
  await expect(page.locator('.seamrow[data-verdict="measuring"]')).toHaveCount(0);
};

test.describe("with ears", () => {
  test.use({ bypassCSP: true });

  test("through the ledger to nothing to mend with keys alone, hearing each; all taken back in two steps, and swept instead", async ({
    page,
    bench,
    reel,
  }) => {
    test.setTimeout(180_000);
    // A shorter way to hear, so that the test need not wait.
    await page.evaluate(() =>
      localStorage.setItem(
        "rolls",
        JSON.stringify(Object.fromEntries(["blend", "hard", "out", "in", "before"].map((how) => [how, { pre: 0.15, post: 0.7 }]))),
      ),
    );
    await page.reload();
    await measured(page);
    const chosen = page.locator('.seamrow[aria-selected="true"]'),
      left = (verdict) => page.getByRole("button", { name: new RegExp(`^${verdict} \\d`) });
    await expect(left("Mend")).toHaveText("Mend 3");
    await page.locator("#tracks").focus();
    const before = await laid(reel);
    let revision = 1,
      listened = 0;
    const press = async (...keys) => {
      for (const k of keys) await page.keyboard.press(k);
    };
    const did = async (...keys) => {
      for (const k of keys) {
        await page.keyboard.press(k);
        await saved(page, ++revision);
      }
    };
    /** Plays the seam and holds what was played against the renderer. */
    const listen = async () => {
      const s = (await verdicts(reel)).find((o) => `?seam=${o.left}-${o.right}` === new URL(page.url()).search);
      await page.evaluate(() => (window.heard = []));
      await press("Enter");
      await expect(page.getByRole("button", { name: "Stop" })).toBeVisible();
      await expect(page.getByRole("button", { name: "Play", exact: true })).toBeVisible();
      // The ear may be told of the last samples a moment later.
      const want = one(await pcm(reel, s.at - 4800, s.at + 4800));
      await expect.poll(() => wasHeard(page, want), { message: `what was played of ${s.title}` }).toBe(true);
      listened++;
    };
    const accepted = async () => expect(chosen).toHaveAttribute("data-verdict", "accepted");
    /** What one does about each. */
    const ways = {
      "opening bed a → opening bed b": () => did("b"),
      "Warden 3 → Warden 4": async () => {
        await press("y");
        await accepted();
      },
      "Warden 4 → Warden 5": async () => {
        await press("y");
        await accepted();
      },
      "Grower 4 → Grower 5": async () => {
        await press("q");
        await expect(page.locator("[data-better]").first()).toBeVisible();
        await expect(page.getByRole("listbox", { name: "Better cuts nearby" })).toBeFocused();
        await press("ArrowDown");
        await expect(page.getByRole("button", { name: "Stop" })).toBeVisible(); // it is heard before it is taken
        await did("Enter");
        await expect(page.getByRole("button", { name: "Play", exact: true })).toBeVisible();
      },
      "fan, second half, end": async () => {
        await press("1");
        await did("}", "}", "}", "}", "}"); // two seconds on, over the hole
        await press("4");
        await did("}"); // and a longer fade
      },
      "Warden 6, start": () => did("b"),
      "Grower 6, start": async () => {
        await press("y");
        await accepted();
      },
      "Grower 6 → Grower 7": () => did("b"),
    };
    for (let i = 0; i < 40; i++) {
      await measured(page);
      if ((await saying(left("Mend"))) === "Mend 0" && (await saying(left("Check"))) === "Check 0") break;
      const title = (await chosen.locator("span").first().textContent()).trim(),
        verdict = await chosen.getAttribute("data-verdict");
      if (verdict !== "mend" && verdict !== "check") {
        const was = await chosen.textContent();
        await press("Shift+N");
        await expect(chosen).not.toHaveText(was);
        continue;
      }
      await listen();
      if (verdict === "check") {
        await press("y");
        await accepted();
      } else {
        await ways[title]();
        await measured(page);
        await expect(chosen).not.toHaveAttribute("data-verdict", "mend");
        await listen();
      }
    }
    await expect(left("Mend")).toHaveText("Mend 0");
    await expect(left("Check")).toHaveText("Check 0");
    expect(listened).toBeGreaterThan(6); // what is to mend twice, what is accepted once
    const byHand = await verdicts(reel);
    expect(count(byHand, "mend")).toBe(0);

    // Two steps back to the beginning: the list of steps, and its end.
    await press("Shift+4");
    const first = page.locator("[data-step]").last();
    await expect(first).toBeVisible(); // what is not shown yet takes no key
    await first.press("Enter");
    await saved(page, ++revision);
    expect(await laid(reel)).toEqual(before);
    await press("Shift+1");
    await measured(page);
    await expect(left("Mend")).toHaveText("Mend 3");

    // Swept instead: what is proposed is shown before it is done.
    await page.locator("#tracks").focus();
    await press("Shift+B");
    const rows = page.locator("[data-sweep]");
    await expect(rows.first()).toBeVisible();
    await expect(page.getByRole("status").filter({ hasText: "after it 0 to mend" })).toBeVisible();
    expect(await laid(reel)).toEqual(before);
    await page.getByRole("combobox", { name: "Which seams" }).selectOption("mend");
    await expect(rows).toHaveCount(3);
    // A row is heard as it would be, and left out and taken again.
    await rows
      .first()
      .getByRole("button", { name: /^Listen to/ })
      .press("Enter");
    const box = rows.first().getByRole("checkbox");
    await box.press(" ");
    await expect(page.locator("#do-sweep")).toHaveText("Mend 2");
    await box.press(" ");
    await page.locator("#do-sweep").press("Enter");
    await saved(page, ++revision);
    await measured(page);
    await expect(left("Mend")).toHaveText("Mend 0");
    const swept = await verdicts(reel);
    expect(count(swept, "mend")).toBe(0);
    expect(count(swept, "check")).toBeLessThanOrEqual(count(byHand, "check"));
    // One step takes it back.
    await press("Control+z");
    await saved(page, ++revision);
    expect(await laid(reel)).toEqual(before);
  });

  test("the ledger is played through: every seam that is not fine, one after another, until one says stop", async ({
    page,
    bench,
    reel,
  }) => {
    await page.evaluate(() =>
      localStorage.setItem(
        "rolls",
        JSON.stringify(Object.fromEntries(["blend", "hard", "out", "in", "before"].map((how) => [how, { pre: 0.05, post: 0.05 }]))),
      ),
    );
    await page.reload();
    await measured(page);
    await page.evaluate(() => {
      window.titles = [];
      const h = document.querySelector("section.stage h2");
      new MutationObserver(() => window.titles.push(h.textContent)).observe(h, { characterData: true, childList: true, subtree: true });
    });
    await page.locator("#tracks").focus();
    const all = (await verdicts(reel)).filter((s) => s.verdict !== "fine");
    await page.keyboard.press("w");
    await expect(page.getByRole("button", { name: "Play through" })).toHaveAttribute("aria-pressed", "true");
    await expect(page.locator("#hint")).toContainText("that was the last seam", { timeout: 30000 });
    await expect(page.getByRole("button", { name: "Play through" })).toHaveAttribute("aria-pressed", "false");
    // From the one that was chosen, each after it in turn.
    expect((await page.evaluate(() => window.titles)).length).toBe(all.length - 1);
    expect(await page.evaluate(() => window.heard.length)).toBeGreaterThan(0);
    // Again from the first on, with so much around each that one can say stop.
    await page.keyboard.press("Shift+N");
    await page.getByLabel("Seconds after the cut").fill("15");
    await page.getByLabel("Seconds after the cut").press("Enter");
    await page.keyboard.press("w");
    await expect(page.getByRole("button", { name: "Stop" })).toBeVisible();
    await page.keyboard.press("Escape");
    await expect(page.getByRole("button", { name: "Play through" })).toHaveAttribute("aria-pressed", "false");
    await expect(page.getByRole("button", { name: "Play", exact: true })).toBeVisible();
  });

  test("a control that is moved while the seam loops is heard at the next pass; before and after the last step are told apart", async ({
    page,
    bench,
    reel,
  }) => {
    await page.evaluate(() =>
      localStorage.setItem(
        "rolls",
        JSON.stringify(Object.fromEntries(["blend", "hard", "out", "in", "before"].map((how) => [how, { pre: 0.3, post: 0.3 }]))),
      ),
    );
    await page.reload();
    await choose(page, "Grower 2 → Grower 3");
    const s = (await verdicts(reel)).find((o) => o.title === "Grower 2|Grower 3");
    await page.locator("#tracks").focus();
    await page.keyboard.press("l");
    await page.keyboard.press("Enter");
    await expect.poll(() => page.evaluate(() => window.heard.length)).toBeGreaterThan(20);
    // The lean is moved and not let go: nothing is saved, and it is heard.
    const lean = page.getByRole("slider", { name: "Lean" });
    await lean.evaluate((el) => {
      el.value = "0.85";
      el.dispatchEvent(new Event("input", { bubbles: true }));
    });
    const b = (await load(reel)).reel.blends.find((o) => o.left === s.left);
    const dry = await api("POST", `/reels/${reel}/dry-run`, {
      base: 1,
      edit: { do: "setBlend", with: { left: s.left, right: s.right, before: b.before, after: b.after, law: b.law, lean: 0.85 } },
      hear: true,
    });
    const would = one(await pcm(reel, s.at - 3000, s.at + 3000, `&trial=${dry.body.trial}`)),
      is = one(await pcm(reel, s.at - 3000, s.at + 3000));
    expect(would).not.toEqual(is);
    await expect.poll(() => wasHeard(page, would)).toBe(true);
    expect((await load(reel)).revision).toBe(1);
    await lean.evaluate((el) => el.dispatchEvent(new Event("change", { bubbles: true })));
    await saved(page, 2);
    await page.keyboard.press("Escape");
    await page.keyboard.press("l");
    await expect(page.getByRole("button", { name: "Play", exact: true })).toBeVisible();
    // Before the last step it sounded so.
    await page.evaluate(() => (window.heard = []));
    await page.keyboard.press("j");
    await expect.poll(() => wasHeard(page, is)).toBe(true);
    await expect(page.getByRole("button", { name: "Play", exact: true })).toBeVisible();
    await page.evaluate(() => (window.heard = []));
    await page.keyboard.press("Enter");
    await expect.poll(() => wasHeard(page, would)).toBe(true);
  });
});

test("an accepted seam stays so until something near it changes; limits are the reel's own", async ({ bench: page, reel }) => {
  await measured(page);
  const row = await choose(page, "Warden 3 → Warden 4");
  await expect(row).toHaveAttribute("data-verdict", "check");
  await page.getByRole("button", { name: "Accept" }).click();
  await expect(row).toHaveAttribute("data-verdict", "accepted");
  await page.reload();
  await measured(page);
  await choose(page, "Warden 3 → Warden 4");
  await expect(row).toHaveAttribute("data-verdict", "accepted");
  await page.locator("#tracks").focus();
  await page.keyboard.press("b");
  await saved(page, 2);
  await expect(row).toHaveAttribute("data-verdict", "check");
  await page.keyboard.press("Control+z");
  await saved(page, 3);
  await expect(row).toHaveAttribute("data-verdict", "accepted");

  // Better cuts are of one seam: going on leaves them, and the close-up is of the next.
  await page.keyboard.press("q");
  await expect(page.getByRole("listbox", { name: "Better cuts nearby" })).toBeFocused();
  await page.keyboard.press("ArrowDown");
  await expect(page.getByRole("button", { name: "Stop" })).toBeVisible();
  const said = await page.locator("#verdict").textContent();
  await page.keyboard.press("n");
  await expect(page.getByRole("listbox", { name: "Better cuts nearby" })).toHaveCount(0);
  await expect(page.locator("#verdict")).not.toHaveText(said);
  await page.keyboard.press("Escape");

  // The same numbers under other limits.
  await page.getByRole("button", { name: "At the cut" }).click();
  await page.getByLabel("Voice level step, to check from").fill("2"); // over a second of voice that is 4.9 LU
  await page.getByLabel("Voice level step, to mend from").fill("2");
  await page.getByLabel("Click, to mend from").fill("");
  await page.getByRole("button", { name: "Save" }).click();
  await saved(page, 4);
  await page.locator("#ledger").evaluate((list) => (list.scrollTop = 0)); // the worst come first
  await expect(page.locator(".seamrow", { hasText: "Warden 4 → Warden 5" })).toHaveAttribute("data-verdict", "mend");
  const now = (title) => verdicts(reel).then((list) => list.find((s) => s.title === title).verdict);
  expect(await now("Grower 6|Grower 7")).toBe("fine");
  expect((await load(reel)).reel.props.limits).toMatchObject({ voice: { hear: 2, mend: 2 }, click: { hear: -1, mend: -1 } });
  await page.getByRole("button", { name: "At the cut" }).click();
  await page.getByLabel("Voice level step, to check from").fill("9");
  await page.getByRole("button", { name: "Save" }).click();
  await expect(page.getByRole("dialog").getByRole("alert")).toContainText("above what is to be mended");
  await page.getByRole("button", { name: "Defaults" }).click();
  await page.getByRole("button", { name: "Save" }).click();
  await saved(page, 5);
  expect((await load(reel)).reel.props.limits).toBeUndefined();
});

test("no row moves under the pointer: the list is ordered anew when it leaves", async ({ bench: page, reel }) => {
  await expect(page.locator('.seamrow[data-verdict="measuring"]')).toHaveCount(0);
  const titles = () =>
    page
      .locator(".seamrow")
      .allTextContents()
      .then((all) => all.map((t) => /(.+?)\d\d:\d\d:\d\d/.exec(t.replace(/\s+/g, " "))[1].trim()));
  const list = await page.getByRole("listbox", { name: "Seams" }).boundingBox(),
    jiggle = (k) => page.mouse.move(list.x + 60 + (k % 7), list.y + 200);
  await jiggle(0);
  const before = await titles();
  // A clip far down the list becomes far too loud meanwhile.
  const loud = (await load(reel)).reel.clips.find((c) => c.name === "Warden 2").id;
  await api("POST", `/reels/${reel}/edits`, { base: 1, edit: { do: "gain", with: { clips: [loud], toDB: 24 } } });
  const row = page.locator(".seamrow").filter({ hasText: "Warden 1 → Warden 2" });
  let k = 1;
  await expect(async () => {
    await jiggle(k++);
    await expect(page.getByRole("button", { name: /^Mend / })).toContainText("5", { timeout: 50 });
  }).toPass({ intervals: [100] });
  await jiggle(k);
  expect(await titles()).toEqual(before);
  await page.mouse.move(list.x + 600, list.y + 200);
  await expect.poll(async () => (await titles()).slice(0, 5).some((t) => t.includes("Warden 1 → Warden 2"))).toBe(true);
  await expect(row.first()).toHaveAttribute("data-verdict", "mend");
});

test("seams are found by words, gone through among those alone, and it is told when they begin again", async ({ bench: page, reel }) => {
  await measured(page);
  const all = await verdicts(reel),
    open = all.filter((s) => ["mend", "check"].includes(s.verdict) && !s.accepted),
    meant = open.filter((s) => /room tone/.test(s.brief) || /fan/.test(s.title));
  expect(meant.length).toBeGreaterThan(1);
  expect(meant.length).toBeLessThan(open.length);
  await page.locator("#tracks").focus();
  await page.keyboard.press("/");
  const find = page.getByLabel("Find a seam");
  await expect(find).toBeFocused();
  await page.keyboard.type("ROOM tone");
  const chosen = page.locator('.seamrow[aria-selected="true"]');
  await page.keyboard.press("Enter");
  await expect(page.locator("#ledger")).toBeFocused();
  await expect(chosen).toHaveCount(1);
  // Once round: each of them, no other, and then the first again.
  await page.locator("#tracks").focus();
  await page.keyboard.press("Home");
  const been = [];
  for (let i = 0; i < meant.length; i++) {
    await page.keyboard.press("Shift+N");
    been.push(await page.evaluate(() => new URL(location.href).search + location.hash));
  }
  expect(new Set(been).size).toBe(meant.length);
  await page.keyboard.press("Shift+N");
  await expect(page.locator("body")).toContainText(`of ${meant.length} to check or mend`);
  // What nothing has is said; Escape shows all again.
  await page.keyboard.press("/");
  await page.keyboard.type("lighthouse");
  await expect(page.getByText("No seam with “lighthouse”.")).toBeVisible();
  await page.keyboard.press("Escape");
  await expect(page.getByRole("button", { name: /^All \d/ })).toContainText(String(all.length));
});
