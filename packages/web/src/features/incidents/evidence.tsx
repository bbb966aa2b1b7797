import type { IncidentDetail } from "@halvik/contract/incidents";
import { useInfiniteQuery } from "@tanstack/react-query";
import { useState } from "react";
import { evidenceQuery } from "../../data/api";
import { Button } from "../../ui/button";
import { useCutTip } from "../../ui/cut-tip";
import { EmptyState } from "../../ui/empty-state";
import { Heading } from "../../ui/page";
import { Select } from "../../ui/select";
import { EvidenceLine } from "./evidence-line";
import { evidenceOf } from "./lane-choice";
import { ALL, partsOf } from "./parts";

/** The records themselves, the newest first: of all rules, of one, or of one step of it. */
export function Evidence({ detail }: { detail: IncidentDetail }) {
  const { incident, findings } = detail;
  const [chosen, choose] = useState(ALL);
  const parts = partsOf(detail);
  const part = parts.find((p) => p.id === chosen) ?? parts[0]!;
  const pages = useInfiniteQuery(evidenceQuery(incident.id, part));
  const kept = findings.reduce((sum, f) => sum + f.kept, 0);
  const cut = useCutTip();
  // of what was raised before evidence was kept, the first and the latest are listed
  const records =
    kept === 0
      ? evidenceOf(detail).reverse()
      : (pages.data?.pages.flatMap((p) => p.evidence.map((e) => e.record)) ?? []);
  const gone = pages.data?.pages.reduce((sum, p) => sum + p.gone, 0) ?? 0;
  const notKept = findings.reduce((sum, f) => sum + Math.max(0, f.count - (f.kept || f.evidence.length)), 0);
  return (
    <section aria-label="Evidence" className="flex h-[230px] shrink-0 flex-col border-t border-line-strong">
      <div className="flex items-baseline justify-between gap-4">
        <Heading
          small={[
            `${records.length.toLocaleString("en")}${pages.hasNextPage && kept > 0 ? " and more" : ""} listed, the newest first`,
            notKept > 0 ? `${notKept.toLocaleString("en")} more were counted and not kept` : "",
            gone > 0 ? `${gone.toLocaleString("en")} no longer stored` : "",
          ]
            .filter(Boolean)
            .join(" · ")}
        >
          Evidence
        </Heading>
        {kept > 0 && parts.length > 1 && (
          <Select
            label="Evidence of"
            value={part.id}
            onChange={choose}
            options={parts.map((p) => ({ value: p.id, label: p.label }))}
          />
        )}
      </div>
      {records.length === 0 && !pages.isPending ? (
        <EmptyState title="There is no record of this here" text="The counts and times above remain." />
      ) : (
        <div
          className="min-h-0 flex-1 overflow-y-auto leading-[1.3125rem]"
          onPointerOver={cut.onPointerOver}
          onPointerLeave={cut.onPointerLeave}
        >
          {cut.tip}
          {records.map((r) => (
            <EvidenceLine key={r.id} record={r} />
          ))}
          {kept > 0 && pages.hasNextPage && (
            <Button onClick={() => void pages.fetchNextPage()} disabled={pages.isFetchingNextPage}>
              200 more
            </Button>
          )}
        </div>
      )}
    </section>
  );
}
