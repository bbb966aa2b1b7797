import type { RecordJson } from "@halvik/contract/records";
import { useVirtualizer } from "@tanstack/react-virtual";
import { memo, useEffect, useMemo, useRef } from "react";
import { useViewStore, usOf } from "../../data/view-store";
import { useCutTip } from "../../ui/cut-tip";
import { KindMark, SeverityMark } from "../../ui/marks";
import { safeText } from "../../ui/safe-text";
import { clockMs, day, hour, minute } from "../../ui/time";
import { ColumnEdge } from "./column-edge";
import type { ListColumn } from "./list-columns";
import { type ListOrder, MOST_ORDERED, nextOrder, sumOf } from "./list-order";
import { Outages, outagesAmong } from "./outages";
import type { PivotActions } from "./values";

/** Of the type that is set in the browser, as all of the interface. */
const REM_PX = Number.parseFloat(getComputedStyle(document.documentElement).fontSize) || 16;
const ROW_PX = 1.3125 * REM_PX;
const STRETCH_PX = 1.5 * REM_PX;

type Line =
  | { readonly type: "record"; readonly record: RecordJson; readonly index: number }
  | { readonly type: "stretch"; readonly us: number; readonly count: number; readonly by: "minute" | "hour" };

interface RecordListProps {
  readonly records: readonly RecordJson[];
  /** The answer to the filter is on its way, and these lines are those of the one before it. */
  readonly ofFilterBefore: boolean;
  readonly selectedId: string | null;
  /** Ids of lines to be compared. */
  readonly marked: readonly string[];
  readonly actions: PivotActions;
  readonly onSelect: (record: RecordJson) => void;
  readonly onEnd: () => void;
  readonly onScrolledAway: (away: boolean) => void;
  readonly columns: readonly ListColumn[];
  /** Whether the columns are named on top: a text needs no name. */
  readonly header: boolean;
  /** By which column the lines stand; null: by time. */
  readonly order: ListOrder | null;
  readonly onOrder: (order: ListOrder | null) => void;
  /** Whether these are all there are, or the newest. */
  readonly complete: boolean;
  /** A column was drawn wider or narrower; null: as it comes. */
  readonly onWidth: (name: string, px: number | null) => void;
}

