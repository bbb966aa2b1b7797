import { countFromJson } from "@halvik/core/model/record";
import { quoteIfNeeded } from "@halvik/core/query/filter";
import type { Amount } from "@halvik/core/query/measure";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { matrixQuery } from "../../data/api";
import { usOf } from "../../data/view-store";
import { NamedText } from "../../shared/address-names";
import { VALUE_FIELDS } from "../../shared/value-fields";
import { safeText } from "../../ui/safe-text";
import { Select } from "../../ui/select";
import { dayMinute } from "../../ui/time";
import { Tooltip } from "../../ui/tooltip";
import { amountText } from "./measure";
import type { ValueScope } from "./value-scope";

export const MATRIX_DEFAULT: readonly [string, string] = ["src", "dst port"];

/** The fields of a matrix as an address has them. */
export function readMatrix(text: string | null): readonly [string, string] | null {
  const [rows, columns] = (text ?? "").split("~");
  const known = (name: string | undefined): name is string => (VALUE_FIELDS as readonly string[]).includes(name ?? "");
  return known(rows) && known(columns) ? [rows, columns] : null;
}

interface ValueMatrixProps extends ValueScope {
  readonly fields: readonly [rows: string, columns: string];
  readonly onFields: (fields: readonly [rows: string, columns: string]) => void;
}

/** Two fields together: how often each value of one comes with each of the other. A cell asks for both. */
export function ValueMatrix({ window, filter, zone, measure, fields, onFields, onOnly }: ValueMatrixProps) {
  // values that are told apart do not add up: the pairs themselves are counted then
  const by: Amount = measure.by === "distinct" ? "records" : measure.by;
  const [rows, columns] = fields;
  const { data, error } = useQuery(matrixQuery(window, filter, zone, { rows, columns }, by));
  const [sort, setSort] = useState<number | null>(null);
  const number = (amount: number | string) => Number(countFromJson(amount));
  const order = (data?.rows ?? []).map((_, i) => i);
  if (sort !== null && data)
    order.sort((a, b) => number(data.cells[b]![sort] ?? 0) - number(data.cells[a]![sort] ?? 0));
  const most = Math.max(1, ...(data?.cells.flat().map(number) ?? []));
  return (
    <div className="border-b border-line-strong py-1.5">
      <div className="flex items-center gap-1.5 pb-1">
        <Select label="Rows" value={rows} onChange={(v) => onFields([v, columns])} options={VALUE_FIELDS} />
        <span className="text-quiet">×</span>
        <Select label="Columns" value={columns} onChange={(v) => onFields([rows, v])} options={VALUE_FIELDS} />
      </div>
      {error && <p className="text-vermilion">{safeText(error.message)}</p>}
      {!data && !error && <p className="text-quiet">counting …</p>}
      {data && data.rows.length === 0 && <p className="text-quiet">no record here has both</p>}
      {data && data.rows.length > 0 && (
        <table className="w-full table-fixed text-small leading-[1.1875rem]" aria-label={`${rows} by ${columns}`}>
          <thead>
            <tr className="text-quiet">
              <th className="w-[7.375rem] text-left font-normal">
                <button type="button" onClick={() => setSort(null)} className="hover:text-ink">
                  {rows}
                </button>
              </th>
              {data.columns.map((c, j) => (
                <th
                  key={c.value}
                  className="truncate pl-1 text-right font-normal"
                  aria-sort={sort === j ? "descending" : "none"}
                >
                  <Tooltip text={`${columns} is ${c.label}: ${amountText({ by }, c.total)}`}>
                    <button
                      type="button"
                      onClick={() => setSort(j)}
                      className={`max-w-full truncate font-mono hover:text-fjord ${sort === j ? "text-ink" : ""}`}
                    >
                      {safeText(c.label)}
                      {sort === j && " ↓"}
                    </button>
                  </Tooltip>
                </th>
              ))}
              <th className="pl-1 text-right font-normal" aria-sort={sort === null ? "descending" : "none"}>
                all
              </th>
            </tr>
          </thead>
          <tbody>
            {order.map((i) => {
              const row = data.rows[i]!;
              return (
                <tr key={row.value}>
                  <th className="truncate text-left font-mono font-normal">
                    <Tooltip text={`${rows} is ${row.label}`}>
                      <button
                        type="button"
                        onClick={() => onOnly(`${rows} is ${quoteIfNeeded(row.label)}`)}
                        className="max-w-full truncate hover:text-fjord"
                      >
                        <NamedText>{row.label}</NamedText>
                      </button>
                    </Tooltip>
                  </th>
                  {data.columns.map((c, j) => {
                    const amount = data.cells[i]![j]!;
                    return (
                      <td key={c.value} className="pl-1 text-right whitespace-nowrap tabular-nums">
                        {number(amount) > 0 && (
                          <button
                            type="button"
                            onClick={() =>
                              onOnly(
                                `${rows} is ${quoteIfNeeded(row.label)} and ${columns} is ${quoteIfNeeded(c.label)}`,
                              )
                            }
                            className="px-0.5 hover:text-fjord"
                            style={{
                              background: `color-mix(in srgb, var(--ink) ${Math.round((18 * number(amount)) / most)}%, transparent)`,
                            }}
                          >
                            {amountText({ by }, amount)}
                          </button>
                        )}
                      </td>
                    );
                  })}
                  <td className="pl-1 text-right whitespace-nowrap text-quiet tabular-nums">
                    {amountText({ by }, row.total)}
                  </td>
                </tr>
              );
            })}
          </tbody>
          <tfoot>
            <tr className="border-t border-line text-quiet">
              <th className="text-left font-normal">
                all{data.distinctRows > data.rows.length && ` ${data.distinctRows.toLocaleString("en")}`}
              </th>
              {data.columns.map((c) => (
                <td key={c.value} className="pl-1 text-right whitespace-nowrap tabular-nums">
                  {amountText({ by }, c.total)}
                </td>
              ))}
              <td />
            </tr>
          </tfoot>
        </table>
      )}
      {data && data.distinctColumns > data.columns.length && (
        <p className="text-small text-quiet">
          {data.columns.length} of {data.distinctColumns.toLocaleString("en")} values of {columns} are shown.
        </p>
      )}
      {data && !data.exact && (
        <p className="text-ochre">of the newest records, back to {dayMinute(usOf(data.coveredFrom), zone)}</p>
      )}
      {measure.by === "distinct" && <p className="text-small text-quiet">Two fields are counted by records.</p>}
    </div>
  );
}
