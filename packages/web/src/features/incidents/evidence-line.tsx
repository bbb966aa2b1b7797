import type { RecordJson } from "@halvik/contract/records";
import { Link } from "react-router";
import { isoOf, useViewStore, usOf } from "../../data/view-store";
import { NamedText } from "../../shared/address-names";
import { lineText } from "../../shared/record-text";
import { SeverityMark } from "../../ui/marks";
import { safeText } from "../../ui/safe-text";
import { clockMs, day } from "../../ui/time";

const AROUND_US = 120_000_000;

/** A record that is evidence, on one line; it leads to what happened around it. @param says what it is, before its time */
export function EvidenceLine({ record: r, says }: { record: RecordJson; says?: string }) {
  const zone = useViewStore((s) => s.zone);
  const us = usOf(r.time);
  return (
    <Link
      to={`/records?${new URLSearchParams({ record: r.id, from: isoOf(us - AROUND_US), to: isoOf(us + AROUND_US) })}`}
      reloadDocument
      className="grid grid-cols-[9.375rem_8px_6.875rem_1fr] items-center gap-2 whitespace-nowrap font-mono text-code text-ink no-underline hover:bg-wash max-slim:grid-cols-[9.375rem_8px_1fr] max-slim:whitespace-normal"
    >
      {says && <span className="col-span-full font-sans text-ui text-quiet">{says}</span>}
      <span className="text-quiet">
        {day(us, zone)} {clockMs(us, zone)}
      </span>
      <SeverityMark severity={r.severity} />
      <span className="truncate">{safeText(r.sender.name)}</span>
      <span className="truncate max-slim:col-span-3 max-slim:whitespace-normal">
        <NamedText>{lineText(r)}</NamedText>
      </span>
    </Link>
  );
}
