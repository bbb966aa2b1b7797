import type { ReactNode } from "react";
import { Link } from "react-router";
import { windowAndFilter } from "../../data/window-url";
import { safeText } from "../../ui/safe-text";

/** A line of a portrait: what, how much of it by a bar, in figures; it leads to its records. */
export interface PortraitRow {
  readonly key: string;
  readonly label: string;
  /** Stands behind the label. */
  readonly note?: ReactNode;
  /** What it is measured by against the others. */
  readonly weight: number;
  readonly figure: string;
  /** Finds its records; null: no filter can. */
  readonly filter: string | null;
}

/** A window that follows the clock moves on by so much. */
export const MINUTE_US = 60e6;
const SHOWN = 7;

interface PartProps {
  readonly title: string;
  readonly small?: string | undefined;
  readonly rows: readonly PortraitRow[];
  /** How many there are, where not all were listed. */
  readonly of?: number;
}

/** A part of a portrait. Nothing at all where it has no lines: what there is stands together. */
export function PortraitPart({ title, small, rows, of }: PartProps) {
  if (rows.length === 0) return null;
  const most = Math.max(...rows.map((r) => r.weight), 1e-9);
  const more = Math.max(of ?? 0, rows.length) - Math.min(rows.length, SHOWN);
  return (
    <PortraitSection title={title} small={small}>
      <ul className="m-0 grid list-none grid-cols-[minmax(0,1fr)_4rem_auto] gap-x-2.5 p-0 text-code leading-5">
        {rows.slice(0, SHOWN).map((row) => (
          <li key={row.key} className="col-span-3 grid grid-cols-subgrid items-baseline">
            <span className="truncate font-mono">
              <RecordsLink filter={row.filter}>{safeText(row.label)}</RecordsLink>
              {row.note}
            </span>
            <span aria-hidden className="self-center">
              <span
                className="block h-1.5 bg-ink opacity-70"
                style={{ width: `${Math.max(2, (100 * row.weight) / most)}%` }}
              />
            </span>
            <span className="min-w-16 text-right text-quiet">{row.figure}</span>
          </li>
        ))}
        {more > 0 && <li className="col-span-3 text-quiet">{more.toLocaleString("en")} more</li>}
      </ul>
    </PortraitSection>
  );
}

/** One part under its heading. */
export const PortraitSection = ({
  title,
  small,
  children,
}: {
  title: string;
  small?: string | undefined;
  children: ReactNode;
}) => (
  <section aria-label={title} className="mb-2 border-t border-line pt-1.5">
    <h2 className="text-ui leading-[1.375rem] font-semibold">
      {title}
      {small !== undefined && <small className="ml-1.5 text-code font-normal text-quiet">{small}</small>}
    </h2>
    {children}
  </section>
);

/** To the records a filter finds in the same window. */
export function RecordsLink({ filter, children }: { filter: string | null; children: ReactNode }) {
  if (filter === null) return children;
  return (
    <Link
      to={{ pathname: "/records", search: windowAndFilter(filter) }}
      className="text-ink decoration-dotted underline-offset-2"
    >
      {children}
    </Link>
  );
}
