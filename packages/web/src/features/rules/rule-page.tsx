import type { RuleCheck, RuleDetail } from "@halvik/contract/rules";
import { kindName } from "@halvik/core/detect/form";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useMemo, useRef, useState } from "react";
import { Link, useLocation, useNavigate, useParams, useSearchParams } from "react-router";
import { toast } from "sonner";
import { parseDocument } from "yaml";
import { request, ruleQuery, rulesQuery } from "../../data/api";
import { useViewStore, usOf } from "../../data/view-store";
import { limitIn } from "../../shared/limit-url";
import { Button, ButtonLink } from "../../ui/button";
import { Trouble } from "../../ui/empty-state";
import { Facts, Heading, Page, Scroller } from "../../ui/page";
import { safeText } from "../../ui/safe-text";
import { Segments } from "../../ui/segments";
import { dayClock } from "../../ui/time";
import { type RuleChange, switched, withoutTests } from "./edit-rule";
import { newRule } from "./new-rule";
import { Rehearse } from "./rehearsal";
import { RuleFile } from "./rule-file";
import { RuleHead } from "./rule-head";
import { RuleSentence } from "./rule-sentence";
import { RULE_STATES, stateOf } from "./rule-state";
import { useFilterHelp } from "./use-filter-help";
import { VersionList } from "./version-list";

const CHECK_MS = 400;
const NO_ISSUES: RuleCheck["issues"] = [];

/** One rule: a sentence with pickers, the same as a file, its tests and versions, and a rehearsal on history. */
export function RulePage() {
  const { id = "" } = useParams();
  const isNew = id === "new";
  const [params] = useSearchParams();
  // a change that another page proposes: written in, to be rehearsed and saved
  const proposed = (useLocation().state as { text?: string } | null)?.text ?? null;
  const detail = useQuery({ ...ruleQuery(id), enabled: !isNew });
  const rules = useQuery({ ...rulesQuery, enabled: isNew });
  const taken = rules.data?.rules.map((r) => r.id) ?? [];
  // what is being written must outlive a moment in which Halvik does not answer
  if (detail.error && !detail.data)
    return (
      <Page title="Rule">
        <h1 className="sr-only">Rule</h1>
        <Trouble error={detail.error} what="This rule cannot be shown" />
      </Page>
    );
  // a new one is filed under what no other has
  if (isNew ? rules.isPending : !detail.data) return <Page title="Rule">{null}</Page>;
  return (
    <Editor
      key={id}
      detail={detail.data ?? null}
      taken={taken}
      begin={() => newRule(params.get("filter"), params.get("name"), taken, limitIn(params))}
      proposed={proposed}
    />
  );
}

