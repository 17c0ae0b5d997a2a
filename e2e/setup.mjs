// Starts the real server with a private MariaDB and the demo in a folder of its
// own, and stops both at the end.
import { spawn } from "node:child_process";
import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";

export default async function setup() {
  const data = mkdtempSync(join(tmpdir(), "seam-e2e-"));
  const env = { ...process.env };
  delete env.BLENDSEAM_DSN;
  const server = spawn("bin/blendseam", ["demo", "--data", join(data, "var"), "--upload-limit", String(32 << 20)], { env, stdio: ["ignore", "pipe", "inherit"] });
  process.env.SEAM_URL = await new Promise((done, fail) => {
    let said = "";
    server.stdout.on("data", (b) => {
      said += b;
      const m = /http:\/\/\S+/.exec(said);
      if (m) done(m[0]);
    });
    server.on("exit", (code) => fail(new Error(`the server ended with ${code} before it was ready`)));
  });
  return async () => {
    const ended = new Promise((done) => server.on("exit", done));
    server.kill("SIGINT");
    await ended;
    rmSync(data, { recursive: true, force: true });
  };
}
