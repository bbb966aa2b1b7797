import { chromium } from "@playwright/test";

const HOUR_MS = 3_600_000;

/**
 * A wall page that is refreshed faster than usual for so long: what its browser keeps after collecting what it has let go, and what share of a
 * core all its processes take (once as fast: that of an ordinary wall). That it is loaded anew every few hours is left as it is.
 * Usage: node scripts/bench.mjs wall ADDRESS [MINUTES] [TIMES AS FAST]
 */
const [address, minutes = "12", times = "100"] = process.argv.slice(2);
if (address === undefined) throw new Error("usage: wall ADDRESS [MINUTES] [TIMES]");
const browser = await chromium.launch({ executablePath: "/usr/bin/chromium", args: ["--no-sandbox", "--disable-gpu"] });
try {
  const page = await (await browser.newContext({ viewport: { width: 1920, height: 1080 } })).newPage();
  // intervals and delays of a second and more pass so much sooner
  const faster = { factor: Number(times), most: HOUR_MS };
  await page.addInitScript(({ factor, most }) => {
    const [interval, timeout] = [window.setInterval, window.setTimeout];
    const sooner = (ms: number | undefined) => (ms !== undefined && ms >= 1_000 && ms < most ? ms / factor : ms);
    Object.assign(window, {
      setInterval: (work: TimerHandler, ms?: number) => interval(work, sooner(ms)),
      setTimeout: (work: TimerHandler, ms?: number) => timeout(work, sooner(ms)),
    });
  }, faster);
  let answers = 0;
  page.on("response", (r) => {
    if (r.url().includes("/tiles/")) answers++;
  });
  await page.goto(address);
  await page.getByRole("heading", { level: 2 }).first().waitFor();
  const session = await page.context().newCDPSession(page);
  const heap = async () => {
    await session.send("HeapProfiler.collectGarbage");
    return (await session.send("Runtime.getHeapUsage")).usedSize;
  };
  const processes = await browser.newBrowserCDPSession();
  const cpuSeconds = async () => {
    const { processInfo } = await processes.send("SystemInfo.getProcessInfo");
    return processInfo.reduce((sum, p) => sum + p.cpuTime, 0);
  };
  const whole = Number(minutes) * 60_000;
  const started = performance.now();
  const cpuBefore = await cpuSeconds();
  let first = 0;
  // as at ten minutes of two hours
  for (const part of [1 / 12, 1 / 4, 1 / 2, 3 / 4, 1]) {
    await new Promise((r) => setTimeout(r, started + part * whole - performance.now()));
    const used = await heap();
    first ||= used;
    const share = (100 * (await cpuSeconds()) - 100 * cpuBefore) / ((performance.now() - started) / 1_000);
    const nodes = await page.evaluate(() => document.querySelectorAll("*").length);
    console.log(
      `after ${((part * whole) / 60_000).toFixed(1)} min, ${answers} answers: ${(used / 1e6).toFixed(2)} MB, ${(used / first).toFixed(3)} × the first; ${nodes} elements; ${share.toFixed(1)} % of a core`,
    );
  }
} finally {
  await browser.close();
}
