import { api, expect, goTo, load, saved, test, tone, url, withChunk } from "./kit.mjs";

/** The points of a cue chunk and the labels of its list, as read from the bytes alone. */
function cues(file) {
  const points = new Map(),
    labels = new Map();
  for (let at = 12; at + 8 <= file.length;) {
    const id = file.toString("latin1", at, at + 4),
      n = file.readUInt32LE(at + 4);
    if (id === "cue ")
      for (let k = 0; k < file.readUInt32LE(at + 8); k++)
        points.set(file.readUInt32LE(at + 12 + 24 * k), file.readUInt32LE(at + 12 + 24 * k + 20));
    if (id === "LIST" && file.toString("latin1", at + 8, at + 12) === "adtl")
      for (let k = at + 12; k + 8 < at + 8 + n;) {
        const long = file.readUInt32LE(k + 4);
        if (file.toString("latin1", k, k + 4) === "labl")
          labels.set(file.readUInt32LE(k + 8), file.toString("utf8", k + 12, k + 8 + long - 1));
        k += 8 + long + (long % 2);
      }
    at += 8 + n + (n % 2);
  }
  return [...points].map(([id, at]) => [at, labels.get(id)]);
}

test("markers go out into a WAVE file and come in with it: on its wave, as stretches, and into the reel where it is played", async ({
  bench: page,
  reel,
}) => {
  const { reel: was } = await load(reel),
    from = was.markers[0].at - 4800,
    to = was.markers[1].at + 4800,
    res = await fetch(`${url()}/api/v1/reels/${reel}/export?bits=24&channels=2&from=${from}&to=${to}`),
    file = Buffer.from(await res.arrayBuffer()),
    want = was.markers.slice(0, 2).map((m) => [m.at - from, m.text]);
  expect(cues(file)).toEqual(want);
  await page.getByRole("tab", { name: "Sources" }).click();
  await page.locator("input[type=file][multiple]").first().setInputFiles({ name: "handed on.wav", mimeType: "audio/wav", buffer: file });
  const row = page.locator("[data-source-row]").filter({ hasText: "handed on" });
  await row.getByRole("button").first().press("Enter");
  const list = page.getByRole("list", { name: "Markers of the file" }).getByRole("listitem");
  await expect(list).toHaveCount(2);
  await expect(list.first()).toContainText(want[0][1]);
  // Each is the beginning of a stretch.
  await list.first().getByRole("button").click();
  expect(Number(await page.getByLabel("In, s").inputValue())).toBeCloseTo(0.1, 2);
  expect(Number(await page.getByLabel("Out, s").inputValue())).toBeCloseTo(want[1][0] / 48000, 2);
  await page.getByRole("button", { name: "Stretches", exact: true }).click();
  await expect(page.getByLabel("Name of stretch 2")).toHaveValue(want[1][1]);
  // Nothing plays it yet: said. Then what is played of it has its markers, once.
  await page.locator("#tracks").press("Control+Alt+i");
  await expect(page.getByRole("alert").first()).toContainText("No clip plays a marked place");
  await page.keyboard.press("Escape");
  const end = Math.max(...was.clips.map((c) => c.start + c.length)),
    f = Math.ceil(end / 1920) + 25,
    two = (n) => String(Math.floor(n)).padStart(2, "0");
  await page.locator("#tracks").focus();
  await goTo(page, `01:${two(f / 1500)}:${two((f / 25) % 60)}:${two(f % 25)}`);
  await list.first().getByRole("button").click(); // from the first marker up to the second
  await page.locator("#tracks").press("d");
  await saved(page, 3); // the import was one
  await page.locator("#tracks").press("Control+Alt+i");
  await saved(page, 4);
  const now = (await load(reel)).reel,
    clip = now.clips.find((c) => !was.clips.some((o) => o.id === c.id));
  expect(now.markers.filter((m) => !was.markers.some((o) => o.id === m.id)).map((m) => [m.at, m.text])).toEqual([[clip.start, want[0][1]]]);
  await page.locator("#tracks").press("Control+z");
  await saved(page, 5);
  expect((await load(reel)).reel.markers).toEqual(was.markers);
});

test("the channels of a recorder have the names that its file gives them", async ({ bench: page, reel }) => {
  const names = ["Boom", "Warden radio", "", "Air"],
    ixml = `<?xml version="1.0"?><BWFXML><TRACK_LIST>${names.map((n, i) => `<TRACK><CHANNEL_INDEX>${i + 1}</CHANNEL_INDEX><INTERLEAVE_INDEX>${i + 1}</INTERLEAVE_INDEX><NAME>${n}</NAME></TRACK>`).join("")}</TRACK_LIST></BWFXML>`;
  await page.getByRole("tab", { name: "Sources" }).click();
  await page
    .locator("input[type=file][multiple]")
    .first()
    .setInputFiles({ name: "four.wav", mimeType: "audio/wav", buffer: withChunk(tone({ channels: 4 }), "iXML", Buffer.from(ixml)) });
  await page.getByRole("button", { name: "Choose channels…" }).click();
  const dialog = page.locator("#channels");
  await dialog.getByLabel("Warden radio").check();
  await dialog.getByLabel("Channel 3").check();
  await dialog.getByRole("button", { name: "Import" }).click();
  await expect(page.locator("[data-source-row]").filter({ hasText: "four Warden radio" })).toBeVisible();
  await expect(page.locator("[data-source-row]").filter({ hasText: "four ch 3" })).toBeVisible();
  const { sources } = (await api("GET", `/reels/${reel}/sources`)).body;
  expect(sources.filter((s) => s.name.startsWith("four")).map((s) => [s.name, s.left, s.right])).toEqual([
    ["four Warden radio", 1, -1],
    ["four ch 3", 2, -1],
  ]);
});
