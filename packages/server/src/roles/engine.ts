import { formatDuration, US_PER_MINUTE } from "@halvik/core/base/time";
import { RuleFailure } from "@halvik/core/detect";
import type { OwnObservation } from "@halvik/core/normalise";
import pino from "pino";
import { clearEngineStopped } from "../domains/health/engine-stopped.js";
import { type RoleStatus, readRoles, writeHeartbeat } from "../domains/health/repository.js";
import { SelfWatch } from "../domains/health/watch-self.js";
import { watchNewSenders, watchSenders } from "../domains/health/watch-senders.js";
import { noteHeldBack } from "../domains/incidents/grow-incident.js";
import { noteOutlasting } from "../domains/incidents/outlast.js";
import { remind } from "../domains/incidents/remind.js";
import { noteRuleFailure } from "../domains/rules/failures-repository.js";
import { saveNearness } from "../domains/rules/repository.js";
import { Care, type Isolated } from "../domains/rules/running/careful.js";
import { EngineSession } from "../domains/rules/running/session.js";
import { nowUs } from "../kernel/clock.js";
import type { Config } from "../kernel/config/config.js";
import { failureOf, isOwnFault } from "../kernel/db/failure.js";
import { keepSession } from "../kernel/db/keep-session.js";
import { type Client, transaction } from "../kernel/db/pool.js";
import type { RoleContext } from "../kernel/role-input.js";
import { forgetFollowedBatches, listenToBatches } from "../store/batches.js";
import { OwnRecords } from "../store/own-records.js";

/** New batches wake it; what people changed is found by then. */
const IDLE_MS = 500;
const WATCH_MS = 5_000;
/** Keys of a rule that are said to be near to being raised. */
const NEAREST = 5;
const KEEP_BATCHES_US = 2 * 24 * 60 * US_PER_MINUTE;

/** Runs the engine until stopped; reconnects and reads everything back after any failure. */
export async function startEngine({ config, secrets }: RoleContext): Promise<() => Promise<void>> {
  const startedUs = nowUs();
  const care = new Care();
  return keepSession("engine", config, secrets, (client, stopping) =>
    follow(client, config, startedUs, care, stopping),
  );
}

async function follow(
  client: Client,
  config: Config,
  startedUs: number,
  care: Care,
  stopping: () => boolean,
): Promise<void> {
  const log = pino({ name: "engine", level: config.HALVIK_LOG_LEVEL }, pino.destination(2));
  const own = await OwnRecords.open(client, "engine");
  const before = (await readRoles(client)).find((r) => r.role === "engine");
  const session = await isolating(client, care, () => EngineSession.open(client, config.HALVIK_ZONE, care));
  const watch = new SelfWatch(config.HALVIK_DATA_DIR, config.HALVIK_DISK_LOW_BYTES, auditReported(before));
  if (before && before.detail.stopped !== true && nowUs() - before.heartbeatUs > US_PER_MINUTE)
    await own.write([
      {
        event: "role-stopped",
        severity: 2,
        outcome: "failure",
        subject: "engine",
        text: `The engine did not run for ${formatDuration(nowUs() - before.heartbeatUs)}; it catches up now.`,
      },
      { event: "role-back", severity: 5, outcome: "success", subject: "engine", text: "The engine is back." },
    ]);
  let woken = () => {};
  client.on("notification", () => woken());
  await listenToBatches(client);
  /** Whether more is stored than the last step took. */
  let more = true;
  const chores: readonly (readonly [what: string, chore: (now: number) => Promise<unknown>])[] = [
    [
      "watching senders and Halvik itself",
      async (now) =>
        own.write([
          ...(await watchSenders(client, session.senderDirectory, now)),
          ...(await watch.look(client, { throughUs: session.liveThroughUs, isAll: !more }, now)),
        ]),
    ],
    ["watching for new senders", async (now) => own.write(await watchNewSenders(client, session.senderDirectory, now))],
    ["reminders", (now) => remind(client, session.activeRules, now)],
    ["what lasts although its cause is over", (now) => transaction(client, () => noteOutlasting(client, now))],
    [
      "what incidents have come to name",
      (now) => transaction(client, () => noteHeldBack(client, session.senderDirectory, now)),
    ],
    ["near misses", (now) => saveNearness(client, session.nearness(NEAREST), now)],
    [
      "the sign of life",
      async (now) => {
        const throughUs = session.liveThroughUs;
        await writeHeartbeat(client, "engine", config.HALVIK_NODE, startedUs, now, {
          memoryBytes: process.memoryUsage.rss(),
          throughUs,
          auditThrough: watch.auditThrough,
        });
        if (throughUs !== null) await clearEngineStopped(client, now);
      },
    ],
    ["forgetting batches", (now) => forgetFollowedBatches(client, now - KEEP_BATCHES_US)],
  ];
  let watchedMs = 0;
  while (!stopping()) {
    more = await isolating(client, care, () => session.step());
    const failed = care.toReport.splice(0);
    for (const one of session.takeIsolated())
      if (await noteRuleFailure(client, one.ruleId, one.reason, one.stopped, nowUs())) failed.push(one);
    await own.write(failed.map(sayIsolated));
    if (performance.now() - watchedMs > WATCH_MS) {
      watchedMs = performance.now();
      for (const [what, chore] of chores)
        await chore(nowUs()).catch((e: unknown) => {
          // one that is refused keeps neither the rules nor the other chores from going on
          if (failureOf(e) === "outage") throw e;
          log.warn({ err: e }, `${what} failed`);
        });
    }
    if (!more) {
      await new Promise<void>((resolve) => {
        const timer = setTimeout(resolve, IDLE_MS);
        woken = () => {
          clearTimeout(timer);
          // several collectors commit at nearly the same moment; one step takes them all
          setTimeout(resolve, 20);
        };
      });
    }
  }
  await writeHeartbeat(client, "engine", config.HALVIK_NODE, startedUs, nowUs(), {
    stopped: true,
    auditThrough: watch.auditThrough,
  });
}

/** Where an engine before this one left off telling refused sign-ins: from the beginning where there was none. */
function auditReported(before: RoleStatus | undefined): number | null {
  if (before === undefined) return 0;
  const { auditThrough } = before.detail;
  return typeof auditThrough === "number" ? auditThrough : null;
}

/**
 * Runs a step of the session. A rule that fails is noted as stopped before the session ends; any other refusal makes the next sessions write
 * finding by finding.
 */
async function isolating<T>(client: Client, care: Care, work: () => Promise<T>): Promise<T> {
  try {
    return await work();
  } catch (e) {
    if (e instanceof RuleFailure && isOwnFault(e.cause)) {
      await noteRuleFailure(client, e.ruleId, e.message, true, nowUs());
      care.toReport.push({ ruleId: e.ruleId, reason: e.message, stopped: true });
    } else if (isOwnFault(e)) care.beCareful();
    throw e;
  }
}

const sayIsolated = ({ ruleId, reason, stopped }: Isolated): OwnObservation => ({
  event: "rule-failing",
  severity: stopped ? 2 : 3,
  outcome: "failure",
  subject: ruleId,
  text: stopped
    ? `The rule ${ruleId} failed and does not run any more: ${reason}. All others go on.`
    : `A finding of the rule ${ruleId} could not be written and is left out: ${reason}.`,
});
