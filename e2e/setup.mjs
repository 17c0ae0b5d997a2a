// A server for each worker of the tests, in a folder that goes with it.
import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { launch } from "./server.mjs";

/** @param {{workers: number}} config */
export default async function setup({ workers }) {
  const data = mkdtempSync(join(tmpdir(), "seam-e2e-"));
  const servers = await Promise.all(Array.from({ length: workers }, (_, i) => launch(join(data, String(i)))));
  servers.forEach((s, i) => (process.env[`SEAM_URL_${i}`] = s.url));
  return async () => {
    await Promise.all(servers.map((s) => s.stop()));
    rmSync(data, { recursive: true, force: true });
  };
}
