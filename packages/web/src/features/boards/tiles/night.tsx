import type { Overview } from "@halvik/contract/overview";
import { bytesText } from "@halvik/core/meaning/sentence";
import { Link } from "react-router";
import { useViewStore, usOf } from "../../../data/view-store";
import { addressOf } from "../../../data/window-url";
import { Cut } from "../../../ui/cut";
import { safeText } from "../../../ui/safe-text";
import { minute, weekday } from "../../../ui/time";

/** From so many times the usual on, or below one over it, a figure is worth a look (common practice, no source). */
const FAR = 1.5;
/** Below this a figure differs by chance. */
const FEW = 10;

type Figure = Overview["figures"][number];

/** The last night beside the nights before it: each figure leads to its records. */
export function NightTile({ made: { night, figures } }: { made: Pick<Overview, "night" | "figures"> }) {
  const zone = useViewStore((s) => s.zone);
  const hours = `${minute(usOf(night.from), zone)} – ${minute(usOf(night.to), zone)}`;
  if (figures.length === 0)
    return <p className="text-ui text-quiet">Nothing to count last night or in the nights before ({hours}).</p>;
  const window = { spanUs: usOf(night.to) - usOf(night.from), endUs: usOf(night.to) };
  const link = (filter: string) => {
    const params = new URLSearchParams({ filter });
    for (const [name, value] of Object.entries(addressOf(window))) if (value !== null) params.set(name, value);
    return `/records?${params}`;
  };
  return (
    <>
      <table className="w-full table-fixed text-ui" aria-label="Last night against usual">
        <thead>
          <tr className="text-right text-small text-quiet">
            <th className="text-left font-normal" scope="col">
              what
            </th>
            <th className="w-[4.875rem] font-normal" scope="col">
              last night
            </th>
            <th className="w-[4.5rem] font-normal" scope="col">
              usual
            </th>
            <th className="w-[3.75rem] font-normal @max-xs:hidden" scope="col">
              <span className="sr-only">the nights, the last one at the right</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {figures.map((f) => {
            const far = isFar(f);
            return (
              <tr key={f.name} className="border-t border-line">
                <th scope="row" className="py-0.5 text-left font-normal">
                  <Cut text={f.name}>{f.filter === "" ? f.name : <Link to={link(f.filter)}>{f.name}</Link>}</Cut>
                </th>
                <td
                  className={`text-right tabular-nums ${far ? "font-semibold text-ochre" : ""} ${f.lastNight === null ? "text-quiet" : ""}`}
                >
                  {f.lastNight === null ? "counting …" : amount(f, f.lastNight)}
                </td>
                <td className="text-right text-quiet tabular-nums">
                  {f.usual === null ? "not known" : amount(f, f.usual)}
                </td>
                <td className="pl-2 @max-xs:hidden">
                  <Bars values={[...f.before, f.lastNight]} />
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
      <p className="text-small text-quiet">{hours}, against the median of the nights before</p>
    </>
  );
}

const amount = ({ unit }: Pick<Figure, "unit">, value: number): string =>
  unit === "bytes" ? bytesText(value) : Math.round(value).toLocaleString("en");

function isFar({ usual, lastNight }: Figure): boolean {
  if (usual === null || lastNight === null || Math.max(usual, lastNight) < FEW) return false;
  return lastNight > usual * FAR || lastNight < usual / FAR;
}

const BAR = 6;
const BAR_GAP = 2;
const BARS_HEIGHT = 14;

/** A few values as bars, the last one in full ink; what is not known is a gap. */
function Bars({ values }: { values: readonly (number | null)[] }) {
  const most = Math.max(1, ...values.map((v) => v ?? 0));
  return (
    <svg width={values.length * (BAR + BAR_GAP)} height={BARS_HEIGHT} aria-hidden className="inline-block align-middle">
      {values.map((v, i) => {
        const height = v === null ? 0 : Math.max(1, (v / most) * BARS_HEIGHT);
        return (
          <rect
            key={i}
            x={i * (BAR + BAR_GAP)}
            y={BARS_HEIGHT - height}
            width={BAR}
            height={height}
            fill="var(--ink)"
            opacity={i === values.length - 1 ? 0.85 : 0.3}
          />
        );
      })}
    </svg>
  );
}

/** Each site: how many of its senders are silent, and what it sent in the night. */
export function SitesTile({ made: { sites } }: { made: Pick<Overview, "sites"> }) {
  if (sites.length === 0) return <p className="text-ui text-quiet">No sender is at a site yet.</p>;
  return (
    <table className="w-full table-fixed text-ui" aria-label="Sites">
      <thead>
        <tr className="text-right text-small text-quiet">
          <th className="text-left font-normal" scope="col">
            site
          </th>
          <th className="w-[5.75rem] font-normal @max-xs:w-14" scope="col">
            senders
          </th>
          <th className="w-[4.625rem] font-normal @max-xs:w-18" scope="col">
            last night
          </th>
          <th className="w-[4rem] font-normal @max-xs:w-12" scope="col">
            usual
          </th>
        </tr>
      </thead>
      <tbody>
        {sites.map((s) => (
          <tr key={s.site} className="border-t border-line">
            <th scope="row" className="py-0.5 text-left font-normal">
              <Cut text={safeText(s.site)}>{safeText(s.site)}</Cut>
            </th>
            <td className={`text-right tabular-nums ${s.silent > 0 ? "font-semibold text-ochre" : ""}`}>
              {s.silent > 0 ? `${s.silent} of ${s.senders} silent` : s.senders}
            </td>
            <td className="text-right tabular-nums">{Math.round(s.lastNight).toLocaleString("en")}</td>
            <td className="text-right text-quiet tabular-nums">
              {s.usual === null ? "not known" : Math.round(s.usual).toLocaleString("en")}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

const DAY_HEIGHT = 34;

/** Incidents raised by day: error or worse in full ink. */
export function IncidentDaysTile({ made: { incidents } }: { made: Pick<Overview, "incidents"> }) {
  const zone = useViewStore((s) => s.zone);
  const most = Math.max(1, ...incidents.map((d) => d.raised));
  return (
    <>
      <ol className="flex justify-between gap-1 text-center text-small" aria-label="Incidents a day">
        {incidents.map((d) => (
          <li key={d.from} className="flex-1">
            <span className="tabular-nums">{d.raised}</span>
            <span aria-hidden className="relative block border-b border-line-strong" style={{ height: DAY_HEIGHT }}>
              <span
                className="absolute bottom-0 left-1/2 w-4 -translate-x-1/2 bg-ink/30"
                style={{ height: (d.raised / most) * DAY_HEIGHT }}
              />
              <span
                className="absolute bottom-0 left-1/2 w-4 -translate-x-1/2 bg-ink/80"
                style={{ height: (d.errors / most) * DAY_HEIGHT }}
              />
            </span>
            <span className="text-quiet">{weekday(usOf(d.from), zone)}</span>
            <span className="sr-only">, {d.errors} of them error or worse</span>
          </li>
        ))}
      </ol>
      <p className="text-small text-quiet">
        raised; dark: error or worse · <Link to="/load">alarm load</Link>
      </p>
    </>
  );
}
