// Makes docs/screenshots from the demo: make screenshots
import { chromium } from "@playwright/test";
import { mkdirSync, mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { launch } from "./server.mjs";

const out = process.argv[2] ?? "docs/screenshots";
mkdirSync(out, { recursive: true });
const data = mkdtempSync(join(tmpdir(), "seam-shots-")),
  server = await launch(data);
const browser = await chromium.launch({
  executablePath: process.env.CHROMIUM || "/usr/bin/chromium",
  args: ["--no-sandbox", "--disable-gpu", "--disable-quic", "--disable-background-networking"],
});

// What fails leaves no server behind.
for (const fault of ["uncaughtException", "unhandledRejection"])
  process.on(fault, async (err) => {
    console.error(err);
    await browser.close().catch(() => {});
    await server.stop();
    rmSync(data, { recursive: true, force: true });
    process.exit(1);
  });

/** Opens a page, does something there, waits until its waves have come, and takes its picture. */
async function shot(name, path, act = async () => {}, dark = false) {
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 }, colorScheme: dark ? "dark" : "light" });
  await page.goto(server.url + path);
  await act(page);
  await page.waitForLoadState("networkidle").catch(() => {});
  await page.evaluate(() => new Promise((done) => setTimeout(done, 400)));
  await page.screenshot({ path: join(out, `${name}.png`) });
  await page.close();
}
const seam = (title) => async (page) => {
  await page.locator(".seamrow").first().waitFor();
  const row = page.locator(".seamrow").filter({ hasText: title });
  for (let i = 0; i < 60 && !(await row.count()); i++) await page.locator("#ledger").press("ArrowDown");
  await row.first().click();
  await page.locator("#tracks").press("z");
};
await shot("reels", "/");
await shot("bench", "/reels/1", seam("Grower 1 → Grower 2"));
await shot("bench-night", "/reels/1", seam("Warden 4 → Warden 5"), true);
await shot("bench-whole", "/reels/1", async (page) => {
  await seam("Warden 1 → Warden 2")(page);
  await page.locator("#tracks").press("0");
  await page.locator("#tracks").press("5");
});
await shot("bench-source", "/reels/1?source=6", async (page) => {
  await page.getByLabel("In, s").waitFor();
  for (const [name, from, to] of [
    ["first try", "2", "6.4"],
    ["the long one", "9.2", "13.4"],
    ["", "18", "21"],
  ]) {
    await page.getByLabel("In, s").fill(from);
    await page.getByLabel("In, s").press("Enter");
    await page.getByLabel("Out, s").fill(to);
    await page.getByLabel("Out, s").press("Enter");
    if (!name) break;
    await page.locator("#stretch-name").fill(name);
    await page.locator("#tracks").press("Alt+Shift+S");
  }
});
await shot("sources", "/reels/1/sources", (page) => page.locator("[data-source-row]").first().waitFor());
await shot("export", "/reels/1", async (page) => {
  await page.locator(".seamrow").first().waitFor();
  await page.locator("#tracks").press("Shift+E");
  await page.getByText("Triangular dither").waitFor();
  await page.getByText("Loudness, sample rate, tags").click();
  await page.locator("#export").getByLabel("Loudness").selectOption("-16");
  await page.locator("[data-finish]").waitFor();
  await page.getByText("limited by up to").waitFor();
});
/** Goes to a seam, zooms there, and presses down on the timeline so far from it. */
const hold = async (page, title, dx, dy) => {
  await seam(title)(page);
  await page.waitForLoadState("networkidle").catch(() => {});
  const box = await page.locator("#lanes").boundingBox(),
    at = [box.x + box.width / 2 + dx, box.y + dy];
  await page.mouse.move(...at);
  await page.mouse.down();
  return at;
};
await shot("trim", "/reels/2", async (page) => {
  const [x, y] = await hold(page, "Warden 1 → Warden 2", -4, 34);
  await page.mouse.move(x - 90, y, { steps: 6 });
  await page.waitForTimeout(300);
});
await shot("jobs", "/reels/2", async (page) => {
  await page.locator(".seamrow").first().waitFor();
  for (const file of ["wav", "flac"]) {
    await page.locator("#tracks").press("Shift+E");
    await page.locator("#export select").first().selectOption(file);
    await page.getByText("Triangular dither").waitFor();
    await page.locator("#do-export").click();
    await page.locator("#export").waitFor({ state: "hidden" });
  }
  await seam("Warden 1, start")(page);
  await page.locator("#tracks").press("5");
  await page.locator("#fit-length").fill("108 %");
  await page.locator("#fit-length").press("Enter");
  await page.goto(`${server.url}/jobs`);
  await page.locator('[data-state="done"]').nth(1).waitFor();
});
await shot("split", "/reels/3", async (page) => {
  await seam("Grower 2 → Warden 3")(page);
  await page.locator("#tracks").press("0");
  await page.locator("#tracks").press("e");
  await page.locator("[data-offer]").first().waitFor();
  await page.keyboard.press("Alt+j");
  await page.locator("#lead").waitFor();
  await page.waitForFunction(() => document.querySelector("#lead").value !== "0" && document.querySelector("#picture").dataset.frame);
});
await shot(
  "edit-list",
  "/reels/1",
  async (page) => {
    await page.locator(".seamrow").first().waitFor();
    await page.getByRole("tab", { name: "Sources" }).click();
    await page.locator("#list-file").setInputFiles("demo/picture/frost warning.edl");
    await page.locator("[data-list-track]").first().waitFor();
  },
  true,
);
await shot("treatment", "/reels/4", async (page) => {
  await page.locator("#tracks").getByText("Neighbour", { exact: true }).first().click();
  await page.locator("#tracks").press("Alt+Shift+T");
  await page.getByRole("region", { name: "Treatment" }).getByLabel("Presets").selectOption({ label: "Telephone: 300 to 3400 Hz" });
  await page.getByText("Saved r2").waitFor();
  await page.waitForTimeout(1500);
});
const measured = (page) =>
  page.waitForFunction(() => document.querySelectorAll(".seamrow").length && !document.querySelector('.seamrow[data-verdict="measuring"]'));
