import type { PolicyAnswer } from "@halvik/contract/traffic";
import { parseNetwork } from "@halvik/core/base/net";
import { formatUs } from "@halvik/core/base/time";
import { protocolName } from "@halvik/core/model/applications";
import type { SenderDirectory } from "@halvik/core/model/senders";
import type { Filter } from "@halvik/core/query/filter";
import { PolicyCheck } from "@halvik/core/traffic";
import { AppError } from "../../kernel/http/errors.js";
import { ownFilter } from "../records/own-filter.js";
import type { Ask } from "../records/questions.js";

/** Records of each sort that are looked at, the newest; and for how long. */
const MOST = 10_000;
const PAGE = 2_000;
const BUDGET_MS = 1_500;
const PAGE_MS = 700;
const SHOWN = 60;

interface Asked {
  readonly fromUs: number;
  readonly toUs: number;
  readonly src?: string | undefined;
  readonly dst?: string | undefined;
  readonly port?: number | undefined;
}

/** What firewalls decided between some ends, what flowed between them, and what does not go together. */
export async function policyCheck(
  ask: Ask,
  asked: Asked,
  senders: SenderDirectory,
  nowUs: number,
): Promise<PolicyAnswer> {
  const ends = [
    within("src", asked.src),
    within("dst", asked.dst),
    asked.port === undefined ? null : `dst port is ${asked.port}`,
  ];
  const filterOf = (what: string) => [what, ...ends].filter((part) => part !== null).join(" and ");
  const decisionFilter = filterOf("not kind is flow and action present");
  const flowFilter = filterOf("kind is flow");
  const check = new PolicyCheck();
  const untilMs = performance.now() + BUDGET_MS;
  const isPartial = [decisionFilter, flowFilter].map((text) =>
    read(ask, ownFilter(text), asked, nowUs, untilMs, check),
  );
  const partial = (await Promise.all(isPartial)).some((p) => p);
  const { decisions, flows } = check.counts;
  return {
    from: formatUs(asked.fromUs),
    to: formatUs(asked.toUs),
    decisionFilter,
    flowFilter,
    decisions,
    flows,
    partial,
    ports: check
      .ports()
      .slice(0, SHOWN)
      .map(({ port, protocol, decided, flows: of, bytes }) => ({
        port,
        label: portLabel(protocol, port, senders),
        ...decided,
        flows: of,
        bytes,
      })),
    policies: check
      .policies()
      .slice(0, SHOWN)
      .map(({ action, policy, sender, zones, count, firstUs, lastUs }) => ({
        action,
        policy,
        device: senders.name(sender),
        zones: zones.every((z) => z === null) ? "" : zones.map((z) => z ?? "?").join(" → "),
        count,
        first: formatUs(firstUs),
        last: formatUs(lastUs),
      })),
    // of what was not read nobody knows whether it goes together
    contradictions: partial
      ? []
      : check.contradictions(Math.min(asked.toUs, nowUs)).map(({ code, atUs, src, dst, port, sender, policies }) => ({
          code,
          at: formatUs(atUs),
          src,
          dst,
          port,
          device: senders.name(sender),
          before: policies[0],
          policy: policies[1],
        })),
  };
}

function within(field: "src" | "dst", text: string | undefined): string | null {
  if (text === undefined) return null;
  if (parseNetwork(text) === null)
    throw new AppError("BAD_REQUEST", `${field}: expected an address or a block such as 10.20.0.0/16, got "${text}"`, {
      field,
    });
  return text.includes("/") ? `${field} within ${text}` : `${field} is ${text}`;
}

/** @returns whether there is more than was read */
async function read(
  ask: Ask,
  filter: Filter,
  { fromUs, toUs }: Asked,
  nowUs: number,
  untilMs: number,
  check: PolicyCheck,
): Promise<boolean> {
  let cursor = null;
  for (let n = 0; n < MOST; ) {
    const page = await ask(filter).page({
      filter,
      fromUs,
      toUs,
      limit: PAGE,
      nowUs,
      budgetMs: PAGE_MS,
      cursor,
      direction: "older",
    });
    for (const record of page.records) check.add(record);
    n += page.records.length;
    if (page.next === null) return false;
    if (performance.now() > untilMs) return true;
    cursor = page.next;
  }
  return true;
}

function portLabel(protocol: number | null, port: number | null, { applications }: SenderDirectory): string {
  const of = protocolName(protocol)?.toLowerCase() ?? "";
  if (port === null) return of || "no port";
  const name = applications.name({ protocol, src: null, dst: null, srcPort: null, dstPort: port });
  return [`${port}/${of}`, name].filter(Boolean).join(" ");
}
