import { once } from "node:events";
import {
  BlindMap,
  type RehearsalStep,
  RehearseQuery,
  RuleCheck,
  RuleDetail,
  RuleList,
  RuleSwitch,
  RuleText,
  SaveRule,
  SigmaFile,
  SigmaRead,
  SigmaText,
} from "@halvik/contract/rules";
import { formatUs, US_PER_MINUTE } from "@halvik/core/base/time";
import {
  conditionsOf,
  type KeptRule,
  logicOf,
  type Rule,
  readKeptRule,
  sayRule,
  sayTestFailure,
  splitKey,
  tryRule,
  worstSeverityOf,
} from "@halvik/core/detect";
import type { SenderDirectory } from "@halvik/core/model/senders";
import * as z from "zod";
import { nowUs } from "../../kernel/clock.js";
import type { Config } from "../../kernel/config/config.js";
import type { Models } from "../../kernel/db/models.js";
import type { Pool } from "../../kernel/db/pool.js";
import { inAct } from "../../kernel/db/unit-of-work.js";
import { AppError } from "../../kernel/http/errors.js";
import { route } from "../../kernel/http/route.js";
import type { Streams } from "../../kernel/http/streams.js";
import { readWindow } from "../../kernel/http/window.js";
import type { WorkPool } from "../../kernel/threads/work-pool.js";
import { amendedBy } from "../../store/amend-records.js";
import type { DirectoryCache } from "../intake/senders/directory-cache.js";
import type { Ask, RehearsalAsked } from "../records/questions.js";
import { savedFiltersFor } from "../records/saved-filters/repository.js";
import { blindMap } from "./blind-map.js";
import { blindConditions, coverageOfRule } from "./blindness.js";
import { type CheckedRule, type TestOutcome, withoutUnknownLists } from "./check-rule.js";
import { forgetRuleFailure, type RuleFailureRow, ruleFailures } from "./failures-repository.js";
import type { RehearsalProgress, Rehearsed } from "./rehearse.js";
import { listRules, loadRule, type RuleRow, ruleNearness, ruleVersions, saveRule } from "./repository.js";
import { type RuleIssue, withSavedFilters, writeRule } from "./rule-text.js";
import { asSigma, sigmaFile } from "./sigma.js";

const CHECK_MS = 15_000;
/** A page of a rehearsal takes a second or two. */
const REHEARSAL_SILENT_MS = 60_000;

const MAPPED_US = 5 * US_PER_MINUTE;
const params = z.object({ id: z.string().max(63) });

/** What these routes work with. */
interface Needs {
  readonly models: Models;
  readonly config: Config;
  readonly db: Pool;
  readonly directory: DirectoryCache;
  /** Who answers questions about a filter. */
  readonly ask: Ask;
  /** Threads for what somebody wrote and may take long. */
  readonly work: WorkPool;
  /** Threads for rehearsals, which take minutes. */
  readonly rehearsals: WorkPool;
  readonly streams: Streams;
}

