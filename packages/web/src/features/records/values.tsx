import type { RecordJson } from "@halvik/contract/records";
import { findAddresses } from "@halvik/core/base/net";
import { quoteIfNeeded } from "@halvik/core/query/filter";
import { Fragment, type ReactNode } from "react";
import { NameMark, namesIn, useNameOf } from "../../shared/address-names";
import { lineText } from "../../shared/record-text";
import { copyText } from "../../ui/copy-text";
import { Menu, MenuItem, MenuLabel } from "../../ui/menu";
import { safeText } from "../../ui/safe-text";

/** A value a person may go on from: how to ask for it in a filter. */
export interface Pivot {
  readonly label: string;
  readonly only: string;
}

/** What can be done with a value or record. */
export interface PivotActions {
  only(pivot: Pivot): void;
  without(pivot: Pivot): void;
  around(record: RecordJson): void;
  /** What came right after a record with the same value. */
  rightAfter(pivot: Pivot, record: RecordJson): void;
  /** Another record, beside the list. */
  show(id: string): void;
  /** When it was first and last seen. */
  seen(pivot: Pivot): void;
}

const compare = (field: string, value: string): string => `${field} is ${quoteIfNeeded(value)}`;

export const pivotOf = (field: string, value: string): Pivot => ({ label: value, only: compare(field, value) });

/** Where the record's own values stand in a text: longest first, no overlaps. */
function occurrences(record: RecordJson, text: string): { start: number; end: number; pivot: Pivot }[] {
  const values: [string, Pivot][] = [];
  for (const user of record.users ?? []) values.push([user, pivotOf("user", user)]);
  if (record.interface) values.push([record.interface, pivotOf("interface", record.interface)]);
  if (record.event) values.push([record.event, pivotOf("event", record.event)]);
  if (record.dstPort !== undefined) values.push([String(record.dstPort), pivotOf("dst port", String(record.dstPort))]);
  if (record.srcPort !== undefined) values.push([String(record.srcPort), pivotOf("src port", String(record.srcPort))]);
  const found = findAddresses(text, 20).map((a) => ({
    start: a.start,
    end: a.end,
    pivot: pivotOf("address", a.address),
  }));
  for (const [value, pivot] of values.sort(([a], [b]) => b.length - a.length)) {
    const start = text.indexOf(value);
    const end = start + value.length;
    const whole = start >= 0 && !/[A-Za-z0-9_]/.test(text[start - 1] ?? " ") && !/[A-Za-z0-9_]/.test(text[end] ?? " ");
    if (whole && value.length > 0 && !found.some((f) => start < f.end && end > f.start))
      found.push({ start, end, pivot });
  }
  return found.sort((a, b) => a.start - b.start);
}

/** The message with its values underlined by dots; each opens a menu. */
export function TextWithValues({ record, actions }: { record: RecordJson; actions: PivotActions }) {
  const parts: ReactNode[] = [];
  const text = lineText(record);
  const names = [...namesIn(text, useNameOf())];
  const putText = (from: number, to: number) => {
    let done = from;
    while (names[0] !== undefined && names[0].at <= to) {
      const { at, name } = names.shift()!;
      parts.push(
        <Fragment key={`n${at}`}>
          {safeText(text.slice(done, at))}
          <NameMark name={name} />
        </Fragment>,
      );
      done = at;
    }
    parts.push(<Fragment key={`t${done}`}>{safeText(text.slice(done, to))}</Fragment>);
  };
  let at = 0;
  for (const o of occurrences(record, text)) {
    putText(at, o.start);
    parts.push(
      <Value
        key={`v${o.start}`}
        pivot={o.pivot}
        record={record}
        actions={actions}
        shown={text.slice(o.start, o.end)}
      />,
    );
    at = o.end;
  }
  putText(at, text.length);
  return <bdi>{parts}</bdi>;
}

/** A value with its menu: only with this, without this, around this. */
export function Value({
  pivot,
  record,
  actions,
  shown,
}: {
  pivot: Pivot;
  record: RecordJson;
  actions: PivotActions;
  shown?: string;
}) {
  return (
    <Menu
      align="start"
      trigger={
        // reached through the margin by keyboard: a line of text is one stop, not ten
        <button
          type="button"
          tabIndex={-1}
          onClick={(e) => e.stopPropagation()}
          className="text-left font-mono underline decoration-quiet decoration-dotted underline-offset-[3px] hover:text-fjord"
        >
          {safeText(shown ?? pivot.label)}
        </button>
      }
    >
      <MenuLabel>
        <span className="block max-w-72 truncate font-mono">{safeText(pivot.only)}</span>
      </MenuLabel>
      <MenuItem onSelect={() => actions.only(pivot)}>only with this</MenuItem>
      <MenuItem onSelect={() => actions.without(pivot)}>without this</MenuItem>
      <MenuItem onSelect={() => actions.around(record)}>around this</MenuItem>
      <MenuItem onSelect={() => actions.seen(pivot)}>first and last seen</MenuItem>
      <MenuItem onSelect={() => void copyText(pivot.label)}>copy</MenuItem>
    </Menu>
  );
}
