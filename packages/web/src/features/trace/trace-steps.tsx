import type { Trace, TraceStep } from "@halvik/contract/trace";
import { useState } from "react";
import { Link } from "react-router";
import { isoOf, useViewStore, usOf } from "../../data/view-store";
import { TextButton } from "../../ui/button";
import { Heading } from "../../ui/page";
import { safeText } from "../../ui/safe-text";
import { clockMs } from "../../ui/time";
import { Tooltip } from "../../ui/tooltip";

const STATES: Readonly<
  Record<TraceStep["state"], { readonly sign: string; readonly says: string; readonly look: string }>
> = {
  done: { sign: "✓", says: "done", look: "text-fjord" },
  would: { sign: "→", says: "would be", look: "text-fjord" },
  waits: { sign: "…", says: "waits", look: "text-ochre" },
  ends: { sign: "■", says: "ends here", look: "text-ink" },
};
const VERDICTS = { met: "looks for it", clears: "ends with it", near: "nearly", not: "not" } as const;

const AROUND_US = 5 * 60e6;

/** The record among those of the minutes around it. */
function around({ id, time }: { id: string; time: string }): string {
  const us = usOf(time);
  return `/records?${new URLSearchParams({ record: id, from: isoOf(us - AROUND_US), to: isoOf(us + AROUND_US) })}`;
}

/** A duration as short as it is: microseconds matter here. */
function took(ms: number): string {
  if (ms < 1) return `${Math.round(ms * 1_000)} µs`;
  return ms < 1_000 ? `${ms.toFixed(1)} ms` : `${(ms / 1_000).toFixed(1)} s`;
}

/** The steps of a message with what each came to, and what it is to the rules. */
export function TraceSteps({ trace, isStored }: { trace: Trace; isStored: boolean }) {
  const zone = useViewStore((s) => s.zone);
  const [all, setAll] = useState(false);
  const shown = all ? trace.rules : trace.rules.filter((r) => r.verdict !== "not");
  return (
    <>
      <ol aria-label="Steps" className="text-ui">
        {trace.steps.map((s, i) => (
          <li
            key={`${s.step} ${i}`}
            className="grid grid-cols-[1.25rem_6rem_1fr_auto] gap-2 border-t border-line py-1 first:border-t-0"
          >
            <Tooltip text={STATES[s.state].says}>
              <span className={STATES[s.state].look} role="img" aria-label={STATES[s.state].says}>
                {STATES[s.state].sign}
              </span>
            </Tooltip>
            <span className="text-quiet">{s.step}</span>
            <span className="min-w-0 break-words">{safeText(s.says)}</span>
            <span className="text-right text-quiet tabular-nums">
              {s.at !== null && clockMs(usOf(s.at), zone)}
              {s.tookMs !== null && (
                <span className="block text-small">
                  {isStored && s.at !== null ? "+" : ""}
                  {took(s.tookMs)}
                </span>
              )}
            </span>
          </li>
        ))}
      </ol>
      {trace.record !== null && (
        <p className="mt-2 text-ui">
          <span className="text-quiet">{isStored ? "stored as" : "it would be"} </span>
          {isStored ? (
            <Link to={around(trace.record)}>{safeText(trace.record.sentence)}</Link>
          ) : (
            safeText(trace.record.sentence)
          )}
        </p>
      )}
      {trace.record !== null && (trace.record.data ?? []).length > 0 && (
        <p className="text-small">
          {(trace.record.data ?? []).map(([name, value], i) => (
            <span key={`${name} ${i}`} className="mr-3">
              <span className="text-quiet">{safeText(name)}</span> <span className="font-mono">{safeText(value)}</span>
            </span>
          ))}
        </p>
      )}
      {trace.incidents.length > 0 && (
        <>
          <Heading>Incidents</Heading>
          {trace.incidents.map((i) => (
            <p key={i.id} className="text-ui">
              <Link to={`/incidents/${i.id}`}>{safeText(i.title)}</Link>
            </p>
          ))}
        </>
      )}
      {trace.rules.length > 0 && (
        <>
          <Heading small={`${trace.rules.length} run`}>Rules</Heading>
          {shown.map((r) => (
            <p key={r.rule} className="grid grid-cols-[6rem_1fr] gap-2 border-t border-line py-0.5 text-ui">
              <span className={r.verdict === "met" ? "text-fjord" : "text-quiet"}>{VERDICTS[r.verdict]}</span>
              <span>
                <Link to={`/rules/${r.rule}`}>{safeText(r.name)}</Link>
                {r.raises && <b className="ml-2 font-semibold">{isStored ? "raised" : "raises by it alone"}</b>}
                {r.missing !== "" && <span className="block text-quiet">missing: {safeText(r.missing)}</span>}
              </span>
            </p>
          ))}
          {shown.length === 0 && <p className="text-ui text-quiet">None looks for it, and none nearly does.</p>}
          <TextButton onClick={() => setAll(!all)}>
            {all ? "only those it concerns" : `and the ${trace.rules.length - shown.length} it does not concern`}
          </TextButton>
        </>
      )}
    </>
  );
}
