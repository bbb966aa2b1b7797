import { defineConfig } from "@playwright/test";

/** Debian's Chromium against the built app, started by the start command itself. */
export default defineConfig({
  testDir: ".",
  // a bound for what hangs; a busy machine is slow, not wrong
  timeout: 240_000,
  expect: { timeout: 60_000 },
  // each file starts a Halvik of its own, and mostly waits
  workers: 3,
  // once more with an instance of its own, on a machine whose processors are not ours alone; it is then reported as flaky
  retries: 1,
  fullyParallel: false,
  reporter: [["line"], ["json", { outputFile: "../test-results/e2e.json" }]],
  outputDir: "../test-results/artifacts",
  use: {
    actionTimeout: 60_000,
    viewport: { width: 1280, height: 800 },
    timezoneId: "Europe/Oslo",
    launchOptions: {
      executablePath: "/usr/bin/chromium-headless-shell",
      args: [
        "--no-sandbox",
        "--disable-gpu",
        "--disable-quic",
        "--no-first-run",
        "--disable-background-networking",
        "--disable-component-update",
        "--disable-sync",
      ],
    },
    screenshot: "only-on-failure",
  },
});
