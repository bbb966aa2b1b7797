import { SHAPE_ORDERS, type ShapeLine, type ShapeOrder, type ShapesAnswer } from "@halvik/contract/shapes";
import { useVirtualizer } from "@tanstack/react-virtual";
import { useRef } from "react";
import { useViewStore, usOf } from "../../../data/view-store";
import { TextButton } from "../../../ui/button";
import { Course } from "../../../ui/course";
import { KindMark, SeverityMark } from "../../../ui/marks";
import { safeText } from "../../../ui/safe-text";
import { Select } from "../../../ui/select";
import { dayMinute } from "../../../ui/time";
import { ShapeText } from "./shape-text";
import { trendText } from "./trend";

const ROW_PX = 44;
const COURSE_PX = 38;
const COLUMNS = "grid-cols-[5rem_5.25rem_34px_8px_1.625rem_minmax(0,1fr)_11rem]";

const ORDER_LABELS: Readonly<Record<ShapeOrder, string>> = {
  most: "the most frequent first",
  rarest: "the rarest first",
  newest: "first seen last, first",
  worst: "the most severe first",
  risen: "what rose most first",
  fallen: "what fell most first",
};

interface ShapeListProps {
  readonly answer: ShapesAnswer;
  readonly order: ShapeOrder;
  readonly onOrder: (order: ShapeOrder) => void;
  readonly selected: number | null;
  readonly onSelect: (shape: number) => void;
  readonly onMore: () => void;
}

/** One line a shape: how often, against the window before, when, how bad, what it says, who says it, since when. */
export function ShapeList({ answer, order, onOrder, selected, onSelect, onMore }: ShapeListProps) {
  const box = useRef<HTMLDivElement>(null);
  const zone = useViewStore((s) => s.zone);
  const { shapes } = answer;
  const virtual = useVirtualizer({
    count: shapes.length,
    getScrollElement: () => box.current,
    estimateSize: () => ROW_PX,
    getItemKey: (i) => shapes[i]!.shape.id,
    overscan: 10,
  });
  return (
    <>
      <div className="flex items-baseline gap-3 py-1 text-code text-quiet">
        <Says answer={answer} zone={zone} />
        <span className="ml-auto">
          <Select
            label="Order of the shapes"
            value={order}
            onChange={(v) => onOrder(v as ShapeOrder)}
            options={SHAPE_ORDERS.map((value) => ({ value, label: ORDER_LABELS[value] }))}
            className="!py-0"
          />
        </span>
      </div>
      <div
        aria-hidden
        className={`grid ${COLUMNS} gap-2 border-b border-line pr-1 pl-0.5 text-small leading-[1.125rem] text-quiet`}
      >
        <span className="text-right">records</span>
        <span className="text-right">before</span>
        <span>when</span>
        <span className="col-span-2" />
        <span>what it says</span>
        <span>first ever</span>
      </div>
      {/* biome-ignore lint/a11y/useSemanticElements: lines are placed one by one, as no list element can */}
      <div
        ref={box}
        className="min-h-0 flex-1 overflow-auto max-wide:h-[65vh] max-wide:flex-none"
        role="list"
        aria-label="Shapes"
        // biome-ignore lint/a11y/noNoninteractiveTabindex: what scrolls must be reached by keyboard
        tabIndex={0}
      >
        <div style={{ height: virtual.getTotalSize(), position: "relative" }}>
          {virtual.getVirtualItems().map((item) => (
            <div
              key={item.key}
              role="presentation"
              style={{
                position: "absolute",
                top: 0,
                left: 0,
                right: 0,
                height: item.size,
                transform: `translateY(${item.start}px)`,
              }}
            >
              <Row
                line={shapes[item.index]!}
                zone={zone}
                isSelected={shapes[item.index]!.shape.id === selected}
                onSelect={onSelect}
              />
            </div>
          ))}
        </div>
        {answer.others > 0 && (
          <p className="border-t border-line py-1 text-ui text-quiet">
            {answer.others.toLocaleString("en")} more shapes with {answer.othersCount.toLocaleString("en")} records.{" "}
            <TextButton className="underline" onClick={onMore}>
              show more
            </TextButton>
          </p>
        )}
      </div>
    </>
  );
}

/** What the answer covers, and what it cannot. */
function Says({ answer, zone }: { readonly answer: ShapesAnswer; readonly zone: string }) {
  const { shapes, others, records, without, exact, coveredFrom, since } = answer;
  const n = (count: number) => count.toLocaleString("en");
  return (
    <span data-testid="shapes-said">
      {exact ? "" : "at least "}
      {n(shapes.length + others)} {shapes.length + others === 1 ? "shape" : "shapes"} of {n(records)}{" "}
      {records === 1 ? "record" : "records"}
      {!exact && <span className="text-ochre"> · counted back to {dayMinute(usOf(coveredFrom), zone)}</span>}
      {without > 0 && <span className="text-ochre"> · {n(without)} came before shapes were recorded</span>}
      {since !== undefined && (
        <span className="text-ochre"> · “never before” goes back to {dayMinute(usOf(since), zone)}</span>
      )}{" "}
      · flows have none
    </span>
  );
}

function Row({
  line,
  zone,
  isSelected,
  onSelect,
}: {
  readonly line: ShapeLine;
  readonly zone: string;
  readonly isSelected: boolean;
  readonly onSelect: (shape: number) => void;
}) {
  const { shape, count, before, senders, senderNames, worst, isNew, example } = line;
  const who =
    senders > senderNames.length
      ? `${senderNames.join(", ")} and ${senders - senderNames.length} more`
      : senderNames.join(", ");
  const trend = trendText(count, before);
  return (
    // biome-ignore lint/a11y/useKeyWithClickEvents: j, k and Enter select by keyboard, see the page's keys
    // biome-ignore lint/a11y/useSemanticElements: lines are placed one by one, as no list element can
    <div
      role="listitem"
      aria-current={isSelected}
      tabIndex={-1}
      data-testid="shape-line"
      onClick={() => onSelect(shape.id)}
      className={`grid h-full ${COLUMNS} cursor-default items-center gap-2 border-b border-line pr-1 pl-0.5 text-ui ${isSelected ? "bg-fjord-wash shadow-[inset_2px_0_var(--fjord)]" : "hover:bg-wash"}`}
    >
      <span className="text-right tabular-nums">{count.toLocaleString("en")}</span>
      <span className={`text-right text-code tabular-nums ${before === 0 ? "text-ochre" : "text-quiet"}`}>{trend}</span>
      <Course counts={line.course} height={COURSE_PX} label={`${count} records over the window`} />
      <SeverityMark severity={worst} />
      <KindMark kind={shape.kind} />
      <span className="min-w-0">
        <span className="block truncate font-mono text-code leading-[1.25rem]">
          {shape.name !== "" && <b className="mr-2 font-sans">{safeText(shape.name)}</b>}
          {shape.app && <span className="text-quiet">{safeText(shape.app)} </span>}
          <ShapeText shape={shape} example={example} />
        </span>
        <span className="block truncate text-small leading-4 text-quiet">{safeText(who)}</span>
      </span>
      <span className="text-code text-quiet">
        {isNew ? (
          <span className="font-semibold text-ochre">never before {dayMinute(usOf(shape.firstEver), zone)}</span>
        ) : (
          dayMinute(usOf(shape.firstEver), zone)
        )}
      </span>
    </div>
  );
}