/** One line a record, with rules between stretches of time. Only the lines on screen exist. */
export function RecordList({
  records,
  ofFilterBefore,
  selectedId,
  marked,
  actions,
  onSelect,
  onEnd,
  onScrolledAway,
  columns,
  header,
  order,
  onOrder,
  complete,
  onWidth,
}: RecordListProps) {
  const box = useRef<HTMLDivElement>(null);
  const zone = useViewStore((s) => s.zone);
  const setNeedle = useViewStore((s) => s.setNeedle);
  const ordered = order !== null && columns.some((c) => c.name === order.column && c.order);
  const lines = useMemo(() => (ordered ? records.map(lineOf) : withStretches(records)), [records, ordered]);
  const virtual = useVirtualizer({
    count: lines.length,
    getScrollElement: () => box.current,
    estimateSize: (i) => (lines[i]?.type === "stretch" ? STRETCH_PX : ROW_PX),
    // a key that names the line: what was measured stays with it when newer lines come in above
    getItemKey: (i) => keyOf(lines[i]),
    overscan: 20,
  });
  const items = virtual.getVirtualItems();
  const lastIndex = items[items.length - 1]?.index ?? 0;
  useEffect(() => {
    // what is set in order must be there first
    const isWanted = ordered ? records.length < MOST_ORDERED : lastIndex >= lines.length - 20;
    if (lines.length > 0 && isWanted) onEnd();
  }, [ordered, records.length, lastIndex, lines.length, onEnd]);
  const minWidth = leastWidth(tracks(columns, ordered));
  const selectedLine = useMemo(
    () => lines.findIndex((l) => l.type === "record" && l.record.id === selectedId),
    [lines, selectedId],
  );
  useEffect(() => {
    if (selectedLine < 0) return;
    virtual.scrollToIndex(selectedLine, { align: "auto" });
    // the focus goes along, so that what is selected is said; not away from where somebody writes or reads
    const { activeElement } = document;
    if (activeElement !== document.body && !box.current?.contains(activeElement)) return;
    const frame = requestAnimationFrame(() =>
      document.getElementById(`record-${selectedId}`)?.focus({ preventScroll: true }),
    );
    return () => cancelAnimationFrame(frame);
  }, [selectedId]);
  const cut = useCutTip();
  const pairs = useMemo(() => (ordered ? NONE : outagesAmong(records)), [records, ordered]);
  return (
    <Outages value={pairs}>
      {/* biome-ignore lint/a11y/useSemanticElements: lines are placed one by one, as no list element can */}
      <div
        ref={box}
        className={`min-h-0 flex-1 overflow-auto max-wide:h-[65vh] max-wide:flex-none font-mono text-code leading-[1.3125rem] ${ofFilterBefore ? "opacity-50" : ""}`}
        aria-busy={ofFilterBefore}
        onPointerOver={cut.onPointerOver}
        onPointerLeave={cut.onPointerLeave}
        onScroll={(e) => onScrolledAway(e.currentTarget.scrollTop > ROW_PX * 2)}
        role="list"
        aria-label="Records"
        // biome-ignore lint/a11y/noNoninteractiveTabindex: what scrolls must be reached by keyboard
        tabIndex={0}
      >
        {header && (
          <div
            className="sticky top-0 z-10 grid gap-2 border-b border-line bg-paper pr-1 pl-0.5 font-sans text-small leading-[1.125rem] text-quiet"
            style={{ gridTemplateColumns: tracks(columns, ordered), minWidth }}
          >
            <span>
              {ordered ? (
                <button type="button" className="hover:text-ink" onClick={() => onOrder(null)}>
                  time
                </button>
              ) : (
                "time ↓"
              )}
            </span>
            <span />
            <span />
            <span>sender</span>
            {columns.map((c) => (
              <span key={c.name} className={`relative ${c.right ? "text-right" : ""}`}>
                {c.order ? (
                  <button
                    type="button"
                    className="max-w-full truncate hover:text-ink"
                    onClick={() => onOrder(nextOrder(order, c.name))}
                  >
                    {c.name}
                    {order?.column === c.name && <span className="text-ink"> {order.down ? "↓" : "↑"}</span>}
                  </button>
                ) : (
                  c.name
                )}
                <ColumnEdge name={c.name} onWidth={onWidth} />
              </span>
            ))}
          </div>
        )}
        <div style={{ height: virtual.getTotalSize(), position: "relative", minWidth }}>
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
            if (line.type === "stretch")
              return (
                <div
                  key={item.key}
                  style={style}
                  role="presentation"
                  className="mt-[3px] flex gap-3 border-t border-line pt-[3px] font-sans text-small leading-[1.125rem] text-quiet"
                >
                  <span>
                    {day(line.us, zone)} {line.by === "minute" ? minute(line.us, zone) : `from ${hour(line.us, zone)}`}
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
                  marked={marked.includes(line.record.id)}
                  actions={actions}
                  onSelect={onSelect}
                  columns={columns}
                  withDay={ordered}
                />
              </div>
            );
          })}
        </div>
        {header && records.length > 0 && (ordered || columns.some((c) => c.amount)) && (
          <div
            className="sticky bottom-0 z-10 grid gap-2 border-t border-line-strong bg-paper pr-1 pl-0.5 font-sans text-small leading-[1.25rem] text-quiet tabular-nums"
            style={{ gridTemplateColumns: tracks(columns, ordered), minWidth }}
            data-testid="list-foot"
          >
            <span className="col-span-4">
              {complete
                ? `all ${records.length.toLocaleString("en")} lines`
                : `the newest ${records.length.toLocaleString("en")} lines`}
            </span>
            {columns.map((c) => (
              <span key={c.name} className={c.right ? "text-right text-ink" : ""}>
                {c.amount?.text(sumOf(records, c.amount.of))}
              </span>
            ))}
          </div>
        )}
      </div>
      {cut.tip}
    </Outages>
  );
}

