import type { TileAnswer } from "@halvik/contract/boards";
import type { Measured } from "@halvik/contract/reports";
import { sayChange, sayUnit, sayValue, type Unit } from "@halvik/core/report";
import { Link } from "react-router";
import { behind } from "../../../shared/parts/behind";
import { Cut } from "../../../ui/cut";
import { safeText } from "../../../ui/safe-text";

interface RowsProps {
  readonly measured: Measured;
  readonly window: TileAnswer["window"];
}

/** Rows of a measure where there is little room: name, bar, value, and how it changed. */
export function TileRows({ measured: m, window }: RowsProps) {
  const unit = m.unit as Unit;
  const most = Math.max(0, ...m.rows.map((r) => Math.max(Number(r.value ?? 0), Number(r.before ?? 0))));
  if (m.rows.length === 0) return <p className="text-ui text-quiet">Nothing in this window.</p>;
  return (
    <table className="w-full table-fixed text-ui">
      <caption className="sr-only">{m.says}</caption>
      {/* the headings nobody sees would give every column the same room */}
      <colgroup>
        <col />
        <col className="w-[20%] @max-xs:hidden" />
        <col className="w-18" />
        {m.total.before !== undefined && <col className="w-16" />}
      </colgroup>
      <thead className="sr-only">
        <tr>
          <th scope="col">{m.headings.join(", ")}</th>
          <th scope="col" className="@max-xs:hidden">
            as a bar
          </th>
          <th scope="col">{sayUnit(m.unit)}</th>
          <th scope="col">change</th>
        </tr>
      </thead>
      <tbody>
        {m.rows.map((r) => {
          const name = r.labels.map(safeText).join(" · ");
          return (
            <tr key={r.labels.join("\n")} className="border-t border-line first:border-t-0">
              <th scope="row" className="py-0.5 text-left font-normal">
                <Cut text={name}>{r.filter === null ? name : <Link to={behind(m, window, r.filter)}>{name}</Link>}</Cut>
              </th>
              <td className="relative px-2 @max-xs:hidden">
                <span
                  className={`block h-2 ${r.exact ? "bg-ink/70" : "hatched"}`}
                  style={{ width: `${most === 0 ? 0 : (100 * Number(r.value ?? 0)) / most}%` }}
                />
                {Number(r.before ?? 0) > 0 && (
                  <span className="absolute inset-x-2 inset-y-1">
                    <span
                      className="absolute inset-y-0 w-px bg-fjord"
                      style={{ left: `${(100 * Number(r.before)) / most}%` }}
                    />
                  </span>
                )}
              </td>
              <td className="text-right whitespace-nowrap tabular-nums">
                {r.exact ? "" : "≈ "}
                {sayValue(r.value, unit)}
              </td>
              {m.total.before !== undefined && (
                <td className="text-right whitespace-nowrap text-quiet tabular-nums">{sayChange(r.value, r.before)}</td>
              )}
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}
