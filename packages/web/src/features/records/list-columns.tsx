import type { RecordJson } from "@halvik/contract/records";
import { bytesText, endText } from "@halvik/core/meaning/sentence";
import { type Count, countFromJson, FIELDS, type FieldName, fieldNamed } from "@halvik/core/model/record";
import type { Filter } from "@halvik/core/query/filter";
import { Fragment, type ReactNode } from "react";
import { AddressName, NamedText } from "../../shared/address-names";
import { safeText } from "../../ui/safe-text";
import type { ChosenColumn } from "./columns";
import { fieldTexts } from "./field-texts";
import { OutageMark } from "./outages";
import { type PivotActions, pivotOf, TextWithValues, Value } from "./values";

/** A column of the list of records. */
export interface ListColumn {
  readonly name: string;
  /** CSS grid track. */
  readonly width: string;
  readonly right?: boolean;
  readonly cell: (r: RecordJson, actions: PivotActions) => ReactNode;
  /** What lines are set in order by; null: it has none. A column without this has no order. */
  readonly order?: (r: RecordJson) => string | Count | null;
  /** What adds up to the figure at the foot of the list. */
  readonly amount?: { readonly of: (r: RecordJson) => Count | null; readonly text: (sum: Count) => string };
}

const end = (field: "src" | "dst") =>
  function Cell(r: RecordJson, actions: PivotActions): ReactNode {
    const address = r[field];
    if (address === undefined) return null;
    const port = field === "src" ? r.srcPort : r.dstPort;
    return (
      <>
        <Value pivot={pivotOf(field, address)} record={r} actions={actions} shown={endText(address, port ?? null)} />
        <AddressName address={address} />
      </>
    );
  };

/** The message with its values, or what happened in a sentence: the one column of a list of several kinds. */
export const TEXT_COLUMN = "what it says";

const whatItSays = (r: RecordJson, actions: PivotActions): ReactNode => (
  <>
    {r.app && r.kind !== "windows" && <span className="text-quiet">{safeText(r.app)} </span>}
    <TextWithValues record={r} actions={actions} />
    <OutageMark id={r.id} />
  </>
);

const amountOf = (name: "bytes" | "packets", text: (sum: Count) => string) => {
  const of = (r: RecordJson): Count | null => (r[name] === undefined ? null : countFromJson(r[name]));
  return { order: of, amount: { of, text } };
};

/** Columns that are more than the values of one field. */
const COMPOSED: readonly ListColumn[] = [
  { name: TEXT_COLUMN, width: "minmax(200px,3fr)", cell: whatItSays },
  {
    name: "what happened",
    width: "minmax(200px,2fr)",
    cell: (r) => (
      <>
        <NamedText>{r.sentence}</NamedText>
        <OutageMark id={r.id} />
      </>
    ),
  },
  { name: "src", width: "minmax(172px,1fr)", cell: end("src"), order: (r) => r.src ?? null },
  { name: "dst", width: "minmax(172px,1fr)", cell: end("dst"), order: (r) => r.dst ?? null },
  {
    name: "application",
    width: "minmax(60px,0.6fr)",
    order: (r) => r.application ?? null,
    cell: (r, a) =>
      r.application === undefined ? (
        safeText(r.protocol === undefined ? "" : `protocol ${r.protocol}`)
      ) : (
        <Value pivot={pivotOf("application", r.application)} record={r} actions={a} />
      ),
  },
  {
    name: "bytes",
    width: "78px",
    right: true,
    ...amountOf("bytes", bytesText),
    cell: (r) => `${r.flow?.samplingRate ? "≈ " : ""}${r.bytes === undefined ? "" : bytesText(countFromJson(r.bytes))}`,
  },
  {
    name: "packets",
    width: "66px",
    right: true,
    ...amountOf("packets", (sum) => sum.toLocaleString("en")),
    cell: (r) => (r.packets === undefined ? "" : countFromJson(r.packets).toLocaleString("en")),
  },
  {
    name: "in → out",
    width: "minmax(66px,0.7fr)",
    cell: (r) => safeText(`${r.ingressName ?? r.flow?.ingress ?? "?"} → ${r.egressName ?? r.flow?.egress ?? "?"}`),
  },
  {
    name: "notification",
    width: "minmax(210px,0.6fr)",
    order: (r) => r.eventName ?? r.event ?? null,
    cell: (r, a) =>
      r.event === undefined ? null : (
        <Value pivot={pivotOf("event", r.event)} record={r} actions={a} shown={r.eventName ?? r.event} />
      ),
  },
];

/** Widths of fields whose values are short. */
const WIDTHS: Partial<Record<FieldName, string>> = {
  severity: "72px",
  kind: "64px",
  action: "58px",
  event: "minmax(52px,0.3fr)",
  "src port": "62px",
  "dst port": "62px",
  protocol: "62px",
};

/** Fields shown in every line anyway, or told by a composed column. */
const NO_COLUMN: readonly FieldName[] = ["time", "sender", "text", "src", "dst", "bytes", "packets", "application"];

const fieldCell = (name: FieldName) => {
  const isAddress = fieldNamed(name)?.type === "address";
  return function Cell(r: RecordJson, actions: PivotActions): ReactNode {
    const texts = fieldTexts(r, name);
    if (name === "arrival") return texts[0];
    return texts.map((text, i) => (
      <Fragment key={text}>
        {i > 0 && ", "}
        <Value pivot={pivotOf(name, text)} record={r} actions={actions} />
        {isAddress && <AddressName address={text} />}
      </Fragment>
    ));
  };
};

const fieldOrder = (name: FieldName) => (r: RecordJson) => {
  const text = fieldTexts(r, name)[0];
  if (text === undefined) return null;
  return /^\d{1,15}$/.test(text) ? Number(text) : text;
};

const COLUMNS: ReadonlyMap<string, ListColumn> = new Map(
  [
    ...COMPOSED,
    ...FIELDS.map((f) => f.name)
      .filter((name) => !NO_COLUMN.includes(name))
      .map((name) => ({
        name,
        width: WIDTHS[name] ?? "minmax(60px,0.5fr)",
        cell: fieldCell(name),
        order: fieldOrder(name),
      })),
  ].map((c) => [c.name, c]),
);

/** Every column there is, in the order they are offered. */
export const COLUMN_NAMES: readonly string[] = [...COLUMNS.keys()];
export const isColumn = (name: string): boolean => COLUMNS.has(name);

/** What a list shows unless somebody chose otherwise. */
const USUAL: Readonly<Record<string, readonly string[]>> = {
  flow: ["src", "dst", "application", "bytes", "packets", "in → out"],
  firewall: ["action", "src", "dst", "application", "policy"],
  windows: ["event", "user", "what happened"],
  snmp: ["notification", "interface", "what happened"],
};

/** @param kind the only kind in the list, or null */
export const usualColumns = (kind: string | null): readonly ChosenColumn[] =>
  ((kind === null ? undefined : USUAL[kind]) ?? [TEXT_COLUMN]).map((name) => ({ name, width: null }));

/** The columns to draw, with the widths that were chosen. */
export const columnsOf = (chosen: readonly ChosenColumn[]): readonly ListColumn[] =>
  chosen.flatMap(({ name, width }) => {
    const column = COLUMNS.get(name);
    return column === undefined ? [] : [width === null ? column : { ...column, width: `${width}px` }];
  });

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