/** @param begin what a new rule begins with @param proposed a change of it that is not kept yet */
function Editor({
  detail,
  taken,
  begin,
  proposed,
}: {
  detail: RuleDetail | null;
  taken: readonly string[];
  begin: () => string;
  proposed: string | null;
}) {
  const kept = detail?.text ?? "";
  const [text, setText] = useState(proposed ?? detail?.text ?? begin);
  const keptBefore = useRef(kept);
  if (keptBefore.current !== kept) {
    // a new version came: it is what is shown, unless somebody is writing
    if (text === keptBefore.current) setText(kept);
    keptBefore.current = kept;
  }
  const [check, setCheck] = useState<RuleCheck | null>(null);
  const help = useFilterHelp();
  const client = useQueryClient();
  const navigate = useNavigate();
  const parsed = useMemo(() => parseDocument(text), [text]);
  useEffect(() => {
    const abort = new AbortController();
    const timer = setTimeout(() => {
      request<RuleCheck>("POST", "/rules/check", { text }, abort.signal).then(setCheck, () => undefined);
    }, CHECK_MS);
    return () => {
      clearTimeout(timer);
      abort.abort();
    };
  }, [text]);
  const save = useMutation({
    mutationFn: (rule: string) => request<RuleDetail>("POST", "/rules", { text: rule, isNew: detail === null }),
    onSuccess: async (answer) => {
      setText(answer.text);
      client.setQueryData(["rule", answer.rule.id], answer);
      await client.invalidateQueries({ queryKey: ["rules"] });
      toast.success(`Version ${answer.rule.version} is saved`);
      if (answer.rule.id !== detail?.rule.id) await navigate(`/rules/${answer.rule.id}`);
    },
    onError: (e) => toast.error(e.message),
  });
  const turn = useMutation({
    mutationFn: (body: RuleChange) => request<RuleDetail>("PATCH", `/rules/${detail?.rule.id}`, body),
    onSuccess: async (answer, body) => {
      // what is being written says the same of it, and is not lost
      setText((written) => (written === kept ? answer.text : switched(written, body)));
      client.setQueryData(["rule", answer.rule.id], answer);
      await client.invalidateQueries({ queryKey: ["rules"] });
    },
    onError: (e) => toast.error(e.message),
  });
  const failing = check !== null && check.issues.length === 0 ? check.tests.filter((t) => !t.passes) : [];
  const zone = useViewStore((v) => v.zone);
  const again = useMutation({
    mutationFn: () => request<RuleDetail>("POST", `/rules/${detail?.rule.id}/try-again`, {}),
    onSuccess: async (answer) => {
      client.setQueryData(["rule", answer.rule.id], answer);
      await client.invalidateQueries({ queryKey: ["rules"] });
    },
    onError: (e) => toast.error(e.message),
  });
  return (
    <Page
      title={safeText(detail?.rule.name ?? "New rule")}
      margin={<RuleMargin detail={detail} check={check} onVersion={setText} />}
    >
      <div className="flex items-start justify-between gap-4 border-b border-line-strong pb-1.5">
        <div>
          <h1 className="text-page leading-[1.625rem] font-semibold">{safeText(detail?.rule.name ?? "New rule")}</h1>
          <Link to="/rules" className="text-ui">
            All rules
          </Link>
        </div>
        <div className="flex items-center gap-4">
          {detail && (
            <Segments
              label="State"
              value={stateOf(detail.rule)}
              onChange={(state) => turn.mutate(RULE_STATES.find((r) => r.state === state)!.change)}
              options={RULE_STATES.map((r) => ({ value: r.state, label: r.label }))}
            />
          )}
          <span className="text-ui text-quiet" aria-live="polite">
            {detail === null
              ? "not saved yet"
              : text === kept
                ? `saved, version ${detail.rule.version}`
                : "changes not saved"}
          </span>
          {detail && <ButtonLink to={`/notify?rule=${encodeURIComponent(detail.rule.id)}`}>Notify me</ButtonLink>}
          <Button
            main
            disabled={text === kept || save.isPending || (check?.issues.length ?? 1) > 0 || failing.length > 0}
            onClick={() => save.mutate(text)}
          >
            Save
          </Button>
        </div>
      </div>
      <Scroller label="Rule">
        {detail?.rule.failure && (
          <div
            role="alert"
            className="mt-2 flex items-center justify-between gap-3 border-l-2 border-vermilion bg-vermilion-wash px-3 py-1.5 text-ui"
          >
            <p>
              {detail.rule.failure.stopped
                ? "This rule failed and does not run: "
                : "Findings of this rule could not be stored and are left out: "}
              {safeText(detail.rule.failure.reason)} (since {dayClock(usOf(detail.rule.failure.since), zone)},{" "}
              {detail.rule.failure.times === 1 ? "once" : `${detail.rule.failure.times} times`}). A new version runs
              again, too.
            </p>
            <Button className="shrink-0" onClick={() => again.mutate()}>
              Try again
            </Button>
          </div>
        )}
        {parsed.errors.length === 0 && (
          <>
            <RuleHead document={parsed} isNew={detail === null} taken={taken} onChange={setText} />
            <RuleSentence document={parsed} onChange={setText} />
          </>
        )}
        {failing.length > 0 && (
          <div role="alert" className="mt-1 border-l-2 border-ochre bg-ochre-wash px-3 py-1.5 text-ui">
            {failing.map((t) => (
              <p key={t.name}>
                The test “{safeText(t.name)}” expects {counted(t.raises, "finding")} and has {t.raised}.
              </p>
            ))}
            <Button
              className="mt-1"
              disabled={save.isPending}
              onClick={() =>
                save.mutate(
                  withoutTests(
                    text,
                    failing.map((t) => t.name),
                  ),
                )
              }
            >
              Save all the same, without {failing.length === 1 ? "it" : "them"}
            </Button>
          </div>
        )}
        {check?.issues.map((i) => (
          <p key={i.path + i.message} role="alert" className="text-ui text-vermilion">
            {i.path && <code className="font-mono">{i.path}: </code>}
            {safeText(i.message)}
          </p>
        ))}
        {check?.blind.map((b) => (
          <div key={b.condition} className="text-ui text-ochre">
            Nothing stored in the last 7 days matches <code className="font-mono">{safeText(b.condition)}</code>
            {b.needs.length === 0 && ": no sender may be sending it yet."}
            <ul className="ml-4 list-disc">
              {b.needs.map((need) => (
                <li key={need}>{safeText(need)}.</li>
              ))}
            </ul>
          </div>
        ))}
        <p className="mt-2 text-ui text-quiet" aria-hidden="true">
          The rule as a file
        </p>
        <RuleFile text={text} issues={check?.issues ?? NO_ISSUES} help={help} onChange={setText} />
        <Rehearse text={text} versions={detail?.versions ?? []} />
      </Scroller>
    </Page>
  );
}

