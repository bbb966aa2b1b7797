import { useQuery } from "@tanstack/react-query";
import { rulesQuery } from "../../app/api";
import { EmptyState, Trouble } from "../../ui/empty-state";
import { Tag } from "../../ui/incident-strip";
import { SeverityMark } from "../../ui/marks";
import { Page, Scroller } from "../../ui/page";
import { safeText } from "../../ui/safe-text";

/** What raises findings: each rule as a sentence, with how often it has. */
export function RulesPage() {
  const rules = useQuery(rulesQuery);
  return (
    <Page>
      <h1 className="text-[20px] leading-[26px] font-semibold">Rules</h1>
      <p className="border-b border-line-strong pb-1.5 text-quiet">
        What raises findings. Changed with <code className="font-mono text-[12.5px]">bin/halvik rules export</code> and{" "}
        <code className="font-mono text-[12.5px]">import</code>.
      </p>
      <Scroller label="Rules">
        {rules.error && <Trouble error={rules.error} what="The rules cannot be shown" />}
        {rules.data?.rules.map((r) => (
          <article key={r.id} className="grid grid-cols-[10px_1fr_110px_110px] gap-3 border-b border-line px-1.5 py-2">
            <SeverityMark severity={r.severity} height={34} />
            <div className="min-w-0">
              <h2 className="font-semibold">
                {safeText(r.name)} {!r.enabled && <Tag>off</Tag>}
              </h2>
              <p className="text-[13px] text-quiet">{safeText(r.sentence)}</p>
            </div>
            <span className="text-right text-quiet">{r.raised.toLocaleString("en")} raised</span>
            <span className="text-right text-quiet">{r.open} open</span>
          </article>
        ))}
        {rules.data?.rules.length === 0 && (
          <EmptyState
            title="There are no rules"
            text="Without rules, records are kept and searched, and nothing raises an incident. Starter rules come with an empty database."
          />
        )}
      </Scroller>
    </Page>
  );
}
