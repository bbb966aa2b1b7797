import { US_PER_DAY } from "@halvik/core/base/time";
import { conditionsOf, type Rule } from "@halvik/core/detect";
import type { RecordKind } from "@halvik/core/model/record";
import { type Filter, parseFilter } from "@halvik/core/query/filter";
import type { Config } from "../../kernel/config/config.js";
import type { Pool } from "../../kernel/db/pool.js";
import type { WhyNothing } from "../../store/why-nothing.js";
import { type EndpointConfig, loadEndpoints } from "../intake/endpoints/repository.js";
import type { Ask } from "../records/questions.js";

/** Whether a rule is blind is asked of the last days. */
const BLIND_US = 7 * US_PER_DAY;
const BUDGET_MS = 700;

export interface BlindCondition {
  readonly condition: string;
  /** What would have to be different for it to see anything. */
  readonly needs: readonly string[];
}

/** What the question takes. */
interface Needs {
  readonly config: Config;
  readonly db: Pool;
  /** Who answers questions about a filter. */
  readonly ask: Ask;
}

/** Conditions of a rule that nothing stored lately meets, and what is lacking; what could not be found out in time is not said. */
export async function blindConditions(deps: Needs, rule: Rule, nowUs: number): Promise<BlindCondition[]> {
  const { db, ask, config } = deps;
  const window = { fromUs: nowUs - BLIND_US, toUs: nowUs };
  const blind: BlindCondition[] = [];
  for (const { filter: text, name } of conditionsOf(rule)) {
    const parsed = parseFilter(text, { zone: config.HALVIK_ZONE });
    if (!parsed.ok) continue;
    const scope = { ...window, filter: parsed.filter, nowUs, budgetMs: BUDGET_MS };
    const page = await ask(parsed.filter).page({ ...scope, limit: 1, cursor: null, direction: "older" });
    if (page.records.length > 0 || page.partial) continue;
    const why = await ask(parsed.filter).whyNothing(scope);
    const endpoints = await loadEndpoints(db, config);
    blind.push({
      condition: name ? `${name}: ${text}` : text,
      needs: sayNeeds(parsed.filter, text, why, endpoints),
    });
  }
  return blind;
}

/** By which endpoints each kind of record comes; what comes by none is made by Halvik itself. */
const COMES_BY: Readonly<Record<RecordKind, readonly EndpointConfig["kind"][]>> = {
  syslog: ["syslog-udp", "syslog-tcp", "syslog-tls"],
  firewall: ["syslog-udp", "syslog-tcp", "syslog-tls"],
  snmp: ["snmp"],
  flow: ["flow"],
  windows: ["https"],
  json: ["https"],
  halvik: [],
};

function sayNeeds(filter: Filter, text: string, why: WhyNothing, endpoints: readonly EndpointConfig[]): string[] {
  const items = filter.type === "and" ? filter.items : [filter];
  const needs = why.parts
    .filter((p) => p.count === 0 && p.exact)
    .map((part) => {
      const said = text.slice(part.start, part.end).trim();
      const item = items.find((i) => i.type !== "everything" && i.span.start === part.start);
      if (item?.type === "compare" && !item.negated && item.test.op === "oneOf") {
        if (item.field === "kind") return sayKinds(item.test.values as readonly RecordKind[], endpoints);
        if (item.field === "sender") return `${said}: that sender is not admitted, or has sent nothing`;
      }
      return part.near === null
        ? `${said}: no record says that`
        : `${said}: no record says that; ${part.near.value} is said by ${part.near.count.toLocaleString("en")}`;
    });
  if (needs.length > 0) return needs;
  return why.parts.length > 1 ? ["each part of it is met, but by no record together with the others"] : [];
}

function sayKinds(kinds: readonly RecordKind[], endpoints: readonly EndpointConfig[]): string {
  const ways = endpoints.filter((e) => kinds.some((k) => COMES_BY[k].includes(e.kind)));
  const named = ways.map((e) => `“${e.name}” on ${e.host} port ${e.port}`);
  const what = `no ${kinds.join(" or ")} record has come`;
  if (ways.length === 0) return what;
  if (ways.every((e) => !e.enabled))
    return `${what}: ${named.join(", ")} ${ways.length === 1 ? "is" : "are"} switched off on Intake`;
  const open = ways.filter((e) => e.enabled);
  const local = open.every((e) => e.host.startsWith("127.") || e.host === "::1")
    ? "; they listen to this machine only until HALVIK_LISTEN_HOST or their address on Intake says otherwise"
    : "";
  return `${what}: let a sender send to ${open.map((e) => `“${e.name}” on ${e.host} port ${e.port}`).join(", ")}${local}`;
}
