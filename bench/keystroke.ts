import { US_PER_DAY, US_PER_MINUTE } from "@halvik/core/base/time";
import { chromium } from "@playwright/test";
import { RoleProcess, runCommand } from "../packages/server/src/testing/roles.js";
import { percentile, sayMachine } from "./harness.js";
import { openStore, STORE_DAYS, STORE_ENDS_MINUTE } from "./store.js";

/** From the Enter that applies a filter to its first rows on screen, in Chromium. Usage: node scripts/bench.mjs keystroke DIR [MILLIONS] */
const FILTERS = [
  "severity at least error",
  "failed",
  "sender is vpn-1",
  "src is 10.20.4.31",
  "event is 4625",
  '"failed password for"',
  "dst port is 3389",
  "action is deny and sender is fw-edge-a",
  "kind is snmp",
  "user is k.lind and outcome is failure",
];
const RUNS = 5;

sayMachine();
const instance = await openStore(process.argv[2]!, Number(process.argv[3] ?? 20));
const web = await RoleProcess.start(instance, "web");
const browser = await chromium.launch({
  executablePath: "/usr/bin/chromium-headless-shell",
  args: ["--no-sandbox", "--disable-gpu"],
});
try {
  const once = (await runCommand(instance.env, ["user", "reset", "owner"])).out.trim();
  const page = await (await browser.newContext({ viewport: { width: 1280, height: 800 } })).newPage();
  const iso = (us: number) => new Date(us / 1_000).toISOString();
  const toUs = STORE_ENDS_MINUTE * US_PER_MINUTE;
  const window = new URLSearchParams({ from: iso(toUs - STORE_DAYS * US_PER_DAY), to: iso(toUs) });
  await page.goto(`http://127.0.0.1:${instance.config.HALVIK_HTTP_PORT}/records?${window}`);
  await page.getByLabel("Name").fill("owner");
  await page.getByLabel("Password").fill(once);
  await page.getByRole("button", { name: "Sign in" }).click();
  await page.getByLabel("New password").fill("a password of the bench");
  await page.getByLabel("Once more").fill("a password of the bench");
  await page.getByRole("button", { name: "Keep it" }).click();
  await page.getByRole("navigation", { name: "Sections" }).waitFor();
  const first = () => page.getByTestId("record-line").first().getAttribute("id");
  const waits: number[] = [];
  const byFilter = new Map<string, number[]>();
  for (let run = 0; run < RUNS; run++) {
    // a page of its own, so that no answer comes from what it still holds
    await page.goto(`http://127.0.0.1:${instance.config.HALVIK_HTTP_PORT}/records?${window}`);
    await page.getByTestId("record-line").first().waitFor();
    for (const filter of FILTERS) {
      await page.keyboard.press("/");
      await page.keyboard.press("Control+A");
      await page.keyboard.type(filter);
      await page.keyboard.press("Escape");
      await page.keyboard.press("/");
      await page.waitForTimeout(300);
      const before = await first();
      const started = performance.now();
      await page.keyboard.press("Enter");
      while ((await first()) === before && performance.now() - started < 20_000);
      const ms = performance.now() - started;
      if (run > 0) {
        waits.push(ms);
        byFilter.set(filter, [...(byFilter.get(filter) ?? []), ms]);
      }
      await page.waitForTimeout(700);
    }
  }
  console.log(
    `Enter → first rows on screen, ${FILTERS.length} filters × ${RUNS - 1} after a first round: p50 ${percentile(waits, 0.5).toFixed(0)} ms, p95 ${percentile(waits, 0.95).toFixed(0)} ms, longest ${Math.max(...waits).toFixed(0)} ms`,
  );
  for (const [filter, times] of byFilter) console.log(`  ${filter}: ${times.map((t) => t.toFixed(0)).join(", ")} ms`);
} finally {
  await browser.close();
  await web.stop();
  await instance.dispose();
}
