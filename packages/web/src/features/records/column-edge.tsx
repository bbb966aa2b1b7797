import { type KeyboardEvent, type PointerEvent, useRef } from "react";
import { clampWidth } from "./columns";

const STEP_PX = 16;

/** The right edge of a column's head: drawn with the pointer or moved by the arrow keys; Home gives its usual width back. */
export function ColumnEdge({ name, onWidth }: { name: string; onWidth: (name: string, px: number | null) => void }) {
  const edge = useRef<HTMLSpanElement>(null);
  const drawn = useRef<{ x: number; width: number } | null>(null);
  const width = () => edge.current?.parentElement?.getBoundingClientRect().width ?? 0;
  const onPointerDown = (e: PointerEvent) => {
    e.preventDefault();
    edge.current?.setPointerCapture(e.pointerId);
    drawn.current = { x: e.clientX, width: width() };
  };
  const onPointerMove = (e: PointerEvent) => {
    if (drawn.current) onWidth(name, clampWidth(drawn.current.width + e.clientX - drawn.current.x));
  };
  const onKeyDown = (e: KeyboardEvent) => {
    const by = { ArrowLeft: -STEP_PX, ArrowRight: STEP_PX }[e.key];
    if (by === undefined && e.key !== "Home") return;
    e.preventDefault();
    onWidth(name, by === undefined ? null : clampWidth(width() + by));
  };
  return (
    // biome-ignore lint/a11y/useSemanticElements: a rule of the document is not moved
    <span
      ref={edge}
      role="separator"
      aria-orientation="vertical"
      aria-label={`Width of ${name}`}
      aria-valuenow={Math.round(width())}
      tabIndex={0}
      onPointerDown={onPointerDown}
      onPointerMove={onPointerMove}
      onPointerUp={() => {
        drawn.current = null;
      }}
      onDoubleClick={() => onWidth(name, null)}
      onKeyDown={onKeyDown}
      className="absolute top-0 -right-1.5 h-full w-2 cursor-col-resize border-r border-line hover:border-fjord"
    />
  );
}