const NONE: ReturnType<typeof outagesAmong> = new Map();

const Row = memo(function Row({
  record,
  zone,
  selected,
  marked,
  actions,
  onSelect,
  columns,
  withDay,
}: {
  record: RecordJson;
  zone: string;
  selected: boolean;
  marked: boolean;
  actions: PivotActions;
  onSelect: (r: RecordJson) => void;
  columns: readonly ListColumn[];
  /** Lines out of their order of time say their day. */
  withDay: boolean;
}) {
  return (
    // biome-ignore lint/a11y/useKeyWithClickEvents: j, k and Enter select by keyboard, see the page's keys
    // biome-ignore lint/a11y/useSemanticElements: see the list
    <div
      id={`record-${record.id}`}
      role="listitem"
      aria-current={selected}
      tabIndex={-1}
      data-testid="record-line"
      onClick={() => onSelect(record)}
      style={{ gridTemplateColumns: tracks(columns, withDay) }}
      className={`grid cursor-default items-center gap-2 pr-1 pl-0.5 whitespace-nowrap ${selected ? "bg-fjord-wash shadow-[inset_2px_0_var(--fjord)]" : "hover:bg-wash"}`}
    >
      <span className={marked ? "font-semibold text-fjord" : "text-quiet"}>
        {withDay && `${day(usOf(record.time), zone)} `}
        {clockMs(usOf(record.time), zone)}
        {marked && <span className="sr-only"> marked for comparison</span>}
      </span>
      <SeverityMark severity={record.severity} />
      <KindMark kind={record.kind} />
      <span className="truncate">{safeText(record.sender.name)}</span>
      {columns.map((c) => (
        <span key={c.name} className={`truncate ${c.right ? "text-right tabular-nums" : ""}`}>
          {c.cell(record, actions)}
        </span>
      ))}
    </div>
  );
});

/** Time, severity, kind, sender; then the chosen columns. */
const tracks = (columns: readonly ListColumn[], withDay: boolean): string =>
  `${withDay ? 9.75 : 6.5}rem 8px 1.625rem 7.75rem ${columns.map((c) => c.width).join(" ")}`;

const GAP_PX = 8;
/** What the tracks need at least: narrower, the list scrolls sideways and nothing is cut off. */
const leastWidth = (tracks: string): number => {
  const least = [...tracks.matchAll(/(\d+(?:\.\d+)?)(px|rem)/g)].map(
    (m) => Number(m[1]) * (m[2] === "rem" ? REM_PX : 1),
  );
  return least.reduce((sum, px) => sum + px + GAP_PX, 0);
};

const lineOf = (record: RecordJson, index: number): Line => ({ type: "record", record, index });

const keyOf = (line: Line | undefined): string =>
  line === undefined ? "" : line.type === "stretch" ? `stretch ${line.us}` : line.record.id;

const MINUTE_TEXT = 16;
const HOUR_TEXT = 13;

/** Lines under a rule at every new minute; where hardly two share one, at every new hour. */
function withStretches(records: readonly RecordJson[]): Line[] {
  const out: Line[] = [];
  const minutes = new Set(records.map((r) => r.time.slice(0, MINUTE_TEXT))).size;
  const length = records.length > 2 * minutes ? MINUTE_TEXT : HOUR_TEXT;
  let key = "";
  let header: { type: "stretch"; us: number; count: number; by: "minute" | "hour" } | null = null;
  for (const [index, record] of records.entries()) {
    const stretch = record.time.slice(0, length);
    if (stretch !== key) {
      key = stretch;
      header = { type: "stretch", us: usOf(record.time), count: 0, by: length === MINUTE_TEXT ? "minute" : "hour" };
      out.push(header);
    }
    header!.count++;
    out.push({ type: "record", record, index });
  }
  return out;
}
