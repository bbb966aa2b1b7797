import type { TrafficLists } from "@halvik/contract/traffic";
import { bothOf } from "@halvik/core/query/filter";
import { limitFrom } from "@halvik/core/report";
import { Link } from "react-router";
import { bounds, isoOf, useViewStore } from "../../data/view-store";
import { windowParams } from "../../data/window-url";
import { AddressName } from "../../shared/address-names";
import { limitUrl } from "../../shared/limit-url";
import { usePutOnBoard } from "../../shared/put-on-board";
import { TextButton } from "../../ui/button";
import { safeText } from "../../ui/safe-text";
import { Tooltip } from "../../ui/tooltip";
import { sayAmount } from "./amounts";
import type { Sentence } from "./asked";
import { measureOf } from "./list-measure";
import { Pivots } from "./pivots";
import { REST_WEIGHT, WEIGHTS } from "./profile";

/** What each dimension is called over its list. */
export const TITLES: Readonly<Record<TrafficLists["lists"][number]["dimension"], string>> = {
  total: "Everything",
  application: "Applications",
  protocol: "Protocols",
  source: "Who sent",
  destination: "Who received",
  pair: "Between whom",
  service: "Services",
  dscp: "Marked as (DSCP)",
  "tcp flags": "TCP flags seen",
  "packet size": "Size of packets",
  "as pair": "Between which AS",
  "ip version": "Version of IP",
  "site pair": "Between which sites",
};

interface ListProps {
  readonly list: TrafficLists["lists"][number];
  readonly sentence: Sentence;
  /** Filter for the flows of all of it. */
  readonly scope: string;
  /** The bands of the profile, where it shows this dimension. */
  readonly bands: readonly string[];
  readonly onAll: (() => void) | null;
  /** Narrows everything on the page by a filter. */
  readonly onNarrow: (filter: string) => void;
  /** Shows everything there is about an address. */
  readonly onPortrait: (address: string) => void;
}

const GRID =
  "grid grid-cols-[minmax(0,1fr)_56px_minmax(40px,120px)_3.2rem_4.6rem_4.2rem] items-center gap-x-3 @max-xl:grid-cols-[minmax(0,1fr)_3.2rem_4.6rem]";
/** What there is no room for where the lists are narrow. */
const WIDE = "@max-xl:hidden";

/** The greatest values, each with its course, share, amount and how it was a week before; the others together. */
export function TrafficListTable({ list, sentence, scope, bands, onAll, onNarrow, onPortrait }: ListProps) {
  const { measure } = sentence;
  const { rows, others } = list;
  const title = TITLES[list.dimension];
  const asMeasure = measureOf(list.dimension, sentence, scope);
  const { begin } = usePutOnBoard();
  const most = Math.max(others.share, ...rows.map((r) => r.share), 1e-9);
  const count = `${(rows.length + others.values).toLocaleString("en")}${others.atLeast ? "+" : ""}`;
  return (
    <section aria-label={TITLES[list.dimension]} className="mb-3">
      <div className="flex items-baseline justify-between">
        <h2 className="text-ui font-semibold">{TITLES[list.dimension]}</h2>
        <span className="flex gap-3">
          {asMeasure !== null && asMeasure.by.length > 0 && (
            <TextButton
              className="text-small"
              onClick={() =>
                begin([
                  {
                    label: title,
                    tile: { shows: { is: "bars", title, compare: true, measure: asMeasure }, window: null },
                  },
                ])
              }
            >
              on a board
            </TextButton>
          )}
          {onAll !== null && others.values > 0 && (
            <TextButton className="text-small" onClick={onAll}>
              all {count}
            </TextButton>
          )}
        </span>
      </div>
      {rows.length === 0 && <p className="text-ui text-quiet">Nothing in this window.</p>}
      <ul className="m-0 list-none p-0 text-ui">
        {rows.map((row) => (
          <li key={row.label} className={`${GRID} group py-px`}>
            <span className="flex min-w-0 items-center gap-1.5">
              {bands.length > 0 && <Swatch place={bands.indexOf(row.label)} />}
              <span className="truncate font-mono text-code">
                <Value row={row} scope={scope} />
                {list.dimension !== "application" && <AddressName address={row.label.split(" ")[0]} />}
                {row.unnamed && list.dimension === "application" && (
                  <Link to={{ search: unnamedSearch() }} className="ml-1.5 font-sans text-small">
                    name it
                  </Link>
                )}
              </span>
              <Pivots
                label={row.label}
                filter={row.filter}
                dimension={list.dimension}
                limit={
                  row.filter === null ? null : limitOf(sentence, scope, row.filter, row.label, row.amounts[measure])
                }
                onNarrow={onNarrow}
                onPortrait={onPortrait}
              />
            </span>
            <Course course={row.course} />
            <Bar share={row.share} most={most} />
            <span className="text-right">{percent(row.share)}</span>
            <span className="text-right">{sayAmount(row.amounts[measure], measure)}</span>
            <Change now={row.amounts[measure]} before={row.weekBefore} measure={measure} />
          </li>
        ))}
        {others.values > 0 && others.amounts[measure] > 0 && (
          <li className={`${GRID} py-px text-quiet`}>
            <span className="flex min-w-0 items-center gap-1.5">
              {bands.length > 0 && <Swatch place={-1} />}
              {others.values.toLocaleString("en")}
              {others.atLeast && " or more"} others
            </span>
            <span className={WIDE} />
            <Bar share={others.share} most={most} />
            <span className="text-right">{percent(others.share)}</span>
            <span className="text-right">{sayAmount(others.amounts[measure], measure)}</span>
            <span className={WIDE} />
          </li>
        )}
      </ul>
      {list.mayLack > 0 && onAll === null && (
        <p className="mt-1 text-small text-quiet">
          Of each step only the greatest are kept: a value may be up to {sayAmount(list.mayLack, "bytes")} more than is
          said. All together are exact.
        </p>
      )}
    </section>
  );
}

