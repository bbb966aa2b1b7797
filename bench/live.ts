import { chromium } from "@playwright/test";
import { runCommand } from "../packages/server/src/testing/roles.js";
import { percentile, sayMachine, sendLoad, startBench } from "./harness.js";

/** The live page in Chromium while records arrive at a rate for minutes: frames, what is listed and stated, memory. */
const perSecond = Number(process.argv[2] ?? 5_000);
const minutes = Number(process.argv[3] ?? 10);

/** Milliseconds between frames for 50 s; as text, because the runner's helpers do not exist in the page. */
const FRAME_GAPS = `new Promise((done) => {
  const out = [];
  let last = performance.now();
  const until = last + 50_000;
  const step = (now) => {
    out.push(now - last);
    last = now;
    if (now < until) requestAnimationFrame(step);
    else done(out);
  };
  requestAnimationFrame(step);
})`;

sayMachine();
const { instance, stop } = await startBench(["collector", "engine", "keeper", "web"]);
const browser = await chromium.launch({
  executablePath: "/usr/bin/chromium-headless-shell",
  args: ["--no-sandbox", "--disable-gpu"],
});
try {
  const once = (await runCommand(instance.env, ["user", "reset", "owner"])).out.trim();
  const page = await (await browser.newContext({ viewport: { width: 1280, height: 800 } })).newPage();
  await page.goto(`http://127.0.0.1:${instance.config.HALVIK_HTTP_PORT}/records`);
  await page.getByLabel("Name").fill("owner");
  await page.getByLabel("Password").fill(once);
  await page.getByRole("button", { name: "Sign in" }).click();
  await page.getByLabel("New password").fill("a password of the bench");
  await page.getByLabel("Once more").fill("a password of the bench");
  await page.getByRole("button", { name: "Keep it" }).click();
  await page.getByRole("heading", { name: "Records" }).waitFor({ state: "attached" });
  await page.keyboard.press("l");
  await page.getByText("live: records as they are stored").waitFor();
  const devtools = await page.context().newCDPSession(page);
  await devtools.send("Performance.enable");
  const heap = async () => {
    await devtools.send("HeapProfiler.collectGarbage");
    const { metrics } = await devtools.send("Performance.getMetrics");
    const of = (name: string) => metrics.find((m) => m.name === name)?.value ?? 0;
    return { mb: of("JSHeapUsedSize") / 1e6, nodes: of("Nodes") };
  };
  const load = sendLoad(instance, "udp", perSecond, minutes * 60 + 20);
  await page.waitForTimeout(10_000);
  for (let minute = 1; minute <= minutes; minute++) {
    const gaps = await page.evaluate<number[]>(FRAME_GAPS);
    const { mb, nodes } = await heap();
    const stated = await page
      .getByText(/more came than are listed/)
      .textContent()
      .catch(() => "nothing left out");
    console.log(
      `minute ${minute}: ${(gaps.length / 50).toFixed(0)} frames/s, gap p50 ${percentile(gaps, 0.5).toFixed(0)} ms, p95 ${percentile(gaps, 0.95).toFixed(0)} ms, p99 ${percentile(gaps, 0.99).toFixed(0)} ms, longest ${Math.max(...gaps).toFixed(0)} ms; heap after collection ${mb.toFixed(1)} MB, ${nodes} nodes; ${stated}`,
    );
  }
  await page.getByRole("list", { name: "Records" }).evaluate((box) => box.scrollTo({ top: 400 }));
  await page.waitForTimeout(5_000);
  console.log(`scrolled away for 5 s: ${await page.getByText(/newer$/).textContent()}`);
  await load;
} catch (e) {
  // said before the sender, left without a receiver, ends with an error of its own
  console.error(e);
} finally {
  await browser.close();
  await stop();
}
