// Starts the real server with a private MariaDB in a folder.
import { spawn } from "node:child_process";
import { join } from "node:path";

/** @param {string} data folder @param {string[]} more arguments @returns {Promise<{url: string, stop: (signal?: string) => Promise<void>}>} */
export async function launch(data, ...more) {
  const env = { ...process.env };
  delete env.BLENDSEAM_DSN;
  const server = spawn(
    "bin/blendseam",
    ["demo", "--data", join(data, "var"), "--upload-limit", String(32 << 20), "--log", "warn", ...more],
    { env, stdio: ["ignore", "pipe", "inherit"] },
  );
  const url = await new Promise((done, fail) => {
    let said = "";
    server.stdout.on("data", (b) => {
      said += b;
      const m = /http:\/\/\S+/.exec(said);
      if (m) done(m[0]);
    });
    server.on("exit", (code) => fail(new Error(`the server ended with ${code} before it was ready`)));
  });
  return {
    url,
    stop: async (signal = "SIGINT") => {
      const ended = new Promise((done) => server.on("exit", done));
      server.kill(signal);
      await ended;
    },
  };
}
