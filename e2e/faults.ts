import { readFileSync } from "node:fs";
import { createRequire } from "node:module";
import type { Page } from "@playwright/test";
import type axe from "axe-core";

const SOURCE = readFileSync(createRequire(import.meta.url).resolve("axe-core/axe.min.js"), "utf8");

/** How often a page is asked, and how long it has between: a busy machine draws late. */
const [ASKED, PAUSE_MS] = [6, 1_000];

/**
 * What a machine can find of what keeps people out, and what stays: a page on its way to another, or colours on theirs to others, have
 * faults nobody meets.
 * @param only rules that are looked at; null: all
 * @param except rules that are not for what is looked at
 */
export async function faultsOf(
  page: Page,
  only: readonly string[] | null = null,
  except: readonly string[] = [],
): Promise<string[]> {
  let faults: string[] = [];
  for (let asked = 0; asked < ASKED; asked++) {
    if (asked > 0) await page.waitForTimeout(PAUSE_MS);
    faults = await faultsNow(page, only, except);
    if (faults.length === 0) break;
  }
  return faults;
}

/**
 * What is found at this moment, in the page itself: the finder is read in once for as long as the page is not loaded anew.
 */
async function faultsNow(page: Page, only: readonly string[] | null, except: readonly string[]): Promise<string[]> {
  if (!(await page.evaluate(() => "axe" in window))) await page.evaluate(SOURCE);
  return page.evaluate(
    async ([runOnly, disabled]) => {
      // colours that are on their way to others are none to judge; what turns for ever has no end to wait for
      await new Promise((drawn) => requestAnimationFrame(drawn));
      const ending = document.getAnimations().filter((a) => Number.isFinite(a.effect?.getComputedTiming().endTime));
      await Promise.allSettled(ending.map((a) => a.finished));
      const { violations } = await (window as unknown as { axe: typeof axe }).axe.run({
        resultTypes: ["violations"],
        // what a page plays and its style sheets, which none of ours turns with a device
        preload: false,
        ...(runOnly === null ? {} : { runOnly: [...runOnly] }),
        rules: Object.fromEntries(disabled.map((rule) => [rule, { enabled: false }])),
      });
      return violations.map((v) => `${v.id}: ${v.nodes.map((n) => n.target).slice(0, 3)}`);
    },
    [only, except] as const,
  );
}