/** The address where a rule begins that tells when there is more of a row. */
function limitOf(sentence: Sentence, scope: string, filter: string, label: string, amount: number): string | null {
  const asked = measureOf("total", sentence, bothOf(scope, filter));
  const { window, nowUs } = useViewStore.getState();
  const { fromUs, toUs } = bounds(window, nowUs);
  const limit = asked === null ? null : limitFrom(asked, amount, (toUs - fromUs) / 1e6);
  if (asked === null || limit === null) return null;
  return limitUrl(limit, asked.filter, `Limit on ${sentence.measure}: ${label}`);
}

function Value({ row, scope }: { row: TrafficLists["lists"][number]["rows"][number]; scope: string }) {
  if (row.filter === null) return safeText(row.label);
  const params = new URLSearchParams(recordsWindow());
  params.set("filter", bothOf(scope, row.filter));
  return (
    <Link
      to={{ pathname: "/records", search: params.toString() }}
      className="text-ink decoration-dotted underline-offset-2"
    >
      {safeText(row.label)}
    </Link>
  );
}

/** The list of what has no name, with all else as it is. */
function unnamedSearch(): string {
  const params = new URLSearchParams(location.search);
  params.set("all", "unnamed");
  return params.toString();
}

/** A flow is a record of the moment it ended: what went on at the end of a short window is told a little later. */
const TOLD_LATER_US = 5 * 60e6;
const SHORT_US = 6 * 3_600e6;
function recordsWindow(): string {
  const { window, nowUs } = useViewStore.getState();
  const { fromUs, toUs } = bounds(window, nowUs);
  if (window.endUs === null || window.spanUs > SHORT_US) return windowParams();
  return new URLSearchParams({ from: isoOf(fromUs), to: isoOf(toUs + TOLD_LATER_US) }).toString();
}

const Swatch = ({ place }: { place: number }) => (
  <span
    aria-hidden
    className="size-2.5 shrink-0 bg-ink"
    style={{ opacity: place < 0 ? REST_WEIGHT : (WEIGHTS[place] ?? REST_WEIGHT) }}
  />
);

const Bar = ({ share, most }: { share: number; most: number }) => (
  <span aria-hidden className={`h-1.5 ${WIDE}`}>
    <span className="block h-full bg-ink opacity-75" style={{ width: `${Math.max(0.5, (share / most) * 100)}%` }} />
  </span>
);

/** Over the window, from its beginning to its end. */
function Course({ course }: { course: readonly number[] }) {
  const most = Math.max(1, ...course);
  return (
    <svg
      viewBox={`0 0 ${Math.max(1, course.length)} 14`}
      preserveAspectRatio="none"
      className={`h-3.5 w-14 ${WIDE}`}
      aria-hidden
    >
      {course.map((n, i) => (
        <rect
          key={i}
          x={i + 0.1}
          width={0.8}
          y={14 - (13.5 * n) / most}
          height={(13.5 * n) / most}
          fill="var(--ink)"
          opacity={0.45}
        />
      ))}
    </svg>
  );
}

function Change({ now, before, measure }: { now: number; before: number | null; measure: Sentence["measure"] }) {
  if (before === null) return <span className={WIDE} />;
  const said =
    before === 0 ? "new" : now >= 1.995 * before ? `× ${(now / before).toFixed(1)}` : signed(now / before - 1);
  return (
    <Tooltip
      text={
        before === 0
          ? "Nothing that was kept in the same window a week before"
          : `${sayAmount(before, measure)} in the same window a week before`
      }
    >
      <span className={`text-right text-small text-quiet ${WIDE}`}>{said}</span>
    </Tooltip>
  );
}

const percent = (share: number): string => (share < 0.01 && share > 0 ? "< 1 %" : `${Math.round(100 * share)} %`);
const signed = (change: number): string => `${change >= 0 ? "+" : "−"}${Math.round(Math.abs(change) * 100)} %`;