await shot("sweep", "/reels/1", async (page) => {
  await measured(page);
  await page.locator("#tracks").press("Shift+B");
  await page.locator("[data-sweep]").first().waitFor();
});
await shot("levels", "/reels/4", async (page) => {
  await page.locator("#tracks").getByText("Music", { exact: true }).first().click();
  await page.locator("#duck button").first().click();
  await page.getByRole("button", { name: "Update", exact: true }).waitFor();
  await page.locator("#tracks").press("Alt+i");
  await page.locator("[data-loud]").first().waitFor();
});
await shot("spectrum", "/reels/1", async (page) => {
  await measured(page);
  await seam("Warden 4 → Warden 5")(page);
  await page.getByRole("radio", { name: "Spectrum" }).click();
});
await shot(
  "room",
  "/reels/1",
  async (page) => {
    await measured(page);
    await page.locator("#tracks").press("Shift+T");
    await page.getByLabel("Which gaps").selectOption("all");
    await page.locator("[data-fill]").first().waitFor();
  },
  true,
);
await shot("glossary", "/glossary", (page) => page.locator("svg.drawn").first().waitFor());
await shot("keys-page", "/keys?q=trim", (page) => page.locator("[data-command]").first().waitFor());
await shot("struck", "/reels/1", async (page) => {
  await measured(page);
  await seam("Warden 1 → Warden 2")(page);
  const press = async (...keys) => {
    for (const key of keys) await page.keyboard.press(key);
  };
  await page.locator("#tracks").focus();
  for (const [tc, key] of [
    ["01:00:21:06", "i"],
    ["01:00:21:24", "o"],
  ]) {
    await press("Shift+G");
    await page.keyboard.type(tc);
    await press("Enter", key);
  }
  await page.getByRole("group", { name: "Marked span" }).waitFor();
  await press("x");
  await page.locator("#struck").waitFor();
  await press("Shift+Q", "c");
  await page.getByText("Covered: the room continues").waitFor();
  await press("Shift+5");
  await page.locator("#find-quiet").click();
  await page.locator("[data-quiet]").first().waitFor();
  await page.locator("#tracks").focus();
});
await browser.close();
await server.stop();
rmSync(data, { recursive: true, force: true });
