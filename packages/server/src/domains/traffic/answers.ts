import type { AnswersAnswer } from "@halvik/contract/traffic";
import { formatUs, US_PER_DAY, US_PER_HOUR, US_PER_MINUTE } from "@halvik/core/base/time";
import type { SenderDirectory } from "@halvik/core/model/senders";
import { ANSWER_CLASSES, TELLS_ANSWER } from "@halvik/core/traffic";
import { ownFilter } from "../records/own-filter.js";
import type { Ask } from "../records/questions.js";

const STEPS = 60;
const WIDTHS_US = [1, 2, 5, 10, 15, 30]
  .map((m) => m * US_PER_MINUTE)
  .concat(
    [1, 2, 4, 12].map((h) => h * US_PER_HOUR),
    [1, 2, 7].map((d) => d * US_PER_DAY),
  );
const SHOWN = 50;

/** How servers answered in a window: of DNS, of HTTP, of TLS. */
export async function answersOf(
  ask: Ask,
  { fromUs, toUs }: { readonly fromUs: number; readonly toUs: number },
  directory: SenderDirectory,
  nowUs: number,
  budgetMs: number,
): Promise<AnswersAnswer> {
  const filter = ownFilter(TELLS_ANSWER, directory);
  const stepUs = WIDTHS_US.find((w) => (toUs - fromUs) / w <= STEPS) ?? 7 * US_PER_DAY;
  const found = await ask(filter).answers({ filter, fromUs, toUs, nowUs, budgetMs, stepUs });
  return {
    from: formatUs(fromUs),
    to: formatUs(toUs),
    stepSeconds: stepUs / 1e6,
    reached: found.reachedUs === null ? null : formatUs(found.reachedUs),
    answers: found.answers,
    services: found.services.map(({ service, steps, servers, isCut, ...rest }) => ({
      service,
      ...rest,
      classes: [...ANSWER_CLASSES[service]],
      steps: steps.map(({ atUs, ...step }) => ({ at: formatUs(atUs), ...step, counts: [...step.counts] })),
      servers: servers
        .slice(0, SHOWN)
        .map((s) => ({ ...s, answers: s.answers.map(([answer, count]) => ({ answer, count })) })),
      serversInAll: servers.length,
      isCut,
    })),
  };
}