export const ruleRoutes = (deps: Needs) => {
  const { models, db, directory, work, rehearsals, streams } = deps;
  /** Reads what somebody wrote, in a thread: reading and trying it may take as long as they like. */
  const check = async (text: string, person: string | null): Promise<CheckedRule> => {
    const whole = person === null ? text : withSavedFilters(text, await savedFiltersFor(db, person));
    const checked = await work.run<CheckedRule>("rule", whole, CHECK_MS);
    return checked.rule === null ? checked : withoutUnknownLists(checked, (await directory.get()).lists);
  };
  /** @param person whose saved filters it may name; null: it keeps those that it was saved with */
  const mustRead = async (text: string, person: string | null): Promise<Rule> => {
    const { rule, issues } = await check(text, person);
    if (rule === null) throw new AppError("BAD_RULE", issues.map(sayIssue).join("; "));
    return rule;
  };

  /** The map takes long: it is made anew this seldom, however many look at it. */
  let mapped: { readonly atUs: number; readonly answer: Promise<BlindMap> } | null = null;
  const failuresByRule = async () => new Map((await ruleFailures(db)).map((f) => [f.ruleId, f]));
  const detail = async (id: string) => {
    const row = await loadRule(db, id);
    if (!row) throw new AppError("NOT_FOUND", `there is no rule “${id}”`);
    const { rule, original } = mustHaveBeen(row.body);
    const nearness = await ruleNearness(db, id);
    const conditions = conditionsOf(rule);
    const senders = await directory.get();
    return {
      rule: toLine(row, await failuresByRule())[0]!,
      text: writeRule(original),
      reason: rule.reason,
      notes: rule.notes,
      references: rule.references,
      tests: outcomes(rule),
      versions: (await ruleVersions(db, id)).map((v) => ({
        version: v.version,
        author: v.author,
        at: formatUs(v.changed_us),
        text: writeRule(mustHaveBeen(v.body).original),
      })),
      near: (nearness?.near ?? []).map((n) => ({
        key: sayKey(rule, n.key, senders),
        have: n.have,
        need: n.need,
        lacking: n.lacking === null ? "" : (conditions[n.lacking]?.name ?? "") || (conditions[n.lacking]?.filter ?? ""),
        last: formatUs(n.lastUs),
      })),
      forgot: nearness?.forgot ?? 0,
      keys: nearness?.keys ?? 0,
      learning: nearness?.learning ?? 0,
    };
  };

  return [
    route({
      method: "get",
      path: "/rules",
      summary: "The rules, each as a sentence, with how often it raised",
      access: "read",
      answer: RuleList,
      handle: async () => {
        const failures = await failuresByRule();
        return { rules: (await listRules(db)).flatMap((row) => toLine(row, failures)) };
      },
    }),
    route({
      method: "get",
      path: "/rules/{id}",
      summary: "One rule as a file, with its tests, versions and near misses",
      access: "read",
      params,
      answer: RuleDetail,
      handle: ({ params: p }) => detail(p.id),
    }),
    route({
      method: "post",
      path: "/rules/check",
      summary:
        "What a rule that is being written amounts to: mistakes, sentence, tests, and what nothing stored can meet",
      access: "read",
      body: RuleText,
      answer: RuleCheck,
      handle: async ({ body, actor }) => {
        const { rule, issues, tests } = await check(body.text, actor.name);
        if (rule === null) return { issues, sentence: "", tests: [], blind: [] };
        return {
          issues: [],
          sentence: sayRule(rule),
          tests,
          blind: await blindConditions(deps, rule, nowUs()),
        };
      },
    }),
    route({
      method: "post",
      path: "/rules",
      summary: "Keeps a rule, new or as its next version; one whose tests fail is refused",
      access: "act",
      body: SaveRule,
      answer: RuleDetail,
      handle: async ({ body, actor }) => {
        const { rule, issues, tests } = await check(body.text, actor.name);
        if (rule === null) throw new AppError("BAD_RULE", issues.map(sayIssue).join("; "));
        const failures = tests.filter((t) => !t.passes).map(sayTestFailure);
        if (failures.length > 0) throw new AppError("TESTS_FAIL", failures.join("; "));
        await inAct(models, actor.name, async (act) => {
          const before = await loadRule(act.db, rule.id);
          if (body.isNew && before !== null)
            throw new AppError("CONFLICT", `there is a rule “${rule.id}” already: give this one another id`);
          await saveRule(act.db, rule, actor.name, act.atUs);
          const logic =
            before !== null && logicOf(mustHaveBeen(before.body).original) === logicOf(rule) ? "unchanged" : "changed";
          await act.audit("rule saved", { rule: rule.id, logic });
        });
        return detail(rule.id);
      },
    }),
    route({
      method: "get",
      path: "/techniques",
      summary: "Techniques by the rules that would show them, and what of those is not heard",
      access: "read",
      answer: BlindMap,
      handle: () => {
        const now = nowUs();
        if (mapped !== null && now - mapped.atUs < MAPPED_US) return mapped.answer;
        const answer = listRules(db).then((rows) =>
          blindMap(
            rows.flatMap(({ body }) => readKeptRule(body)?.rule ?? []),
            (rule) => coverageOfRule(deps, rule, now),
            now,
          ),
        );
        mapped = { atUs: now, answer };
        // what failed is asked again
        answer.catch(() => {
          mapped = null;
        });
        return answer;
      },
    }),
    route({
      method: "post",
      path: "/rules/sigma",
      summary: "Reads a file of Sigma: each rule as it would be kept, or why it cannot be said here; nothing is kept",
      access: "read",
      body: SigmaFile,
      answer: SigmaRead,
      handle: async ({ body }) => {
        const known = new Set((await listRules(db)).flatMap((r) => toLine(r, new Map())).map((r) => r.id));
        const outcomes = sigmaFile(body.text, new Map(Object.entries(body.sources)));
        return {
          outcomes: outcomes.map((o) => ({
            name: o.name,
            text: o.rule === null ? null : writeRule(o.rule),
            id: o.rule?.id ?? null,
            isKnown: o.rule !== null && known.has(o.rule.id),
            source: o.rule === null ? null : o.source,
            notes: o.rule === null ? [] : [...o.notes],
            why: o.rule === null ? o.why : "",
            at: o.rule === null ? o.at : "",
            unknownSource: o.rule === null ? o.unknownSource : null,
          })),
        };
      },
    }),
    route({
      method: "get",
      path: "/rules/{id}/sigma",
      summary: "A rule as a file of Sigma, or why it cannot be said there",
      access: "read",
      params,
      answer: SigmaText,
      handle: async ({ params: p }) => {
        const row = await loadRule(db, p.id);
        if (!row) throw new AppError("NOT_FOUND", `there is no rule “${p.id}”`);
        const written = asSigma(mustHaveBeen(row.body).rule);
        return "why" in written ? { text: null, why: written.why } : { text: written.text, why: "" };
      },
    }),
    route({
      method: "patch",
      path: "/rules/{id}",
      summary: "Switches a rule on or off, or has it observe only",
      access: "act",
      params,
      body: RuleSwitch,
      answer: RuleDetail,
      handle: async ({ params: p, body, actor }) => {
        await inAct(models, actor.name, async (act) => {
          const row = await loadRule(act.db, p.id);
          if (!row) throw new AppError("NOT_FOUND", `there is no rule “${p.id}”`);
          await saveRule(act.db, { ...mustHaveBeen(row.body).original, ...body }, actor.name, act.atUs);
          await act.audit("rule switched", { rule: p.id, ...body });
        });
        return detail(p.id);
      },
    }),
    route({
      method: "post",
      path: "/rules/{id}/try-again",
      summary: "Lets a rule that failed run again",
      access: "act",
      params,
      answer: RuleDetail,
      handle: async ({ params: p, actor }) => {
        await inAct(models, actor.name, async (act) => {
          if (!(await forgetRuleFailure(act.db, p.id)))
            throw new AppError("NOT_FOUND", `the rule “${p.id}” has not failed`);
          await act.audit("rule tried again", { rule: p.id });
        });
        return detail(p.id);
      },
    }),
    route({
      method: "post",
      path: "/rules/rehearse",
      summary:
        "Runs a rule, or two versions of one, over a window of history; one line of JSON after each page, to be ended by hanging up",
      access: "read",
      body: RehearseQuery,
      answer: { type: "application/x-ndjson" },
      streams: true,
      handle: async ({ body, res, actor, mayStill }) => {
        const rules = [
          await mustRead(body.text, actor.name),
          ...(body.against === undefined ? [] : [await mustRead(body.against, null)]),
        ];
        const window = readWindow(body, nowUs());
        const by = await amendedBy(db, window.fromUs, window.toUs);
        const stream = streams.begin(actor, res, "application/x-ndjson", mayStill);
        const asked: RehearsalAsked = { rules, window };
        for await (const step of rehearsals.follow<RehearsalProgress>("rehearsal", asked, REHEARSAL_SILENT_MS)) {
          if (stream.isOver) return undefined;
          const [first, second] = step.versions;
          const line: RehearsalStep = {
            through: formatUs(step.throughUs),
            share: (step.throughUs - window.fromUs) / (window.toUs - window.fromUs),
            records: step.records,
            done: step.done,
            ...summed(first!, step.done),
            ...(second ? { against: summed(second, step.done) } : {}),
            costUs: step.costUs,
            forgot: step.forgot,
            amendedBy: by,
          };
          stream.write(`${JSON.stringify(line)}\n`);
          if (!stream.isReady) await Promise.race([once(res, "drain"), once(res, "close")]);
        }
        res.end();
        return undefined;
      },
    }),
  ];
};

