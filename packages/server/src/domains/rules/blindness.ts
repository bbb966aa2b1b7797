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
export const BLIND_US = 7 * US_PER_DAY;
const BUDGET_MS = 700;
const MAP_BUDGET_MS = 300;

export interface BlindCondition {
  readonly condition: string;
  /** What would have to be different for it to see anything. */
  readonly needs: readonly string[];
}

/** Fields that say where a record comes from and what it is about; the others what happened. */
const OF_SOURCE: readonly string[] = ["kind", "sender", "app", "log", "facility", "category"];

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
  for (const [i, { filter: text, name }] of conditionsOf(rule).entries()) {
    if (isAbsent(rule, i)) continue;
    const parsed = parseFilter(text, { zone: config.HALVIK_ZONE, saved: rule.savedFilters });
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

/** How it stands with what a rule looks for. */
export interface RuleCoverage {
  /** `hears`: all of it has come lately; `quiet`: it is heard, and nothing such has come; `blind`: nobody sends what it is about. */
  readonly state: "hears" | "quiet" | "blind";
  /** Of a blind one: what would have to be different. */
  readonly blind: readonly BlindCondition[];
}

/** Whether what a rule looks for is heard at all. Where that cannot be found out in time it counts as heard. */
export async function coverageOfRule(deps: Needs, rule: Rule, nowUs: number): Promise<RuleCoverage> {
  const { ask, config } = deps;
  const window = { fromUs: nowUs - BLIND_US, toUs: nowUs };
  /** Whether anything stored matches; null: not found out. */
  const any = async (filter: Filter): Promise<boolean | null> => {
    const scope = { ...window, filter, nowUs, budgetMs: MAP_BUDGET_MS };
    const page = await ask(filter).page({ ...scope, limit: 1, cursor: null, direction: "older" });
    return page.records.length > 0 ? true : page.partial ? null : false;
  };
  let state: RuleCoverage["state"] = "hears";
  for (const [i, { filter: text }] of conditionsOf(rule).entries()) {
    if (isAbsent(rule, i)) continue;
    const parsed = parseFilter(text, { zone: config.HALVIK_ZONE, saved: rule.savedFilters });
    if (!parsed.ok || (await any(parsed.filter)) !== false) continue;
    const parts = parsed.filter.type === "and" ? parsed.filter.items : [parsed.filter];
    const source = parts.filter(isOfSource);
    const heard = await Promise.all(source.map(any));
    if (heard.includes(false)) return { state: "blind", blind: await blindConditions(deps, rule, nowUs) };
    state = "quiet";
  }
  return { state, blind: [] };
}

/** What must not come need not come. */
const isAbsent = (rule: Rule, i: number): boolean => rule.kind === "sequence" && rule.steps[i]?.absent === true;

/** By which endpoints each kind of record comes; what comes by none is made by Halvik itself. */
const COMES_BY: Readonly<Record<RecordKind, readonly EndpointConfig["kind"][]>> = {
  syslog: ["syslog-udp", "syslog-tcp", "syslog-tls"],
  firewall: ["syslog-udp", "syslog-tcp", "syslog-tls"],
  snmp: ["snmp"],
  flow: ["flow"],
  windows: ["https"],
  json: ["https"],
  packet: ["https"],
  halvik: [],
};

const partAt = (filter: Filter, start: number): Filter | undefined =>
  (filter.type === "and" ? filter.items : [filter]).find((i) => i.type !== "everything" && i.span.start === start);

function isOfSource(part: Filter): boolean {
  if (part.type === "compare") return !part.negated && OF_SOURCE.includes(part.field);
  return (part.type === "and" || part.type === "or") && part.items.every(isOfSource);
}

function sayNeeds(filter: Filter, text: string, why: WhyNothing, endpoints: readonly EndpointConfig[]): string[] {
  const needs = why.parts
    .filter((p) => p.count === 0 && p.exact)
    .map((part) => {
      const said = text.slice(part.start, part.end).trim();
      const item = partAt(filter, part.start);
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
