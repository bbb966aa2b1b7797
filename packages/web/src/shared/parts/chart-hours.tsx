import type { Measured } from "@halvik/contract/reports";
import { sayValue, type Unit } from "@halvik/core/report";

const DAYS = ["Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday"];
const HOURS = Array.from({ length: 24 }, (_, h) => `${String(h).padStart(2, "0")}:00`);

/** Hours of the day by days of the week, the darker the more; a table for who reads it so. */
export function HoursChart({ measured: m }: { measured: Measured }) {
  const unit = m.unit as Unit;
  const cells = new Map(m.rows.map((r) => [r.labels.join(" "), r.value]));
  const most = Math.max(0, ...m.rows.map((r) => Number(r.value ?? 0)));
  return (
    <div className="overflow-x-auto">
      <table className="border-separate border-spacing-px text-micro">
        <caption className="sr-only">{m.says}</caption>
        <thead>
          <tr>
            <td />
            {HOURS.map((h, i) => (
              <th key={h} scope="col" aria-label={h} className="text-left font-normal text-quiet">
                {i % 6 === 0 ? h : ""}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {DAYS.map((d) => (
            <tr key={d}>
              <th scope="row" className="pr-2 text-right font-normal text-quiet">
                {d.slice(0, 3)}
              </th>
              {HOURS.map((h) => {
                const value = cells.get(`${d} ${h}`) ?? null;
                const part = most === 0 ? 0 : Number(value ?? 0) / most;
                return (
                  <td
                    key={h}
                    className="relative h-4.5 w-7 min-w-5 bg-wash"
                    aria-label={`${d} ${h}: ${sayValue(value ?? 0, unit)}`}
                  >
                    <span
                      className="absolute inset-0 bg-ink"
                      style={{ opacity: part === 0 ? 0 : 0.08 + 0.92 * part }}
                    />
                  </td>
                );
              })}
            </tr>
          ))}
        </tbody>
      </table>
      <p className="mt-1 text-small text-quiet">most in an hour of the week: {sayValue(most, unit)}</p>
    </div>
  );
}