/** Findings are listed at the end only: on the way they are counted. */
const summed = (v: Rehearsed, done: boolean) => ({
  findings: v.findings,
  incidents: v.incidents,
  listed: done
    ? v.listed.map(({ title, report: { key, episode: e }, examples }) => ({
        title,
        key,
        first: formatUs(e.firstUs),
        last: formatUs(e.lastUs),
        raised: formatUs(e.raisedUs),
        count: e.count,
        cleared: e.clearedUs === null ? null : formatUs(e.clearedUs),
        examples,
      }))
    : [],
});

const sayIssue = ({ path, message }: RuleIssue): string => (path === "" ? message : `${path}: ${message}`);

const outcomes = (rule: Rule): TestOutcome[] =>
  rule.tests.map((t) => {
    const { raised, passes } = tryRule(rule, t);
    return { name: t.name, raises: t.raises, raised, passes };
  });

/** What is kept as a rule was one when it was kept. */
function mustHaveBeen(body: unknown): KeptRule {
  const kept = readKeptRule(body);
  if (kept === null) throw new AppError("CONFLICT", "what is kept here is no rule that can be read any more");
  return kept;
}

/** One line; none of what never was a rule: health and the log name it. */
function toLine(row: RuleRow, failures: ReadonlyMap<string, RuleFailureRow>) {
  const rule = readKeptRule(row.body)?.rule;
  if (rule === undefined) return [];
  const failure = failures.get(rule.id);
  const line = {
    id: rule.id,
    version: row.version,
    name: rule.name,
    kind: rule.kind,
    enabled: rule.enabled,
    listenOnly: rule.listenOnly,
    severity: rule.severity,
    worstSeverity: worstSeverityOf(rule),
    sentence: sayRule(rule),
    tags: rule.tags,
    owner: rule.owner,
    open: row.open,
    raised: row.raised,
    lastRaised: row.last_raised_us === null ? null : formatUs(row.last_raised_us),
    failure: failure
      ? {
          since: formatUs(failure.sinceUs),
          reason: failure.reason,
          times: failure.times,
          stopped: failure.stopped,
        }
      : null,
  };
  return [line];
}

/** A key as people read it: `src 203.0.113.9, user root`. */
const sayKey = (rule: Rule, key: string, senders: SenderDirectory): string =>
  rule.key.length === 0
    ? "all together"
    : splitKey(key, rule.key.length)
        .map((value, i) => `${rule.key[i]} ${rule.key[i] === "sender" ? senders.name(Number(value)) : value}`)
        .join(", ");
