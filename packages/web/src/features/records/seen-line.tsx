import type { Sighted } from "@halvik/core/model/record";
import { useQuery } from "@tanstack/react-query";
import { recordsPage, seenQuery } from "../../data/api";
import { sightingQuery } from "../../data/reading-queries";
import { isoOf, usOf } from "../../data/view-store";
import { TextButton } from "../../ui/button";
import { safeText } from "../../ui/safe-text";
import { dayClock } from "../../ui/time";
import { sightedIn } from "./sighted";

interface SeenLineProps {
  /** A filter: what is asked for. */
  readonly what: string;
  readonly zone: string;
  /** @param id null: its record may not be kept any more */
  readonly onGo: (us: number, id: string | null) => void;
  readonly onClose: () => void;
}

/** When something was first and last seen, whatever the window: of values that are kept track of ever, of anything else in what is kept. */
export function SeenLine(props: SeenLineProps) {
  const sighted = sightedIn(props.what);
  return (
    <div role="status" className="flex gap-3 overflow-hidden pt-1 text-code whitespace-nowrap text-quiet">
      <span className="truncate font-mono">{safeText(props.what)}</span>
      {sighted === null ? <InRecords {...props} /> : <Ever {...sighted} {...props} />}
      <TextButton onClick={props.onClose}>close</TextButton>
    </div>
  );
}

function Ever({ of, value, what, zone, onGo }: SeenLineProps & { readonly of: Sighted; readonly value: string }) {
  const { data, error } = useQuery(sightingQuery(of, value));
  if (error) return <span className="text-vermilion">{safeText(error.message)}</span>;
  if (!data) return <span>looking it up …</span>;
  /** To the record of that moment, where it is still kept. */
  const go = async (time: string) => {
    const us = usOf(time);
    const page = await recordsPage({ from: time, to: isoOf(us + 1_000) }, what, zone, undefined, 1).catch(() => null);
    onGo(us, page?.records[0]?.id ?? null);
  };
  const end = (name: string, time: string) => (
    <TextButton className="underline decoration-dotted underline-offset-[3px]" onClick={() => void go(time)}>
      {name} {dayClock(usOf(time), zone)}
    </TextButton>
  );
  return (
    <>
      {data.first === undefined || data.last === undefined ? (
        <span>never seen</span>
      ) : (
        <>
          {end("first ever", data.first)}
          {end("last", data.last)}
          <span>{data.records.toLocaleString("en")} records</span>
        </>
      )}
      {data.since !== undefined && <span>of what was stored from {dayClock(usOf(data.since), zone)} on</span>}
      {data.evicted > 0 && data.evictedBefore !== undefined && (
        <span className="text-ochre">
          {data.evicted.toLocaleString("en")} values last seen before {dayClock(usOf(data.evictedBefore), zone)} were
          let go of
        </span>
      )}
    </>
  );
}

function InRecords({ what, zone, onGo }: SeenLineProps) {
  const seen = useQuery(seenQuery(what, zone));
  const end = (name: string, record: { id: string; time: string } | null, partial: boolean) =>
    record === null ? (
      <span>{partial ? `${name}: not found within the time a search has` : `never ${name}`}</span>
    ) : (
      <TextButton
        className="underline decoration-dotted underline-offset-[3px]"
        onClick={() => onGo(usOf(record.time), record.id)}
      >
        {name} {dayClock(usOf(record.time), zone)}
      </TextButton>
    );
  return (
    <>
      {seen.isPending && <span>searching everything stored …</span>}
      {seen.error && <span className="text-vermilion">{safeText(seen.error.message)}</span>}
      {seen.data && (
        <>
          {end("first seen", seen.data.first, seen.data.firstPartial)}
          {end("last seen", seen.data.last, seen.data.lastPartial)}
        </>
      )}
    </>
  );
}
