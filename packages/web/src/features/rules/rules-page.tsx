import type { RuleList } from "@halvik/contract/rules";
import { US_PER_DAY } from "@halvik/core/base/time";
import { KIND_NAMES, kindName, RULE_KINDS } from "@halvik/core/detect/form";
import { SEVERITIES } from "@halvik/core/model/record";
import { useQuery } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { Link, useNavigate, useSearchParams } from "react-router";
import { rulesQuery } from "../../data/api";
import { presentUs, usOf } from "../../data/view-store";
import { Ago } from "../../shared/ago";
import { Tag } from "../../shared/incident-strip";
import { TextButton } from "../../ui/button";
import { Cut } from "../../ui/cut";
import { EmptyState, Trouble } from "../../ui/empty-state";
import { Input } from "../../ui/field";
import { SeverityMark } from "../../ui/marks";
import { Page, Scroller } from "../../ui/page";
import { safeText } from "../../ui/safe-text";
import { Segments } from "../../ui/segments";
import { Select } from "../../ui/select";
import { type ColumnDef, Table } from "../../ui/table";
import { RULE_STATES, type RuleLine, stateOf } from "./rule-state";
import { SigmaImport } from "./sigma-import";

const LATELY_US = 7 * US_PER_DAY;
const VIEWS = [
  { value: "all", label: "all" },
  ...RULE_STATES.map((s) => ({ value: s.state, label: s.label })),
  { value: "lately", label: "raised in 7 days" },
] as const;
type View = (typeof VIEWS)[number]["value"];

/** What raises findings: each rule as a sentence, whether it runs, how often it has raised. */
export function RulesPage() {
  const rules = useQuery(rulesQuery);
  const navigate = useNavigate();
  const [params, setParams] = useSearchParams();
  const set = (name: string, value: string) =>
    setParams(
      (before) => {
        const next = new URLSearchParams(before);
        if (value === "") next.delete(name);
        else next.set(name, value);
        return next;
      },
      { replace: true },
    );
  const words = params.get("words") ?? "";
  const view = (VIEWS.find((v) => v.value === params.get("show"))?.value ?? "all") as View;
  const kind = params.get("kind") ?? "";
  const tag = params.get("tag") ?? "";
  const all = rules.data?.rules ?? NONE;
  const tags = useMemo(() => [...new Set(all.flatMap((r) => r.tags))].sort(), [all]);
  const shown = all.filter((r) => isShown(r, { words, view, kind, tag }, presentUs()));
  const [importing, setImporting] = useState(false);
  return (
    <Page title="Rules">
      <SigmaImport open={importing} onOpenChange={setImporting} />
      <div className="flex flex-wrap items-end justify-between gap-x-4 gap-y-1">
        <div>
          <h1 className="text-page leading-[1.625rem] font-semibold">Rules</h1>
          <p className="text-quiet">
            What raises findings{rules.data && `: ${countText(shown.length, all.length)}`}.{" "}
            <Link to="/rules/new">New rule</Link> · <Link to="/techniques">What cannot be seen</Link> ·{" "}
            <TextButton onClick={() => setImporting(true)}>Import Sigma</TextButton>
          </p>
        </div>
        <div className="w-72">
          <Input
            aria-label="Rules with these words"
            placeholder="with these words, such as logon"
            value={words}
            onChange={(e) => set("words", e.target.value)}
          />
        </div>
      </div>
      <div className="flex flex-wrap items-center gap-x-5 gap-y-1 border-b border-line-strong py-1.5 text-ui">
        <Segments
          label="Which rules"
          value={view}
          onChange={(v) => set("show", v === "all" ? "" : v)}
          options={VIEWS}
        />
        <span className="ml-auto flex items-center gap-1.5 text-quiet">
          kind
          <Select
            label="Kind"
            value={kind}
            onChange={(v) => set("kind", v)}
            options={[{ value: "", label: "any" }, ...RULE_KINDS.map((k) => ({ value: k, label: KIND_NAMES[k] }))]}
          />
          tag
          <Select
            label="Tag"
            value={tag}
            onChange={(v) => set("tag", v)}
            options={[{ value: "", label: "any" }, ...tags]}
          />
        </span>
      </div>
      <Scroller label="Rules">
        {rules.error && <Trouble error={rules.error} what="The rules cannot be shown" />}
        {shown.length > 0 && (
          <Table
            label="Rules"
            rows={shown}
            columns={COLUMNS}
            rowId={(r) => r.id}
            onOpen={(r) => navigate(`/rules/${r.id}`)}
          />
        )}
        {rules.data && all.length > 0 && shown.length === 0 && (
          <EmptyState title="No rule is like this" text="Take a word, the kind or the tag away, or show all of them." />
        )}
        {rules.data && all.length === 0 && (
          <EmptyState
            title="There are no rules"
            text="Without rules, records are kept and searched, and nothing raises an incident. Rules come with an empty database."
          />
        )}
      </Scroller>
    </Page>
  );
}

