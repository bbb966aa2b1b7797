import type { RehearsedFinding, RuleDetail } from "@halvik/contract/rules";
import { useEffect, useState } from "react";
import { Bar, BarChart, ResponsiveContainer, XAxis, YAxis } from "recharts";
import { useWindow } from "../../data/use-window";
import { useViewStore, usOf } from "../../data/view-store";
import { Button } from "../../ui/button";
import { Heading } from "../../ui/page";
import { safeText } from "../../ui/safe-text";
import { Select } from "../../ui/select";
import { day, dayClock } from "../../ui/time";
import { useRehearsal } from "./use-rehearsal";

const NO_POINTS: readonly number[] = [];
const DAY_US = 86_400_000_000;

/** What a rule would have found in the window on the rail, before it is switched on; two versions side by side. */
export function Rehearse({ text, versions }: { text: string; versions: RuleDetail["versions"] }) {
  const window = useWindow();
  const zone = useViewStore((s) => s.zone);
  const { step, running, trouble, start, stop } = useRehearsal();
  const [against, setAgainst] = useState("");
  const setPoints = useViewStore((s) => s.setPoints);
  // where it would have raised, on the rail as long as this page is open
  const listed = step?.listed;
  useEffect(() => {
    setPoints(listed?.map((f) => usOf(f.raised)) ?? NO_POINTS);
    return () => setPoints(NO_POINTS);
  }, [listed, setPoints]);
  const other = versions.find((v) => String(v.version) === against)?.text;
  const appeared = step?.against ? onlyIn(step.listed, step.against.listed) : [];
  const gone = step?.against ? onlyIn(step.against.listed, step.listed) : [];
  return (
    <section aria-label="Rehearsal">
      <Heading
        small={`${dayClock(usOf(window.from), zone)} – ${dayClock(usOf(window.to), zone)}: the window on the rail`}
      >
        Rehearsal
      </Heading>
      <div className="flex flex-wrap items-center gap-2 text-ui">
        {running ? (
          <Button onClick={stop}>Stop</Button>
        ) : (
          <Button main onClick={() => start(text, other, window)}>
            Rehearse
          </Button>
        )}
        <span className="flex items-center gap-1.5 text-quiet">
          against
          <Select
            label="Against"
            value={against}
            onChange={setAgainst}
            options={[
              { value: "", label: "nothing" },
              ...versions.map((v) => ({ value: String(v.version), label: `version ${v.version} by ${v.author}` })),
            ]}
          />
        </span>
        {step && (
          <span data-testid="rehearsal" className="text-quiet">
            {step.done ? "the whole window" : `${Math.round(Math.max(0, step.share) * 100)} % of the window`},{" "}
            {step.records.toLocaleString("en")} records that matter:{" "}
            <b className="font-semibold text-ink">{found(step)}</b>
            {step.against && ` (the other version: ${found(step.against)})`}; {step.costUs.toFixed(1)} µs a record
            {step.forgot > 0 && `; ${step.forgot.toLocaleString("en")} keys forgotten: live results may differ`}
            {step.amendedBy.length > 0 &&
              `; records that ${step.amendedBy.map((f) => `“${safeText(f)}”`).join(", ")} read anew are taken as they read today`}
          </span>
        )}
      </div>
      {trouble && (
        <p role="alert" className="text-vermilion">
          {safeText(trouble)}
        </p>
      )}
      {step?.done && step.listed.length > 0 && (
        <>
          <div className="mt-2 h-24" aria-hidden>
            <ResponsiveContainer>
              <BarChart data={perDay(step.listed, window.from, window.to, zone)} margin={{ left: -24, right: 8 }}>
                <XAxis dataKey="day" tick={{ fontSize: 11 }} stroke="var(--quiet)" />
                <YAxis allowDecimals={false} tick={{ fontSize: 11 }} stroke="var(--quiet)" />
                <Bar dataKey="findings" fill="var(--fjord)" isAnimationActive={false} />
              </BarChart>
            </ResponsiveContainer>
          </div>
          {step.against ? (
            <div className="grid grid-cols-2 max-slim:grid-cols-1 gap-4">
              <Findings title={`${appeared.length} that only this version finds`} findings={appeared} zone={zone} />
              <Findings title={`${gone.length} that only version ${against} finds`} findings={gone} zone={zone} />
            </div>
          ) : (
            <Findings title="The newest of them" findings={[...step.listed].reverse()} zone={zone} />
          )}
        </>
      )}
      {step?.done && step.listed.length === 0 && <p className="mt-1">It would have found nothing in this window.</p>}
    </section>
  );
}

function Findings({ title, findings, zone }: { title: string; findings: readonly RehearsedFinding[]; zone: string }) {
  return (
    <div>
      <Heading>{title}</Heading>
      <ol className="text-ui">
        {findings.slice(0, 40).map((f) => (
          <li key={`${f.key} ${f.first}`} className="border-t border-line py-0.5">
            <span className="font-mono text-small text-quiet">{dayClock(usOf(f.raised), zone)}</span>{" "}
            {safeText(f.title)}{" "}
            <span className="text-quiet">
              {f.cleared === null ? "still open at the end" : `until ${dayClock(usOf(f.cleared), zone)}`}
            </span>
            {f.examples[0] && <p className="truncate font-mono text-small text-quiet">{safeText(f.examples[0])}</p>}
          </li>
        ))}
      </ol>
    </div>
  );
}

const found = ({ findings, incidents }: { findings: number; incidents: number }): string =>
  `${findings === 1 ? "1 finding" : `${findings.toLocaleString("en")} findings`}, ${incidents === 1 ? "1 incident" : `${incidents.toLocaleString("en")} incidents`}`;

/** Findings of one version that no finding of the other overlaps. */
const onlyIn = (some: readonly RehearsedFinding[], others: readonly RehearsedFinding[]): RehearsedFinding[] =>
  some.filter((f) => !others.some((o) => o.key === f.key && o.first <= f.last && f.first <= o.last));

function perDay(listed: readonly RehearsedFinding[], from: string, to: string, zone: string) {
  const days = new Map<string, number>();
  for (let us = usOf(from); us < usOf(to) + DAY_US; us += DAY_US) {
    if (us < usOf(to)) days.set(day(us, zone), 0);
  }
  for (const f of listed) days.set(day(usOf(f.raised), zone), (days.get(day(usOf(f.raised), zone)) ?? 0) + 1);
  return [...days].map(([name, findings]) => ({ day: name, findings }));
}
