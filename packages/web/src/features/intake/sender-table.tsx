import type { SenderJson } from "@halvik/contract/senders";
import { formatDuration } from "@halvik/core/base/time";
import type { ReactNode } from "react";
import { usOf } from "../../data/view-store";
import { Ago } from "../../shared/ago";
import { Tag } from "../../shared/incident-strip";
import { EmptyState } from "../../ui/empty-state";
import { safeText } from "../../ui/safe-text";
import { type ColumnDef, Table } from "../../ui/table";
import { CLOCK_OK_MS, clockWords } from "./clock-words";

/** Every admitted sender in a line: where it is, what it sent, when it was last heard, its clock. */
export function SenderTable({
  senders,
  selectedId,
  onSelect,
}: {
  senders: readonly SenderJson[];
  selectedId: number | null;
  onSelect: (s: SenderJson) => void;
}) {
  if (senders.length === 0)
    return (
      <EmptyState
        title="No senders yet"
        text="A device that sends to one of the endpoints above shows up as waiting; admit it, or bring a list with bin/halvik senders import."
      />
    );
  return (
    <Table
      label="Senders"
      rows={senders}
      columns={COLUMNS}
      rowId={(s) => String(s.id)}
      pinned={["name"]}
      chosen={selectedId === null ? null : String(selectedId)}
      onOpen={onSelect}
    />
  );
}

const RIGHT = { align: "right" };
const sumOf =
  (of: (s: SenderJson) => number) =>
  (senders: readonly SenderJson[]): string =>
    senders.reduce((sum, s) => sum + of(s), 0).toLocaleString("en");
const COLUMNS: ColumnDef<SenderJson>[] = [
  {
    id: "name",
    header: "name",
    accessorFn: (s) => s.name,
    size: 190,
    cell: ({ row: { original: s } }) => (
      <>
        <span className="font-mono text-code">{safeText(s.name)}</span> {s.relay && <Tag>relay</Tag>}
        {s.via !== null && <Tag>via {safeText(s.via)}</Tag>}
        {s.state === "refused" && <Tag attention>refused</Tag>}
      </>
    ),
  },
  {
    id: "address",
    header: "address",
    accessorFn: (s) => s.addresses[0] ?? "",
    size: 130,
    cell: (c) => <span className="font-mono text-code text-quiet">{c.getValue<string>()}</span>,
  },
  {
    id: "site",
    header: "site",
    accessorFn: (s) => s.site ?? "",
    size: 110,
    cell: (c) => <span className="text-quiet">{c.getValue<string>()}</span>,
  },
  {
    id: "groups",
    header: "groups",
    accessorFn: (s) => s.groups.join(", "),
    size: 150,
    cell: (c) => <span className="text-quiet">{c.getValue<string>()}</span>,
  },
  {
    id: "records",
    header: "records",
    accessorFn: (s) => s.records,
    size: 90,
    meta: { ...RIGHT, foot: sumOf((s) => s.records) },
    cell: (c) => c.getValue<number>().toLocaleString("en"),
  },
  {
    id: "problems",
    header: "problems",
    accessorFn: (s) => s.problems,
    size: 90,
    meta: { ...RIGHT, foot: sumOf((s) => s.problems) },
    cell: (c) => <Quiet attention={c.getValue<number>() > 0}>{c.getValue<number>().toLocaleString("en")}</Quiet>,
  },
  {
    id: "clock",
    header: "clock",
    accessorFn: (s) => s.clockOffsetMs,
    size: 110,
    meta: RIGHT,
    cell: (c) => (
      <Quiet attention={Math.abs(c.getValue<number>()) > CLOCK_OK_MS}>{clockWords(c.getValue<number>())}</Quiet>
    ),
  },
  {
    id: "usually every",
    header: "usually every",
    accessorFn: (s) => s.expectedEverySeconds ?? s.usualGapSeconds ?? undefined,
    sortUndefined: "last",
    size: 120,
    meta: RIGHT,
    cell: ({ row: { original: s } }) => (
      <Quiet>
        {s.expectedEverySeconds !== null
          ? `${formatDuration(s.expectedEverySeconds * 1e6)} (set)`
          : s.usualGapSeconds === null
            ? "learning"
            : formatDuration(s.usualGapSeconds * 1e6)}
      </Quiet>
    ),
  },
  {
    id: "last heard",
    header: "last heard",
    accessorFn: (s) => (s.lastHeard === null ? undefined : usOf(s.lastHeard)),
    sortUndefined: "last",
    size: 130,
    meta: RIGHT,
    cell: ({ row: { original: s } }) => (
      <Quiet attention={s.silentSince !== null}>
        {s.lastHeard === null ? "never" : <Ago us={usOf(s.lastHeard)} />}
        {s.lastHeard !== null && s.silentSince !== null && ", silent"}
      </Quiet>
    ),
  },
];

const Quiet = ({ attention = false, children }: { attention?: boolean; children: ReactNode }) => (
  <span className={attention ? "font-semibold text-ochre" : "text-quiet"}>{children}</span>
);
