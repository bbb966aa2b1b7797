import type { AroundAnswer, AroundBy } from "@halvik/contract/around";
import type { RecordJson } from "@halvik/contract/records";
import { formatDuration } from "@halvik/core/base/time";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { aroundQuery } from "../../data/reading-queries";
import { useViewStore } from "../../data/view-store";
import { TextButton } from "../../ui/button";
import { Checkbox } from "../../ui/checkbox";
import { Trouble } from "../../ui/empty-state";
import { SeverityMark } from "../../ui/marks";
import { Heading } from "../../ui/page";
import { safeText } from "../../ui/safe-text";
import { Select } from "../../ui/select";

const LABELS: Readonly<Record<AroundBy, string>> = {
  time: "whatever happened",
  sender: "of the same sender",
  host: "naming the same host",
  user: "of the same user",
  address: "with one of its addresses",
  interface: "at the same interface",
  session: "of the same session",
  bindings: "of whoever it is bound to",
};
const COUNTS = [10, 40, 100, 300];

/** What else happened around a record: the nearest first, so many of them, by what they have in common. */
export function Around({
  record,
  filter,
  onShow,
  onLines,
}: {
  readonly record: RecordJson;
  readonly filter: string;
  readonly onShow: (id: string) => void;
  /** All of them as lines around the record. */
  readonly onLines: (part: string) => void;
}) {
  const zone = useViewStore((s) => s.zone);
  const [by, setBy] = useState<AroundBy>("time");
  const [count, setCount] = useState(10);
  const [keeps, setKeeps] = useState(false);
  const [isCorrected, setCorrected] = useState(false);
  const { data, error } = useQuery(aroundQuery(record.id, by, count, keeps ? filter : "", zone, isCorrected));
  return (
    <section aria-label="Around it">
      <Heading>Around it</Heading>
      <div className="flex flex-wrap items-center gap-1.5 text-ui">
        <Select
          label="Around it by"
          value={by}
          onChange={(v) => setBy(v as AroundBy)}
          options={(data?.by ?? [by]).map((value) => ({ value, label: LABELS[value] }))}
          className="!py-0"
        />
        <Select
          label="How many"
          value={String(count)}
          onChange={(v) => setCount(Number(v))}
          options={COUNTS.map((n) => ({ value: String(n), label: `the nearest ${n}` }))}
          className="!py-0"
        />
        {filter !== "" && (
          <Checkbox checked={keeps} onChange={setKeeps}>
            within the filter
          </Checkbox>
        )}
        <Checkbox checked={isCorrected} onChange={setCorrected}>
          clocks put right
        </Checkbox>
      </div>
      {error ? (
        <Trouble error={error} what="What is around it cannot be shown" />
      ) : (
        data && <Nearest data={data} isCorrected={isCorrected} onShow={onShow} />
      )}
      {data && data.records.length > 0 && (
        <p className="mt-1 text-ui">
          <TextButton className="underline" onClick={() => onLines(data.part)}>
            as lines
          </TextButton>
        </p>
      )}
    </section>
  );
}

function Nearest({
  data,
  isCorrected,
  onShow,
}: {
  readonly data: AroundAnswer;
  readonly isCorrected: boolean;
  readonly onShow: (id: string) => void;
}) {
  if (data.records.length === 0)
    return (
      <p className="mt-1 text-ui text-quiet">
        {data.partial ? "None found in the time for looking." : "Nothing else."}
      </p>
    );
  return (
    <>
      <ol className="mt-1">
        {data.records.map(({ record: r, afterMs, correctedAfterMs, isUncertain }) => (
          <li key={r.id}>
            <button
              type="button"
              onClick={() => onShow(r.id)}
              className="grid w-full grid-cols-[5.25rem_8px_minmax(0,1fr)] items-center gap-2 text-left text-code leading-[1.25rem] hover:bg-wash"
            >
              <span className="text-right text-quiet tabular-nums">
                {isCorrected && isUncertain !== false && (isUncertain === null ? "? " : "≈ ")}
                {distanceText(isCorrected ? correctedAfterMs : afterMs)}
              </span>
              <SeverityMark severity={r.severity} />
              <span className="truncate">
                <span className="text-quiet">{safeText(r.sender.name)} </span>
                {safeText(r.sentence)}
              </span>
            </button>
          </li>
        ))}
      </ol>
      {isCorrected && (
        <p className="text-small text-quiet">
          ≈ which came first is within what the two clocks may be wrong; ? nothing is known of a clock.
        </p>
      )}
      {data.partial && <p className="text-small text-ochre">The time for looking ended: some may be nearer.</p>}
    </>
  );
}

/** How long before or after. */
function distanceText(afterMs: number): string {
  if (afterMs === 0) return "same time";
  const sign = afterMs < 0 ? "−" : "+";
  const ms = Math.abs(afterMs);
  return ms < 1_000
    ? `${sign}${ms < 1 ? "<1" : Math.round(ms)} ms`
    : `${sign}${formatDuration(Math.round(ms / 1_000) * 1e6)}`;
}
