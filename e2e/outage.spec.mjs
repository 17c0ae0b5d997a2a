// The server dies, or its database does, while one works: nothing is lost or done twice, it is said, and work goes on
// by itself.
import { test as plain, expect } from "@playwright/test";
import { mkdtempSync, readFileSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { choose, saved } from "./kit.mjs";
import { launch } from "./server.mjs";

/** Runs a test on a server of its own. */
async function alone(browser, work) {
  const data = mkdtempSync(join(tmpdir(), "seam-outage-"));
  let server = await launch(data);
  try {
    const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
    const mine = {
      page,
      data,
      browser,
      get url() {
        return server.url;
      },
      kill: () => server.stop("SIGKILL"),
      again: async () => (server = await launch(data, "--listen", new URL(server.url).host)),
      load: async (id = 1) => (await fetch(`${server.url}/api/v1/reels/${id}`)).json(),
      signal: (name) => process.kill(Number(readFileSync(join(data, "var/mariadb/db.pid"), "utf8")), name),
    };
    await page.goto(`${server.url}/reels/1`);
    await expect(page.locator(".seamrow").first()).toBeVisible();
    await expect(page.locator("[data-verdict='']")).toHaveCount(0);
    await work(mine);
    await page.close();
  } finally {
    await server.stop();
    rmSync(data, { recursive: true, force: true });
  }
}

const notice = (page) => page.locator("#notices");

plain("the server is killed while one edits, and comes again", async ({ browser }) => {
  await alone(browser, async (m) => {
    await choose(m.page, "Warden 2 → Warden 3");
    await m.page.locator("#tracks").press("b");
    await saved(m.page, 2);
    await m.kill();
    await expect(notice(m.page)).toContainText("The server does not answer. Edits are safe; trying again…");
    // Edits made meanwhile wait, in their order.
    await m.page.locator("#tracks").press("m");
    await expect(m.page.locator("#save")).toContainText("Waiting");
    await m.page.locator("#tracks").press("Control+z");
    await m.again();
    await saved(m.page, 4);
    await expect(notice(m.page)).toBeEmpty();
    const v = await m.load();
    expect(v.revision).toBe(4);
    expect(v.reel.blends.length).toBe(4);
    expect(v.reel.markers.length).toBe(3); // made, and undone
    // What is shown is read anew: the list has its verdicts.
    await expect(m.page.locator("[data-verdict='']")).toHaveCount(0);
    await expect(m.page.getByRole("button", { name: "Undo" })).toHaveAttribute("title", /blend/);
  });
});

plain("the database hangs, and is killed, while one edits", async ({ browser }) => {
  await alone(browser, async (m) => {
    await choose(m.page, "Warden 2 → Warden 3");
    m.signal("SIGSTOP");
    await m.page.locator("#tracks").press("b");
    await expect(notice(m.page)).toContainText("The database does not answer. Edits are safe; trying again…");
    await expect(m.page.locator("#save")).toContainText("Waiting");
    // A page that is opened meanwhile says so, and opens by itself.
    const other = await m.browser.newPage();
    expect((await other.goto(`${m.url}/reels/2`)).status()).toBe(503);
    await expect(other.getByRole("heading")).toHaveText("The database does not answer");
    m.signal("SIGCONT");
    await saved(m.page, 2);
    await expect(notice(m.page)).toBeEmpty();
    await expect(other.locator(".seamrow").first()).toBeVisible();
    expect((await m.load()).reel.blends.length).toBe(4);
    // Killed, it is started again.
    m.signal("SIGKILL");
    await m.page.locator("#tracks").press("m");
    await saved(m.page, 3);
    expect((await m.load()).reel.markers.length).toBe(4);
    await expect(notice(m.page)).toBeEmpty();
  });
});

plain("what was asked for before an edit and comes after it takes nothing back", async ({ browser }) => {
  await alone(browser, async (m) => {
    await choose(m.page, "Warden 2 → Warden 3");
    // The page reads everything anew when the server is there again: that answer is held on its way.
    let asked, release;
    const old = new Promise((done) => (asked = done)),
      held = new Promise((done) => (release = done));
    await m.page.route("**/api/v1/reels/1", async (route) => {
      const answer = await route.fetch();
      asked();
      await held;
      await route.fulfill({ response: answer });
    });
    await m.kill();
    await m.again();
    await old;
    await m.page.locator("#tracks").press("b");
    await saved(m.page, 2);
    const late = m.page.waitForResponse("**/api/v1/reels/1");
    release();
    await (await late).finished();
    await m.page.evaluate(() => new Promise((drawn) => requestAnimationFrame(() => requestAnimationFrame(drawn))));
    expect(await m.page.locator("#save").textContent()).toMatch(/Saved r2$/);
    await expect(m.page.getByRole("button", { name: "Undo" })).toHaveAttribute("title", /blend/);
  });
});

plain("what the server is short of is said on every page", async ({ browser }) => {
  const data = mkdtempSync(join(tmpdir(), "seam-open-"));
  const server = await launch(data, "--listen", "0.0.0.0:0", "--open-to-network");
  try {
    const page = await browser.newPage(),
      url = server.url.replace(/\[::\]|0\.0\.0\.0/, "127.0.0.1");
    for (const path of ["/", "/reels/1", "/reels/1/sources", "/keys"]) {
      await page.goto(url + path);
      await expect(notice(page)).toContainText("Anyone who can reach this address can read and change everything here.");
    }
    // It lies over the bench and moves nothing; put aside, it stays so.
    await page.goto(`${url}/reels/1`);
    await expect(page.locator(".seamrow").first()).toBeVisible();
    const where = () => page.locator("#closeup").boundingBox();
    const before = await where();
    await notice(page).getByRole("button", { name: "Dismiss" }).click();
    await expect(notice(page)).toBeEmpty();
    expect(await where()).toEqual(before);
    await page.reload();
    await expect(page.locator(".seamrow").first()).toBeVisible();
    await expect(notice(page)).toBeEmpty();
    await page.close();
  } finally {
    await server.stop();
    rmSync(data, { recursive: true, force: true });
  }
});

plain("a seam that is chosen while the server is away shows no other seam's verdict, and its own when it is back", async ({ browser }) => {
  await alone(browser, async (m) => {
    await choose(m.page, "Warden 3 → Warden 4");
    const verdict = m.page.locator("#verdict"),
      numbers = m.page.getByRole("table", { name: "What was measured at the cut" });
    await expect(verdict).toContainText("Voice rises 5.3 LU");
    await m.kill();
    await expect(notice(m.page)).toContainText("The server does not answer");
    await choose(m.page, "Warden 1 → Warden 2");
    await expect(verdict).toContainText("Not measured: the server does not answer. Trying again…");
    await expect(numbers).toBeHidden();
    await expect(m.page.locator("body")).not.toContainText("Failed to fetch");
    await m.again();
    await expect(verdict).toContainText("Blend OK");
    await expect(numbers.locator("[data-row='Voice level']")).toContainText("−27.4");
    await expect(notice(m.page)).toBeEmpty();
  });
});
