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
      "End of fan, second half": async () => {
        await press("1");
        await did("}", "}", "}", "}", "}"); // two seconds on, over the hole
        await press("4");
        await did("}"); // and a longer fade
      },
      "Start of Warden 6": () => did("b"),
      "Start of Grower 6": async () => {
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

test("the matched law, sides by themselves, a preset kept by name, and a blend as long as the span", async ({ bench: page, reel }) => {
  await choose(page, "Grower 2 → Grower 3");
  const blend = async () => {
    const v = await load(reel),
      left = v.reel.clips.find((c) => c.name === "Grower 2").id;
    return v.reel.blends.find((b) => b.left === left);
  };
  await page.getByRole("radio", { name: "Matched" }).click();
  await saved(page, 2);
  expect(await blend()).toMatchObject({ law: "matched" });
  await page.getByRole("button", { name: "sides" }).click();
  await saved(page, 3);
  await page.getByLabel("Shape of the incoming side").selectOption("smooth");
  await saved(page, 4);
  expect(await blend()).toMatchObject({ out: { shape: "constantPower", bend: 0.5 }, in: { shape: "smooth", bend: 0.5 } });
  await page.getByRole("button", { name: "sides" }).click();
  await saved(page, 5);
  expect((await blend()).in).toBeUndefined();
  try {
    await page.getByRole("button", { name: "Presets", exact: true }).click();
    await page.getByLabel("Name of the preset").fill("breath between");
    await page.getByRole("button", { name: "Save this blend" }).click();
    await expect(page.locator("[data-preset]").filter({ hasText: "breath between" })).toContainText("240 ms across");
    await page.getByRole("button", { name: "Done" }).click();
    await choose(page, "Warden 2 → Warden 3");
    await page.getByLabel("Apply a preset").selectOption("breath between");
    await saved(page, 6);
    const v = await load(reel),
      left = v.reel.clips.find((c) => c.name === "Warden 2");
    expect(v.reel.blends.find((b) => b.left === left.id)).toMatchObject({ law: "matched", before: 5760, after: 5760 });
    // As long as the marked span, where the span lies.
    await page.locator("#tracks").focus();
    await page.keyboard.press("ArrowLeft");
    await page.keyboard.press("i");
    for (let i = 0; i < 3; i++) await page.keyboard.press("ArrowRight");
    await page.keyboard.press("o");
    await page.keyboard.press("Shift+K");
    await saved(page, 7);
    const b = (await load(reel)).reel.blends.find((o) => o.left === left.id);
    expect(b.before + b.after).toBe(3 * 1920);
    expect(b.before).toBeLessThan(2 * 1920);
  } finally {
    await api("DELETE", "/presets");
  }
});

test("two clips on two tracks are blended in one gesture and rolled as one; a clip dropped with Alt is blended by the overlap", async ({
  bench: page,
  reel,
}) => {
  const v = await load(reel),
    clip = (name) => v.reel.clips.find((c) => c.name === name),
    track = (name) => v.reel.tracks.find((t) => t.name === name).id;
  // The last line of one and the last of the other overlap in time on their tracks.
  const left = clip("Warden 8"),
    right = clip("Grower 8");
  expect(left.start < right.start && right.start < left.start + left.length && left.start + left.length < right.start + right.length).toBe(
    true,
  );
  await page.locator("#tracks").focus();
  await choose(page, "End of Warden 8");
  await page.keyboard.press("z");
  const heads = page.locator(".trackhead"),
    lanes = await page.locator("#lanes").boundingBox(),
    end = left.start + left.length;
  const x = (s) => lanes.x + ((s - (end - 48000 * 1.5)) / (48000 * 3)) * lanes.width;
  const tab = async (name) => (await heads.filter({ hasText: name }).first().boundingBox()).y + 8;
  await page.mouse.click(x(end - 9000), await tab("Warden"));
  await page.keyboard.down("Shift");
  await page.mouse.click(x(end + 9000), await tab("Grower"));
  await page.keyboard.up("Shift");
  await page.keyboard.press("b");
  await saved(page, 2);
  const after = await load(reel),
    b = after.reel.blends.find((o) => o.left === left.id);
  expect(b).toMatchObject({ right: right.id });
  expect(b.before + b.after).toBe(end - right.start);
  const l = after.reel.clips.find((c) => c.id === left.id),
    r = after.reel.clips.find((c) => c.id === right.id);
  expect([l.track, r.track]).toEqual([track("Warden"), track("Grower")]);
  expect(l.start + l.length).toBe(r.start);
  await expect(page.locator('.seamrow[aria-selected="true"]')).toContainText("Warden 8 → Grower 8");
  await page.keyboard.press("3");
  await page.keyboard.press("[");
  await saved(page, 3);
  const rolled = (await load(reel)).reel;
  expect(rolled.clips.find((c) => c.id === right.id).start).toBe(r.start - 1920);
  expect(rolled.blends.find((o) => o.left === left.id)).toBeTruthy();

  // Dropped half over its neighbour: without Alt it is refused, with Alt the overlap is blended.
  const drips = clip("drips"),
    can = clip("can set down");
  await page.keyboard.press("0");
  const reach = (Math.max(...rolled.clips.map((c) => c.start + c.length)) * 1.02) / lanes.width,
    at = (s) => lanes.x + 8 + s / reach;
  const y = await tab("Spots"),
    by = drips.start + drips.length - 9600 - can.start;
  await page.mouse.move(at(can.start) + 6, y);
  await page.mouse.down();
  await page.keyboard.down("Control");
  await page.mouse.move(at(can.start + by) + 6, y, { steps: 8 });
  await expect(page.locator("#hint")).toContainText("with Alt the overlap is blended");
  await page.keyboard.down("Alt");
  await page.mouse.move(at(can.start + by) + 7, y);
  await expect(page.locator("#hint")).toContainText("a blend of");
  await page.mouse.up();
  await page.keyboard.up("Alt");
  await page.keyboard.up("Control");
  await saved(page, 4);
  const dropped = (await load(reel)).reel,
    joined = dropped.blends.find((o) => o.left === drips.id);
  expect(joined).toMatchObject({ right: can.id });
  expect(dropped.clips.find((c) => c.id === drips.id).start).toBe(drips.start);
});
