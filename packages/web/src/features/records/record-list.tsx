import type { RecordJson } from "@halvik/core/contract";
import { useVirtualizer } from "@tanstack/react-virtual";
import { memo, useEffect, useMemo, useRef } from "react";
import { useViewStore, usOf } from "../../app/view-store";
import { KindMark, SeverityMark } from "../../ui/marks";
import { safeText } from "../../ui/safe-text";
import { clockMs, day, minute } from "../../ui/time";
import { type PivotActions, TextWithValues } from "./values";

const ROW_PX = 21;
const MINUTE_PX = 24;

type Line =
  | { readonly type: "record"; readonly record: RecordJson; readonly index: number }
  | { readonly type: "minute"; readonly us: number; readonly count: number };

interface RecordListProps {
  readonly records: readonly RecordJson[];
  readonly selectedId: string | null;
  readonly actions: PivotActions;
  readonly onSelect: (record: RecordJson) => void;
  readonly onEnd: () => void;
  readonly onScrolledAway: (away: boolean) => void;
}

/** One line a record; a rule at every new minute. Only the lines on screen exist. */
export function RecordList({ records, selectedId, actions, onSelect, onEnd, onScrolledAway }: RecordListProps) {
  const box = useRef<HTMLDivElement>(null);
  const zone = useViewStore((s) => s.zone);
  const setNeedle = useViewStore((s) => s.setNeedle);
  const lines = useMemo(() => withMinutes(records), [records]);
  const virtual = useVirtualizer({
    count: lines.length,
    getScrollElement: () => box.current,
    estimateSize: (i) => (lines[i]?.type === "minute" ? MINUTE_PX : ROW_PX),
    // a key that names the line: what was measured stays with it when newer lines come in above
    getItemKey: (i) => keyOf(lines[i]),
    overscan: 20,
  });
  const items = virtual.getVirtualItems();
  const lastIndex = items[items.length - 1]?.index ?? 0;
  useEffect(() => {
    if (lines.length > 0 && lastIndex >= lines.length - 20) onEnd();
  }, [lastIndex, lines.length, onEnd]);
  const selectedLine = useMemo(
    () => lines.findIndex((l) => l.type === "record" && l.record.id === selectedId),
    [lines, selectedId],
  );
  useEffect(() => {
    if (selectedLine >= 0) virtual.scrollToIndex(selectedLine, { align: "auto" });
  }, [selectedId]);
  return (
    // biome-ignore lint/a11y/useSemanticElements: lines are placed one by one, as no list element can
    <div
      ref={box}
      className="min-h-0 flex-1 overflow-y-auto font-mono text-[12.5px] leading-[21px]"
      onScroll={(e) => onScrolledAway(e.currentTarget.scrollTop > ROW_PX * 2)}
      role="list"
      aria-label="Records"
      // biome-ignore lint/a11y/noNoninteractiveTabindex: what scrolls must be reached by keyboard
      tabIndex={0}
    >
      <div style={{ height: virtual.getTotalSize(), position: "relative" }}>
        {items.map((item) => {
          const line = lines[item.index]!;
          const style = {
            position: "absolute",
            top: 0,
            left: 0,
            right: 0,
            transform: `translateY(${item.start}px)`,
            height: item.size,
          } as const;
          if (line.type === "minute")
            return (
              <div
                key={item.key}
                style={style}
                role="presentation"
                className="mt-[3px] flex gap-3 border-t border-line pt-[3px] font-sans text-[12px] leading-[18px] text-quiet"
              >
                <span>
                  {day(line.us, zone)} {minute(line.us, zone)}
                </span>
                <span>{line.count === 1 ? "1 record" : `${line.count} records`}</span>
              </div>
            );
          return (
            // biome-ignore lint/a11y/noStaticElementInteractions: pointing only moves the needle on the rail
            <div
              key={item.key}
              style={style}
              onMouseEnter={() => setNeedle(usOf(line.record.time))}
              onMouseLeave={() => setNeedle(null)}
              role="presentation"
            >
              <Row
                record={line.record}
                zone={zone}
                selected={line.record.id === selectedId}
                actions={actions}
                onSelect={onSelect}
              />
            </div>
          );
        })}
      </div>
    </div>
  );
}

const Row = memo(function Row({
  record,
  zone,
  selected,
  actions,
  onSelect,
}: {
  record: RecordJson;
  zone: string;
  selected: boolean;
  actions: PivotActions;
  onSelect: (r: RecordJson) => void;
}) {
  return (
    // biome-ignore lint/a11y/useKeyWithClickEvents: j, k and Enter select by keyboard, see the page's keys
    // biome-ignore lint/a11y/useSemanticElements: see the list
    <div
      id={`record-${record.id}`}
      role="listitem"
      aria-current={selected}
      data-testid="record-line"
      onClick={() => onSelect(record)}
      className={`grid cursor-default grid-cols-[104px_8px_26px_124px_1fr] items-center gap-2 pr-1 pl-0.5 whitespace-nowrap ${selected ? "bg-fjord-wash shadow-[inset_2px_0_var(--fjord)]" : "hover:bg-wash"}`}
    >
      <span className="text-quiet">{clockMs(usOf(record.time), zone)}</span>
      <SeverityMark severity={record.severity} />
      <KindMark kind={record.kind} />
      <span className="truncate">{safeText(record.sender.name)}</span>
      <span className="truncate">
        {record.app && <span className="text-quiet">{safeText(record.app)} </span>}
        <TextWithValues record={record} actions={actions} />
      </span>
    </div>
  );
});

const keyOf = (line: Line | undefined): string =>
  line === undefined ? "" : line.type === "minute" ? `minute ${line.us}` : line.record.id;

function withMinutes(records: readonly RecordJson[]): Line[] {
  const out: Line[] = [];
  let key = "";
  let header: { type: "minute"; us: number; count: number } | null = null;
  for (const [index, record] of records.entries()) {
    const minuteKey = record.time.slice(0, 16);
    if (minuteKey !== key) {
      key = minuteKey;
      header = { type: "minute", us: usOf(record.time), count: 0 };
      out.push(header);
    }
    header!.count++;
    out.push({ type: "record", record, index });
  }
  return out;
}