const counted = (n: number, what: string): string => `${n.toLocaleString("en")} ${what}${n === 1 ? "" : "s"}`;

function RuleMargin({
  detail,
  check,
  onVersion,
}: {
  detail: RuleDetail | null;
  check: RuleCheck | null;
  onVersion: (text: string) => void;
}) {
  const zone = useViewStore((s) => s.zone);
  const tests = check && check.issues.length === 0 ? check.tests : (detail?.tests ?? []);
  return (
    <>
      {detail && (
        <Facts
          facts={[
            ["id", detail.rule.id],
            ["kind", kindName(detail.rule.kind)],
            ["version", detail.rule.version],
            ["raised", counted(detail.rule.raised, "finding")],
            ["open", counted(detail.rule.open, "incident")],
            ["owner", detail.rule.owner],
            ["tags", detail.rule.tags.join(", ")],
            [
              "learning",
              detail.learning > 0
                ? `${detail.learning.toLocaleString("en")} of ${detail.keys.toLocaleString("en")} keys are still learning what is usual, and raise nothing`
                : null,
            ],
            ["dropped", detail.forgot > 0 ? `${detail.forgot.toLocaleString("en")} keys` : null],
          ]}
        />
      )}
      {detail?.reason && (
        <>
          <Heading>Why it exists</Heading>
          <p className="text-ui">{safeText(detail.reason)}</p>
          {detail.references.map((r) => (
            <p key={r} className="text-code text-quiet">
              {safeText(r)}
            </p>
          ))}
        </>
      )}
      <Heading small={tests.length === 0 ? "none" : undefined}>Tests</Heading>
      <ul className="text-ui">
        {tests.map((t) => (
          <li key={t.name} className="flex justify-between gap-2 border-t border-line py-0.5">
            <span>{safeText(t.name)}</span>
            <span className={`whitespace-nowrap ${t.passes ? "text-quiet" : "font-semibold text-vermilion"}`}>
              {t.passes ? "passes" : `raised ${t.raised}, expected ${t.raises}`}
            </span>
          </li>
        ))}
      </ul>
      {detail && (
        <>
          <Heading small={detail.near.length === 0 ? "none at the moment" : undefined}>Near misses</Heading>
          <ul className="text-ui">
            {detail.near.map((m) => (
              <li key={m.key} className="border-t border-line py-0.5">
                <span className="font-mono text-code">{safeText(m.key)}</span>{" "}
                <b className="font-semibold">
                  {m.have} of {m.need}
                </b>{" "}
                <span className="text-quiet">
                  {m.lacking && `missing: ${safeText(m.lacking)}, `}
                  last {dayClock(usOf(m.last), zone)}
                </span>
              </li>
            ))}
          </ul>
          <Heading>Versions</Heading>
          <VersionList versions={detail.versions} onVersion={onVersion} />
        </>
      )}
    </>
  );
}
