import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { rulesQuery } from "../../data/api";
import { Tag } from "../../shared/incident-strip";
import { EmptyState, Trouble } from "../../ui/empty-state";
import { Input } from "../../ui/field";
import { SeverityMark } from "../../ui/marks";
import { Page, Scroller } from "../../ui/page";
import { safeText } from "../../ui/safe-text";

/** What raises findings: each rule as a sentence, with how often it has. */
export function RulesPage() {
  const rules = useQuery(rulesQuery);
  const [words, setWords] = useState("");
  const wanted = words.toLowerCase().split(/\s+/).filter(Boolean);
  const shown = rules.data?.rules.filter((r) => {
    const text = `${r.id} ${r.name} ${r.kind} ${r.tags.join(" ")} ${r.sentence}`.toLowerCase();
    return wanted.every((w) => text.includes(w));
  });
  return (
    <Page title="Rules">
      <div className="flex items-end justify-between gap-4 border-b border-line-strong pb-1.5">
        <div>
          <h1 className="text-page leading-[26px] font-semibold">Rules</h1>
          <p className="text-quiet">
            What raises findings{shown && `: ${shown.length === 1 ? "one rule" : `${shown.length} rules`}`}.{" "}
            <Link to="/rules/new">New rule</Link>
          </p>
        </div>
        <div className="w-72">
          <Input
            aria-label="Rules with these words"
            placeholder="with these words, such as logon"
            value={words}
            onChange={(e) => setWords(e.target.value)}
          />
        </div>
      </div>
      <Scroller label="Rules">
        {rules.error && <Trouble error={rules.error} what="The rules cannot be shown" />}
        {shown?.map((r) => (
          <Link
            key={r.id}
            to={`/rules/${r.id}`}
            className="grid grid-cols-[10px_1fr_84px_90px_70px] gap-3 border-b border-line px-1.5 py-1.5 text-ink no-underline hover:bg-wash"
          >
            <SeverityMark severity={r.severity} height={34} />
            <div className="min-w-0">
              <h2 className="font-semibold">
                {safeText(r.name)} {!r.enabled && <Tag>off</Tag>} {r.listenOnly && <Tag>observing</Tag>}{" "}
                {r.failure && <Tag>{r.failure.stopped ? "failing: stopped" : "failing"}</Tag>}
              </h2>
              <p className="truncate text-ui text-quiet">{safeText(r.sentence)}</p>
            </div>
            <span className="text-quiet">{r.kind}</span>
            <span className="text-right text-quiet">{r.raised.toLocaleString("en")} raised</span>
            <span className="text-right text-quiet">{r.open} open</span>
          </Link>
        ))}
        {rules.data?.rules.length === 0 && (
          <EmptyState
            title="There are no rules"
            text="Without rules, records are kept and searched, and nothing raises an incident. Rules come with an empty database."
          />
        )}
      </Scroller>
    </Page>
  );
}
