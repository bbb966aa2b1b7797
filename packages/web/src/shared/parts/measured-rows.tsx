import type { Measured, PartAnswer } from "@halvik/contract/reports";
import { limitFrom, sayChange, sayUnit, sayValue, type Unit } from "@halvik/core/report";
import { Link } from "react-router";
import { usOf } from "../../data/view-store";
import { safeText } from "../../ui/safe-text";
import { Tooltip } from "../../ui/tooltip";
import { limitUrl } from "../limit-url";

type Row = Measured["rows"][number];

interface RowsProps {
  readonly measured: Measured;
  readonly window: PartAnswer["window"];
  /** With a bar each. */
  readonly bars: boolean;
}

/** The rows of a measure: what they have in common, how much it is, its share, how it was before. Each leads to its records. */
export function MeasuredRows({ measured: m, window, bars }: RowsProps) {
  const unit = m.unit as Unit;
  const compared = m.total.before !== undefined;
  const most = Math.max(0, ...m.rows.map((r) => Number(r.value ?? 0)), ...m.rows.map((r) => Number(r.before ?? 0)));
  if (m.rows.length === 0) return <p className="text-quiet">Nothing in this period.</p>;
  const figure = "py-0.5 pl-4 text-right whitespace-nowrap tabular-nums";
  const cells = (r: Row) => (
    <>
      <td className={figure}>
        {r.exact ? "" : "≈ "}
        {sayValue(r.value, unit)}
      </td>
      {m.addsUp && <td className={`${figure} text-quiet`}>{shareOf(m, r)}</td>}
      {compared && (
        <>
          <td className={`${figure} text-quiet`}>{sayValue(r.before ?? null, unit)}</td>
          <td className={figure}>{sayChange(r.value, r.before)}</td>
        </>
      )}
    </>
  );
  return (
    <div className="overflow-x-auto">
      <table className="w-full text-ui">
        <thead>
          <tr className="border-b border-line-strong text-quiet">
            {m.headings.map((h) => (
              <th key={h} scope="col" className="py-0.5 pr-4 text-left font-normal">
                {h}
              </th>
            ))}
            {bars && <th scope="col" className="w-2/5" aria-label="as a bar" />}
            <th scope="col" className={`${figure} font-normal`}>
              {sayUnit(m.unit)}
            </th>
            {m.addsUp && (
              <th scope="col" className={`${figure} font-normal`}>
                share
              </th>
            )}
            {compared && (
              <>
                <th scope="col" className={`${figure} font-normal`}>
                  before
                </th>
                <th scope="col" className={`${figure} font-normal`}>
                  change
                </th>
              </>
            )}
            <td />
          </tr>
        </thead>
        <tbody>
          {m.rows.map((r) => (
            <tr key={r.labels.join("\n")} className="border-b border-line">
              {r.labels.map((label, i) => (
                <td key={m.headings[i]} className="max-w-72 py-0.5 pr-4 break-words">
                  {i === 0 && r.filter !== null ? (
                    <Link
                      to={`/records?${new URLSearchParams({ filter: r.filter, from: window.from, to: window.to })}`}
                    >
                      {safeText(label)}
                    </Link>
                  ) : (
                    safeText(label)
                  )}
                </td>
              ))}
              {bars && (
                <td className="relative py-0.5">
                  <span
                    className={`block h-2.5 ${r.exact ? "bg-ink/70" : "hatched"}`}
                    style={{ width: `${most === 0 ? 0 : (100 * Number(r.value ?? 0)) / most}%` }}
                  />
                  {r.before !== undefined && Number(r.before ?? 0) > 0 && (
                    <span
                      className="absolute top-0.5 bottom-0.5 w-px bg-fjord"
                      style={{ left: `${(100 * Number(r.before)) / most}%` }}
                    />
                  )}
                </td>
              )}
              {cells(r)}
              <td className="pl-3 text-right">
                <GuardLink measured={m} row={r} window={window} />
              </td>
            </tr>
          ))}
          <tr className="text-quiet">
            <td colSpan={m.headings.length + (bars ? 1 : 0)} className="py-0.5 pr-4">
              {m.others > 0 ? `all, with ${m.others.toLocaleString("en")} more` : "all"}
              {bars && compared && <span className="ml-3 text-small">line: the period before</span>}
            </td>
            {cells(m.total)}
            <td className="pl-3 text-right">
              <GuardLink measured={m} row={m.total} window={window} />
            </td>
          </tr>
        </tbody>
      </table>
    </div>
  );
}

/** Begins a rule that guards what a row tells. */
function GuardLink({ measured: m, row, window }: { measured: Measured; row: Row; window: RowsProps["window"] }) {
  const limit = limitFrom(m.asked, row.value, (usOf(window.to) - usOf(window.from)) / 1e6);
  if (limit === null || row.filter === null) return null;
  const what = row.labels.length === 0 ? m.says : `${m.says.split(" by ")[0]}: ${row.labels.join(", ")}`;
  return (
    <Tooltip text="Tell me when there is more: a rule begins with it">
      <Link to={limitUrl(limit, row.filter, `Limit on ${what}`)} className="text-small">
        limit
      </Link>
    </Tooltip>
  );
}

const shareOf = (m: Measured, r: Row): string =>
  r.value === null || Number(m.total.value ?? 0) === 0
    ? ""
    : sayValue((100 * Number(r.value)) / Number(m.total.value), "%");
