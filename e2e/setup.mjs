// One server for all tests, in a folder that goes with it.
import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { launch } from "./server.mjs";

export default async function setup() {
  const data = mkdtempSync(join(tmpdir(), "seam-e2e-"));
  const server = await launch(data);
  process.env.SEAM_URL = server.url;
  return async () => {
    await server.stop();
    rmSync(data, { recursive: true, force: true });
  };
}
