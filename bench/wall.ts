import { type CDPSession, chromium } from "@playwright/test";

const HOUR_MS = 3_600_000;
const [LOOKS, LOOK_MS] = [8, 137];

/** A page that nothing watches but what is sent to it: Playwright’s own pages keep what they hear of every answer. */
class BarePage {
  private next = 1;
  private readonly waiting = new Map<number, (result: Record<string, unknown>) => void>();

  private constructor(
    private readonly browser: CDPSession,
    private readonly sessionId: string,
  ) {
    browser.on("Target.receivedMessageFromTarget", ({ sessionId: from, message }) => {
      if (from !== sessionId) return;
      const { id, result } = JSON.parse(message) as { id?: number; result?: Record<string, unknown> };
      if (id === undefined) return;
      this.waiting.get(id)?.(result ?? {});
      this.waiting.delete(id);
    });
  }

  static async open(browser: CDPSession): Promise<BarePage> {
    const { browserContextId } = await browser.send("Target.createBrowserContext");
    const at = { url: "about:blank", browserContextId, width: 1920, height: 1080 };
    const { targetId } = await browser.send("Target.createTarget", at);
    const { sessionId } = await browser.send("Target.attachToTarget", { targetId, flatten: false });
    return new BarePage(browser, sessionId);
  }

  send(method: string, params: object = {}): Promise<Record<string, unknown>> {
    const id = this.next++;
    return new Promise((done, failed) => {
      this.waiting.set(id, done);
      const message = JSON.stringify({ id, method, params });
      this.browser.send("Target.sendMessageToTarget", { sessionId: this.sessionId, message }).catch(failed);
    });
  }

  async evaluate(expression: string): Promise<unknown> {
    const { result } = await this.send("Runtime.evaluate", { expression, returnByValue: true });
    return (result as { value?: unknown }).value;
  }
}

/** Intervals and delays from a second to an hour pass so much sooner. That it is loaded anew every few hours is left as it is. */
const sooner = (factor: number) => `(() => {
  const [interval, timeout] = [window.setInterval, window.setTimeout];
  const sooner = (ms) => (ms !== undefined && ms >= 1000 && ms < ${HOUR_MS} ? ms / ${factor} : ms);
  let answers = 0;
  const asked = window.fetch;
  Object.assign(window, {
    setInterval: (work, ms) => interval(work, sooner(ms)),
    setTimeout: (work, ms) => timeout(work, sooner(ms)),
    fetch: (...of) => asked(...of).then((answer) => { if (answer.url.includes("/tiles/")) answers++; return answer; }),
    answersHeard: () => answers,
  });
})()`;

/**
 * A wall page that is refreshed faster than usual for so long: what its browser keeps after collecting what it has let go, and what share of a
 * core all its processes take (once as fast: that of an ordinary wall).
 * Usage: node scripts/bench.mjs wall ADDRESS [MINUTES] [TIMES AS FAST]
 */
const [address, minutes = "12", times = "100"] = process.argv.slice(2);
if (address === undefined) throw new Error("usage: wall ADDRESS [MINUTES] [TIMES]");
const browser = await chromium.launch({
  executablePath: "/usr/bin/chromium-headless-shell",
  args: ["--no-sandbox", "--disable-gpu"],
});
try {
  const session = await browser.newBrowserCDPSession();
  const page = await BarePage.open(session);
  await page.send("Page.enable");
  await page.send("Page.addScriptToEvaluateOnNewDocument", { source: sooner(Number(times)) });
  await page.send("Page.navigate", { url: address });
  while ((await page.evaluate("document.querySelectorAll('h2').length")) === 0)
    await new Promise((r) => setTimeout(r, 200));
  // boards take turns, and one may hold more than another: the least of some looks is of the same one each time
  const heap = async () => {
    let least = Number.POSITIVE_INFINITY;
    for (let i = 0; i < LOOKS; i++) {
      await page.send("HeapProfiler.collectGarbage");
      least = Math.min(least, Number((await page.send("Runtime.getHeapUsage")).usedSize));
      await new Promise((r) => setTimeout(r, LOOK_MS));
    }
    return least;
  };
  const cpuSeconds = async () => {
    const { processInfo } = await session.send("SystemInfo.getProcessInfo");
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
    const [nodes, answers] = [
      await page.evaluate("document.querySelectorAll('*').length"),
      await page.evaluate("answersHeard()"),
    ];
    console.log(
      `after ${((part * whole) / 60_000).toFixed(1)} min, ${answers} answers: ${(used / 1e6).toFixed(2)} MB, ${(used / first).toFixed(3)} × the first; ${nodes} elements; ${share.toFixed(1)} % of a core`,
    );
  }
} finally {
  await browser.close();
}
