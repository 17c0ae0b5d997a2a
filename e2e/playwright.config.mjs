import { defineConfig } from "@playwright/test";

export default defineConfig({
  testDir: ".",
  testMatch: "*.spec.mjs",
  globalSetup: "./setup.mjs",
  outputDir: "./results",
  timeout: 60_000,
  expect: { timeout: 20_000 },
  // Each has a server of its own.
  workers: 2,
  fullyParallel: false,
  forbidOnly: true,
  reporter: [["list"]],
  use: {
    viewport: { width: 1280, height: 800 },
    launchOptions: {
      executablePath: process.env.CHROMIUM || "/usr/bin/chromium",
      args: [
        "--no-sandbox",
        "--disable-gpu",
        "--disable-quic",
        "--disable-background-networking",
        "--disable-component-update",
        "--no-first-run",
        "--autoplay-policy=no-user-gesture-required",
      ],
    },
    // Recording every step of every test costs a third of the time.
    trace: process.env.TRACE ? "retain-on-failure" : "off",
  },
});
