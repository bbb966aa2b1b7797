import type { ReactNode } from "react";

/** A few rows of figures that need no sorting. */
export const PlainTable = ({
  label,
  heads,
  rows,
}: {
  label: string;
  heads: readonly string[];
  rows: readonly ReactNode[][];
}) =>
  rows.length === 0 ? (
    <p className="text-ui text-quiet">Nothing in this window.</p>
  ) : (
    <div className="overflow-x-auto">
      <table aria-label={label} className="border-collapse text-ui">
        <thead>
          <tr className="text-left text-small text-quiet">
            {heads.map((h) => (
              <th key={h} scope="col" className="py-0.5 pr-6 font-normal">
                {h}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.map((cells, i) => (
            <tr key={i} className="border-t border-line">
              {cells.map((cell, j) => (
                <td key={heads[j]} className={`py-0.5 pr-6 whitespace-nowrap ${j === 0 ? "font-mono text-code" : ""}`}>
                  {cell}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
