import { TextButton } from "../../ui/button";
import { LINK } from "../../ui/look";
import { Popover } from "../../ui/popover";
import { Select } from "../../ui/select";
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
  const act = `px-1.5 ${LINK}`;
  return (
    <Popover label="Columns" trigger={<TextButton>columns</TextButton>}>
      <p className="mb-1 text-small text-quiet">After time, severity, kind and sender, from left to right:</p>
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
              aria-label={`Remove ${c.name}`}
              onClick={() => onChange(columns.filter((o) => o.name !== c.name))}
            >
              remove
            </button>
          </li>
        ))}
      </ol>
      <div className="mt-2 flex items-center justify-between gap-2">
        <Select
          label="Add a column"
          value=""
          placeholder="add a column …"
          options={others}
          onChange={(name) => onChange([...columns, { name, width: null }])}
          className="flex-1"
        />
        <button type="button" className={act} disabled={!chosen} onClick={() => onChange(null)}>
          Reset
        </button>
      </div>
    </Popover>
  );
}
