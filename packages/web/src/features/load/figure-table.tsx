import type { LoadAnswer } from "@halvik/contract/load";
import { Tooltip } from "../../ui/tooltip";

type Figure = LoadAnswer["figures"][number];

const INK: Readonly<Record<Figure["band"], string>> = {
  good: "text-ink",
  bearable: "font-semibold text-ochre",
  "too much": "font-semibold text-vermilion",
};

/** A number as it is read: whole where it is one, shares in percent. */
export const figureText = (value: number, unit: Figure["unit"]): string =>
  unit === "share"
    ? `${(value * 100).toFixed(value > 0 && value < 0.1 ? 1 : 0)} %`
    : value.toLocaleString("en", { maximumFractionDigits: value < 10 ? 1 : 0 });

/** Each figure with what is published about it: how far it may go, and by whom. */
export function FigureTable({ figures }: { figures: readonly Figure[] }) {
  return (
    <table className="w-full table-fixed text-ui" aria-label="Figures of the load against published ones">
      <thead>
        <tr className="text-right text-small text-quiet">
          <th className="text-left font-normal" scope="col">
            alarms
          </th>
          <th className="w-16 font-normal" scope="col">
            here
          </th>
          <th className="w-36 font-normal" scope="col">
            <span className="sr-only">against the limits</span>
          </th>
          <th className="w-16 font-normal" scope="col">
            good to
          </th>
          <th className="w-20 font-normal" scope="col">
            bearable to
          </th>
        </tr>
      </thead>
      <tbody>
        {figures.map((f) => (
          <tr key={f.name} className="border-t border-line">
            <th scope="row" className="py-0.5 text-left font-normal">
              <Tooltip text={f.source}>
                <span className="underline decoration-dotted underline-offset-2">{f.name}</span>
              </Tooltip>
              <span className="sr-only">, by {f.source}</span>
            </th>
            <td className={`text-right tabular-nums ${INK[f.band]}`}>
              {figureText(f.value, f.unit)}
              {f.band !== "good" && <span className="sr-only">, {f.band}</span>}
            </td>
            <td className="pl-3">
              <Gauge figure={f} />
            </td>
            <td className="text-right text-quiet tabular-nums">{figureText(f.good, f.unit)}</td>
            <td className="text-right text-quiet tabular-nums">{figureText(f.bearable, f.unit)}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

const WIDTH = 120;

/** The figure as a bar, with marks where good and bearable end; one that leaves the scale ends in an arrow. */
function Gauge({ figure: { value, good, bearable, band } }: { figure: Figure }) {
  const most = Math.max(bearable * 1.5, 1e-9);
  const x = (n: number) => Math.min(1, n / most) * (WIDTH - 8);
  const isBeyond = bearable === 0 ? value > 0 : value > most;
  const end = bearable === 0 ? (value > 0 ? WIDTH - 8 : 0) : x(value);
  const fill = band === "good" ? "var(--ink)" : band === "bearable" ? "var(--ochre)" : "var(--vermilion)";
  return (
    <svg width={WIDTH} height={14} aria-hidden="true" className="block">
      <path d={`M0 7H${WIDTH - 8}`} stroke="var(--line)" strokeWidth={1} />
      <path d={`M0 7H${end}`} stroke={fill} strokeWidth={6} />
      {isBeyond && <path d={`M${WIDTH - 8} 3l6 4l-6 4z`} fill={fill} />}
      {bearable > 0 &&
        [good, bearable].map((n) => <path key={n} d={`M${x(n)} 1V13`} stroke="var(--ink)" strokeWidth={1} />)}
    </svg>
  );
}