const NONE: RuleList["rules"] = [];

const countText = (shown: number, all: number): string =>
  shown === all ? (all === 1 ? "one rule" : `${all} rules`) : `${shown} of ${all} rules`;

function isShown(
  r: RuleLine,
  { words, view, kind, tag }: { words: string; view: View; kind: string; tag: string },
  nowUs: number,
): boolean {
  if (kind !== "" && r.kind !== kind) return false;
  if (tag !== "" && !r.tags.includes(tag)) return false;
  if (view === "lately" && (r.lastRaised === null || usOf(r.lastRaised) < nowUs - LATELY_US)) return false;
  if (view !== "all" && view !== "lately" && stateOf(r) !== view) return false;
  const text = `${r.id} ${r.name} ${kindName(r.kind)} ${r.tags.join(" ")} ${r.sentence}`.toLowerCase();
  return words
    .toLowerCase()
    .split(/\s+/)
    .every((w) => text.includes(w));
}

const RIGHT = { align: "right" };
const COLUMNS: ColumnDef<RuleLine>[] = [
  {
    id: "severity",
    header: "severity",
    // the worst first
    accessorFn: (r) => SEVERITIES.indexOf(r.severity as (typeof SEVERITIES)[number]),
    size: 60,
    cell: ({ row: { original: r } }) => <SeverityMark severity={r.severity} height={30} />,
  },
  {
    id: "rule",
    header: "rule",
    accessorFn: (r) => r.name.toLowerCase(),
    size: 576,
    cell: ({ row: { original: r } }) => (
      <>
        <Link to={`/rules/${r.id}`} className="font-semibold text-ink no-underline">
          {safeText(r.name)}
        </Link>{" "}
        {r.failure && <Tag attention>{r.failure.stopped ? "failing: stopped" : "failing"}</Tag>}
        <Cut text={safeText(r.sentence)} className="text-quiet">
          {safeText(r.sentence)}
        </Cut>
      </>
    ),
  },
  { id: "kind", header: "kind", accessorFn: (r) => kindName(r.kind), size: 100 },
  {
    id: "state",
    header: "state",
    accessorFn: (r) => stateOf(r),
    size: 86,
    cell: ({ row: { original: r } }) => <RuleStateMark rule={r} />,
  },
  {
    id: "raised",
    header: "raised",
    accessorFn: (r) => r.raised,
    size: 70,
    meta: {
      ...RIGHT,
      foot: (rules: readonly RuleLine[]) => rules.reduce((sum, r) => sum + r.raised, 0).toLocaleString("en"),
    },
    cell: ({ row: { original: r } }) => r.raised.toLocaleString("en"),
  },
  {
    id: "open",
    header: "open",
    accessorFn: (r) => r.open,
    size: 56,
    // no sum: an incident may have findings of several rules
    meta: RIGHT,
    cell: ({ row: { original: r } }) => (r.open === 0 ? "" : r.open),
  },
  {
    id: "last",
    header: "last raised",
    accessorFn: (r) => (r.lastRaised === null ? 0 : usOf(r.lastRaised)),
    size: 116,
    meta: RIGHT,
    cell: ({ row: { original: r } }) =>
      r.lastRaised === null ? (
        <span className="text-quiet">never</span>
      ) : (
        <>
          <Ago us={usOf(r.lastRaised)} /> ago
        </>
      ),
  },
];

function RuleStateMark({ rule }: { rule: RuleLine }) {
  const state = stateOf(rule);
  return (
    <span className={state === "on" ? "" : "text-quiet"}>{RULE_STATES.find((s) => s.state === state)!.label}</span>
  );
}
