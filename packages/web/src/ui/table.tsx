import {
  type Column,
  type ColumnDef,
  type ColumnPinningState,
  flexRender,
  getCoreRowModel,
  getSortedRowModel,
  type Header,
  type SortingState,
  useReactTable,
} from "@tanstack/react-table";
import { type KeyboardEvent, useEffect, useRef, useState } from "react";

export type { ColumnDef } from "@tanstack/react-table";

interface TableProps<Row> {
  readonly label: string;
  readonly rows: readonly Row[];
  readonly columns: readonly ColumnDef<Row>[];
  readonly rowId: (row: Row) => string;
  /** The first columns that stay in sight. */
  readonly pinned?: readonly string[];
  readonly sortedBy?: SortingState;
  readonly chosen?: string | null;
  /** What enter and a click on a row do. */
  readonly onOpen?: (row: Row) => void;
}

const LEAST_WIDTH = 40;
const MOST_WIDTH = 2000;
const STEP = 16;

/**
 * A table one can work with: a heading sorts (again: the other way; a third time: as it came), its edge changes the width by drag or by
 * arrow keys, a double click fits it to its content; arrow keys go from row to row, enter opens.
 */
export function Table<Row>({
  label,
  rows,
  columns,
  rowId,
  pinned = [],
  sortedBy = [],
  chosen,
  onOpen,
}: TableProps<Row>) {
  const [sorting, setSorting] = useState<SortingState>(sortedBy);
  const [columnPinning] = useState<ColumnPinningState>({ left: [...pinned] });
  const [at, setAt] = useState(0);
  const body = useRef<HTMLTableSectionElement>(null);
  const table = useReactTable({
    data: rows as Row[],
    columns: columns as ColumnDef<Row>[],
    getRowId: rowId,
    state: { sorting, columnPinning },
    onSortingChange: setSorting,
    columnResizeMode: "onChange",
    defaultColumn: { minSize: LEAST_WIDTH },
    getCoreRowModel: getCoreRowModel(),
    getSortedRowModel: getSortedRowModel(),
  });
  // it fills its place, each column with its share, until somebody sets a width
  const isSized = Object.keys(table.getState().columnSizing).length > 0;
  const widthOf = (column: Column<Row>): number | string =>
    isSized ? column.getSize() : `${(100 * column.getSize()) / table.getTotalSize()}%`;
  const shown = table.getRowModel().rows;
  useEffect(() => {
    // what is chosen elsewhere comes into sight
    const index = chosen == null ? -1 : shown.findIndex((r) => r.id === chosen);
    if (index >= 0) body.current?.rows[index]?.scrollIntoView?.({ block: "nearest" });
  }, [chosen]);
  const go = (to: number) => {
    const next = Math.max(0, Math.min(shown.length - 1, to));
    setAt(next);
    body.current?.rows[next]?.focus();
  };
  const onKey = (e: KeyboardEvent, i: number) => {
    const to = { ArrowDown: i + 1, ArrowUp: i - 1, Home: 0, End: shown.length - 1, PageDown: i + 10, PageUp: i - 10 }[
      e.key
    ];
    if (to !== undefined) go(to);
    else if (e.key === "Enter" && e.target === e.currentTarget) onOpen?.(shown[i]!.original);
    else return;
    e.preventDefault();
  };
  const pinLeft = (header: Pick<Header<Row, unknown>, "column">) =>
    header.column.getIsPinned() ? { position: "sticky" as const, left: header.column.getStart("left"), zIndex: 1 } : {};
  return (
    // narrower than its columns need, it scrolls by itself; the page does not
    <div className="overflow-x-auto">
      <table
        aria-label={label}
        className="table-fixed border-collapse text-ui"
        style={
          isSized ? { width: table.getTotalSize() } : { width: "100%", minWidth: table.getTotalSize() * LEAST_SHARE }
        }
      >
        <thead>
          {table.getHeaderGroups().map((group) => (
            <tr key={group.id} className="text-left text-small text-quiet">
              {group.headers.map((header) => (
                <Heading key={header.id} header={header} width={widthOf(header.column)} style={pinLeft(header)} />
              ))}
            </tr>
          ))}
        </thead>
        <tbody ref={body}>
          {shown.map((row, i) => (
            <tr
              key={row.id}
              tabIndex={i === Math.min(at, shown.length - 1) ? 0 : -1}
              aria-selected={chosen === row.id}
              onFocus={() => setAt(i)}
              onKeyDown={(e) => onKey(e, i)}
              onClick={() => onOpen?.(row.original)}
              className={`border-b border-line align-top ${onOpen ? "cursor-pointer hover:bg-wash" : ""} ${chosen === row.id ? "bg-fjord-wash" : "bg-paper"}`}
            >
              {row.getVisibleCells().map((cell) => (
                <td
                  key={cell.id}
                  className={`overflow-hidden py-0.5 pr-3 ${cell.column.getIsPinned() ? "bg-inherit" : ""} ${alignment(cell.column.columnDef)}`}
                  style={pinLeft(cell)}
                >
                  {flexRender(cell.column.columnDef.cell, cell.getContext())}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
        {shown.length > 1 && table.getVisibleLeafColumns().some((c) => footOf(c.columnDef)) && (
          <tfoot>
            <tr className="text-small text-quiet">
              {table.getVisibleLeafColumns().map((column, i) => (
                <td key={column.id} className={`py-0.5 pr-3 ${alignment(column.columnDef)}`}>
                  {footOf(column.columnDef)?.(shown.map((r) => r.original)) ?? (i === 0 ? "in all" : "")}
                </td>
              ))}
            </tr>
          </tfoot>
        )}
      </table>
    </div>
  );
}

/** To so much of their widths columns may be drawn together. */
const LEAST_SHARE = 0.66;

const alignment = (column: { readonly meta?: unknown }): string =>
  (column.meta as { align?: "right" } | undefined)?.align === "right" ? "text-right" : "";

/** What stands under a column, made of all its rows: a sum. */
interface Foot<Row> {
  readonly foot: (rows: readonly Row[]) => string;
}
const footOf = <Row,>(column: ColumnDef<Row>): Foot<Row>["foot"] | undefined =>
  (column.meta as Partial<Foot<Row>> | undefined)?.foot;

const ARIA_SORT = { asc: "ascending", desc: "descending" } as const;
const SORT_MARK = { asc: "↑", desc: "↓" } as const;

function Heading<Row>({
  header,
  width,
  style,
}: {
  header: Header<Row, unknown>;
  width: number | string;
  style: object;
}) {
  const { column } = header;
  const cell = useRef<HTMLTableCellElement>(null);
  const sorted = column.getIsSorted();
  const { setColumnSizing } = header.getContext().table;
  /** What all columns measure on screen: from there on they keep what they have. */
  const onScreen = (): Record<string, number> =>
    Object.fromEntries(
      header.headerGroup.headers.map((h, i) => [
        h.column.id,
        (cell.current!.parentElement!.children[i] as HTMLElement).offsetWidth || h.getSize(),
      ]),
    );
  const setWidth = (width: number) =>
    setColumnSizing({ ...onScreen(), [column.id]: Math.max(LEAST_WIDTH, Math.round(width)) });
  const fit = () => {
    const index = cell.current!.cellIndex;
    const widths = [...cell.current!.closest("table")!.rows].map((r) => contentWidth(r.cells[index]!));
    setWidth(Math.max(...widths) + STEP);
  };
  const onResizeKey = (e: KeyboardEvent) => {
    if (e.key === "ArrowLeft") setWidth(onScreen()[column.id]! - STEP);
    else if (e.key === "ArrowRight") setWidth(onScreen()[column.id]! + STEP);
    else if (e.key === "Enter") fit();
    else return;
    e.preventDefault();
  };
  const name = String(column.columnDef.header ?? column.id);
  return (
    <th
      ref={cell}
      scope="col"
      aria-sort={sorted ? ARIA_SORT[sorted] : "none"}
      style={{ width, ...style }}
      className={`relative border-b border-line-strong bg-paper py-0.5 pr-3 font-normal ${alignment(column.columnDef)}`}
    >
      {column.getCanSort() ? (
        <button type="button" onClick={column.getToggleSortingHandler()} className="max-w-full truncate hover:text-ink">
          {name}
          {sorted && <span className="text-ink"> {SORT_MARK[sorted]}</span>}
        </button>
      ) : (
        name
      )}
      {/* biome-ignore lint/a11y/useSemanticElements: a movable edge between columns is a separator with a value (ARIA 1.2). */}
      <span
        role="separator"
        aria-orientation="vertical"
        aria-label={`Width of ${name}`}
        aria-valuenow={Math.round(column.getSize())}
        aria-valuemin={LEAST_WIDTH}
        aria-valuemax={MOST_WIDTH}
        tabIndex={0}
        // comes before the press that begins to drag
        onPointerDown={() => setColumnSizing(onScreen())}
        onMouseDown={header.getResizeHandler()}
        onTouchStart={header.getResizeHandler()}
        onDoubleClick={fit}
        onKeyDown={onResizeKey}
        className="absolute top-0 right-0 h-full w-2 cursor-col-resize touch-none select-none border-r border-transparent hover:border-fjord focus-visible:border-fjord"
      />
    </th>
  );
}

/** How wide what stands in a cell is, whatever the cell's own width. */
function contentWidth(cell: HTMLTableCellElement): number {
  const range = document.createRange();
  range.selectNodeContents(cell);
  return range.getBoundingClientRect().width;
}
