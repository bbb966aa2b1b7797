import type { RecordJson } from "@halvik/core/contract";
import type { Filter } from "@halvik/core/filter";
import { bytesText, endText } from "@halvik/core/sentence";
import type { ReactNode } from "react";
import { safeText } from "../../ui/safe-text";
import { type PivotActions, pivotOf, Value } from "./values";

/** A column of a kind's own, shown when the list holds only that kind. */
export interface KindColumn {
  readonly title: string;
  /** CSS grid track. */
  readonly width: string;
  readonly right?: boolean;
  readonly cell: (r: RecordJson, actions: PivotActions) => ReactNode;
}

const valueCell = (field: string, get: (r: RecordJson) => string | number | undefined) =>
  function Cell(r: RecordJson, actions: PivotActions): ReactNode {
    const v = get(r);
    return v === undefined ? null : <Value pivot={pivotOf(field, String(v))} record={r} actions={actions} />;
  };

const dataOf = (r: RecordJson, name: string): string | undefined => r.data?.find(([n]) => n === name)?.[1];

const end = (field: "src" | "dst") =>
  function Cell(r: RecordJson, actions: PivotActions): ReactNode {
    const address = r[field];
    if (address === undefined) return null;
    const port = field === "src" ? r.srcPort : r.dstPort;
    return (
      <Value pivot={pivotOf(field, address)} record={r} actions={actions} shown={endText(address, port ?? null)} />
    );
  };

const COLUMNS: Readonly<Record<string, readonly KindColumn[]>> = {
  flow: [
    { title: "from", width: "minmax(150px,1.2fr)", cell: end("src") },
    { title: "to", width: "minmax(150px,1.2fr)", cell: end("dst") },
    {
      title: "application",
      width: "minmax(40px,0.7fr)",
      cell: (r) => safeText(r.application ?? (r.protocol === undefined ? "" : `protocol ${r.protocol}`)),
    },
    {
      title: "bytes",
      width: "78px",
      right: true,
      cell: (r) => `${r.flow?.samplingRate ? "≈ " : ""}${r.bytes === undefined ? "" : bytesText(r.bytes)}`,
    },
    { title: "packets", width: "66px", right: true, cell: (r) => r.packets?.toLocaleString("en") ?? "" },
    {
      title: "in → out",
      width: "minmax(0,0.7fr)",
      cell: (r) => safeText(`${r.ingressName ?? r.flow?.ingress ?? "?"} → ${r.egressName ?? r.flow?.egress ?? "?"}`),
    },
  ],
  firewall: [
    { title: "verdict", width: "58px", cell: valueCell("action", (r) => r.action) },
    { title: "from", width: "minmax(120px,1fr)", cell: end("src") },
    { title: "to", width: "minmax(120px,1fr)", cell: end("dst") },
    { title: "application", width: "minmax(60px,0.5fr)", cell: (r) => safeText(r.application ?? "") },
    { title: "policy", width: "minmax(70px,0.8fr)", cell: valueCell("policy", (r) => dataOf(r, "policy")) },
  ],
  windows: [
    { title: "event", width: "52px", cell: valueCell("event", (r) => r.event) },
    { title: "user", width: "minmax(70px,0.3fr)", cell: valueCell("user", (r) => r.users?.[0]) },
    { title: "what happened", width: "minmax(200px,2fr)", cell: (r) => safeText(r.sentence) },
  ],
  snmp: [
    {
      title: "notification",
      width: "minmax(210px,0.6fr)",
      cell: (r, a) =>
        r.event === undefined ? null : (
          <Value pivot={pivotOf("event", r.event)} record={r} actions={a} shown={r.eventName ?? r.event} />
        ),
    },
    { title: "interface", width: "minmax(60px,0.25fr)", cell: valueCell("interface", (r) => r.interface) },
    { title: "what happened", width: "minmax(200px,2fr)", cell: (r) => safeText(r.sentence) },
  ],
};

export const columnsOf = (kind: string | null): readonly KindColumn[] | null =>
  kind === null ? null : (COLUMNS[kind] ?? null);

/** The one kind a filter lets through, or null. */
export function onlyKind(filter: Filter): string | null {
  if (filter.type === "and") {
    for (const item of filter.items) {
      const kind = onlyKind(item);
      if (kind !== null) return kind;
    }
    return null;
  }
  if (filter.type !== "compare" || filter.field !== "kind" || filter.negated || filter.test.op !== "oneOf") return null;
  return filter.test.values.length === 1 ? filter.test.values[0]! : null;
}
