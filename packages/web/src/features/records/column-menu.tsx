import { Popover } from "radix-ui";
import type { ChosenColumn } from "./columns";
import { COLUMN_NAMES } from "./list-columns";

interface ColumnMenuProps {
  readonly columns: readonly ChosenColumn[];
  /** Whether they are others than usual. */
  readonly chosen: boolean;
  readonly onChange: (columns: readonly ChosenColumn[] | null) => void;
}

/** Which columns the list has, and in which order. */
export function ColumnMenu({ columns, chosen, onChange }: ColumnMenuProps) {
  const others = COLUMN_NAMES.filter((name) => !columns.some((c) => c.name === name));
  const moved = (at: number, by: number) => {
    const next = [...columns];
    const [column] = next.splice(at, 1);
    next.splice(at + by, 0, column!);
    onChange(next);
  };
  const act = "px-1.5 text-fjord disabled:text-line-strong";
  return (
    <Popover.Root>
      <Popover.Trigger className="text-fjord">columns</Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="end"
          aria-label="Columns"
          className="z-20 w-80 rounded-[2px] border border-line-strong bg-sheet p-3 text-[13px] shadow-lg"
        >
          <p className="mb-1 text-[12px] text-quiet">After time, severity, kind and sender, from left to right:</p>
          <ol>
            {columns.map((c, i) => (
              <li key={c.name} className="flex items-center border-b border-line py-0.5">
                <span className="flex-1 truncate">{c.name}</span>
                <button
                  type="button"
                  className={act}
                  disabled={i === 0}
                  aria-label={`${c.name} further left`}
                  onClick={() => moved(i, -1)}
                >
                  ↑
                </button>
                <button
                  type="button"
                  className={act}
                  disabled={i === columns.length - 1}
                  aria-label={`${c.name} further right`}
                  onClick={() => moved(i, 1)}
                >
                  ↓
                </button>
                <button
                  type="button"
                  className={act}
                  disabled={columns.length === 1}
                  aria-label={`Leave out ${c.name}`}
                  onClick={() => onChange(columns.filter((o) => o.name !== c.name))}
                >
                  leave out
                </button>
              </li>
            ))}
          </ol>
          <div className="mt-2 flex items-center justify-between gap-2">
            <select
              aria-label="Add a column"
              value=""
              onChange={(e) => onChange([...columns, { name: e.target.value, width: null }])}
              className="min-w-0 flex-1 rounded-[2px] border border-line-strong bg-sheet px-2 py-1"
            >
              <option value="">add a column …</option>
              {others.map((name) => (
                <option key={name}>{name}</option>
              ))}
            </select>
            <button type="button" className={act} disabled={!chosen} onClick={() => onChange(null)}>
              as usual
            </button>
          </div>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
