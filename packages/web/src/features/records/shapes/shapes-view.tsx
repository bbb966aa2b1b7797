import { SHAPE_ORDERS, type ShapeOrder } from "@halvik/contract/shapes";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import type { WindowParts } from "../../../data/api";
import { shapesQuery } from "../../../data/shape-queries";
import { usePageKeys } from "../../../navigation/keys";
import { addressed, type SetParam } from "../../../shared/use-address";
import { EmptyState, Trouble } from "../../../ui/empty-state";
import { ShapeList } from "./shape-list";

const FIRST = 200;
const MOST = 1_000;

/** The order that an address asks for. */
const readOrder = (text: string | null): ShapeOrder => SHAPE_ORDERS.find((o) => o === text) ?? "most";

interface ShapesViewProps {
  readonly window: WindowParts;
  /** Null: the filter has a mistake in it. */
  readonly filter: string | null;
  readonly zone: string;
  readonly params: URLSearchParams;
  readonly setParam: SetParam;
  readonly onOnly: (part: string) => void;
  readonly onWithout: (part: string) => void;
}

/** The records of the window folded to what they say. */
export function ShapesView({ window, filter, zone, params, setParam, onOnly, onWithout }: ShapesViewProps) {
  const order = readOrder(params.get("shapes"));
  const [limit, setLimit] = useState(FIRST);
  const { data, error } = useQuery({
    ...shapesQuery(window, filter ?? "", zone, order, limit),
    enabled: filter !== null,
  });
  const selected = params.get("shape") === null ? null : Number(params.get("shape"));
  const select = (shape: number) => setParam({ shape: String(shape), record: null });
  const move = (by: number) => {
    const shapes = data?.shapes ?? [];
    const at = shapes.findIndex((s) => String(s.shape.id) === addressed("shape"));
    const next = shapes[at < 0 ? 0 : Math.min(Math.max(at + by, 0), shapes.length - 1)];
    if (next) select(next.shape.id);
  };
  usePageKeys({
    j: () => move(1),
    k: () => move(-1),
    ArrowDown: () => move(1),
    ArrowUp: () => move(-1),
    Enter: () => selected === null && move(0),
    Escape: () => setParam({ shape: null }),
    w: () => selected !== null && onOnly(`shape is ${selected}`),
    o: () => selected !== null && onWithout(`shape is ${selected}`),
  });
  if (error) return <Trouble error={error} what="The shapes cannot be shown" />;
  if (!data) return <p className="py-2 text-ui text-quiet">folding alike messages …</p>;
  if (data.shapes.length === 0)
    return (
      <EmptyState
        title="No shapes here"
        text={
          data.without > 0
            ? "The records of this window came before shapes were recorded; what arrives now has one."
            : "No record of the window matches, or only flows do, which are counts and say nothing."
        }
      />
    );
  return (
    <ShapeList
      answer={data}
      order={order}
      onOrder={(o) => setParam({ shapes: o === "most" ? null : o })}
      selected={selected}
      onSelect={select}
      onMore={() => setLimit(MOST)}
    />
  );
}
