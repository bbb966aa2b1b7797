import type { LimitLine } from "@halvik/contract/reports";
import { formatDuration } from "@halvik/core/base/time";
import { sayNear, sayValue, type Unit } from "@halvik/core/report";
import { useQuery } from "@tanstack/react-query";
import { Link, useNavigate } from "react-router";
import { limitsQuery } from "../../data/report-queries";
import { useViewStore, usOf } from "../../data/view-store";
import { type BoardChoice, useBoardChoices } from "../../shared/put-on-board";
import { EmptyState, Trouble } from "../../ui/empty-state";
import { Page, Scroller } from "../../ui/page";
import { safeText } from "../../ui/safe-text";
import { type ColumnDef, Table } from "../../ui/table";
import { dayMinute } from "../../ui/time";

const ON_BOARD: readonly BoardChoice[] = [
  { label: "limits", tile: { shows: { is: "limits", title: "Nearest their limit", most: 8 }, window: null } },
];

/** Every limit: what it guards, where that is now, how near its line, when it was last crossed. */
export function LimitsPage() {
  const navigate = useNavigate();
  const zone = useViewStore((s) => s.zone);
  const { data, error, isPending } = useQuery(limitsQuery);
  useBoardChoices(ON_BOARD);
  return (
    <Page title="Limits">
      <div className="border-b border-line-strong pb-1.5">
        <h1 className="text-page leading-[1.625rem] font-semibold">Limits</h1>
        <p className="text-quiet">
          Rules that guard a figure by a line or by its own usual, and where it was when it was last looked at. Any row
          of a report, and any value of Traffic, can begin one. A stretch is judged when what comes late is in it.{" "}
          <Link to="/reports">All reports</Link>
        </p>
      </div>
      <Scroller label="Limits">
        {error && <Trouble error={error} what="The limits cannot be shown" />}
        {isPending && <p className="mt-2 text-quiet">They are being measured …</p>}
        {data?.limits.length === 0 && (
          <EmptyState
            title="Nothing is guarded by a line"
            text="In a report, “limit” at the end of a row begins a rule that fires when there is more of it."
          />
        )}
        {data && data.limits.length > 0 && (
          <Table
            label="Limits"
            rows={data.limits}
            columns={columnsIn(zone)}
            rowId={(l) => l.rule}
            sortedBy={[{ id: "near", desc: true }]}
            onOpen={(l) => void navigate(`/rules/${l.rule}`)}
          />
        )}
      </Scroller>
    </Page>
  );
}

const RIGHT = { align: "right" };
const amount = (l: LimitLine, n: number | string | null) => sayValue(n, l.unit as Unit);

const columnsIn = (zone: string): ColumnDef<LimitLine>[] => [
  {
    id: "name",
    header: "what it guards",
    accessorFn: (l) => l.name,
    size: 300,
    cell: ({ row: { original: l } }) => (
      <>
        <Link to={`/rules/${l.rule}`}>{safeText(l.name)}</Link>
        {!l.enabled && <span className="text-quiet"> switched off</span>}
        <span className="line-clamp-2 text-small whitespace-normal text-quiet">{safeText(l.says)}</span>
      </>
    ),
  },
  {
    id: "key",
    header: "nearest",
    accessorFn: (l) => l.key.join(", "),
    size: 130,
    cell: ({ row: { original: l } }) => (
      <span className="break-words whitespace-normal">{safeText(l.key.join(", "))}</span>
    ),
  },
  {
    id: "value",
    header: "now",
    accessorFn: (l) => Number(l.value ?? 0),
    size: 90,
    meta: RIGHT,
    cell: ({ row: { original: l } }) => amount(l, l.value),
  },
  {
    id: "line",
    header: "line",
    accessorFn: (l) => l.raiseAt ?? -1,
    size: 110,
    meta: RIGHT,
    cell: ({ row: { original: l } }) =>
      l.raiseAt === null ? <span className="text-quiet">its usual</span> : `${l.side} ${amount(l, l.raiseAt)}`,
  },
  {
    id: "near",
    header: "how near",
    accessorFn: (l) => l.near ?? -1,
    size: 150,
    cell: ({ row: { original: l } }) =>
      l.near === null ? <span className="whitespace-normal text-quiet">{l.why}</span> : <Near near={l.near} />,
  },
  {
    id: "course",
    header: "until then",
    enableSorting: false,
    accessorFn: () => "",
    size: 150,
    cell: ({ row: { original: l } }) => <Course limit={l} />,
  },
  {
    id: "crossed",
    header: "last crossed",
    accessorFn: (l) => l.crossed ?? "",
    size: 110,
    cell: ({ row: { original: l } }) =>
      l.crossed === null ? <span className="text-quiet">never</span> : dayMinute(usOf(l.crossed), zone),
  },
  {
    id: "cost",
    header: "measuring took",
    accessorFn: (l) => l.tookMs,
    size: 100,
    meta: RIGHT,
    cell: ({ row: { original: l } }) => <span className="text-quiet">{l.tookMs} ms</span>,
  },
];

/** Which part of the way to its line, as a bar; beyond it, in the colour of attention. */
function Near({ near }: { near: number }) {
  const percent = Math.round(100 * near);
  return (
    <span className="flex items-center gap-2">
      <span className="h-2.5 w-20 bg-wash">
        <span
          className={`block h-2.5 ${near >= 1 ? "bg-vermilion" : "bg-ink/70"}`}
          style={{ width: `${Math.min(100, percent)}%` }}
        />
      </span>
      <span className={near >= 1 ? "text-vermilion" : ""}>{sayNear(near)}</span>
    </span>
  );
}

const [WIDTH, HEIGHT] = [130, 26];

/** The last day, against the line. */
function Course({ limit: { course, raiseAt, everySeconds, courseEverySeconds } }: { limit: LimitLine }) {
  if (course.length < 2) return null;
  const values = course.map((v) => Number(v ?? 0));
  const most = Math.max(raiseAt ?? 0, ...values);
  const y = (n: number) => HEIGHT - 1 - (most <= 0 ? 0 : (n / most) * (HEIGHT - 2));
  const points = values.map((v, i) => `${(i / (values.length - 1)) * WIDTH},${y(v)}`).join(" ");
  const spanUs = course.length * courseEverySeconds * 1e6;
  return (
    <svg
      width={WIDTH}
      height={HEIGHT}
      role="img"
      aria-label={`over ${formatDuration(spanUs)}, by ${formatDuration(everySeconds * 1e6)}`}
    >
      {raiseAt !== null && <path d={`M0 ${y(raiseAt)}H${WIDTH}`} stroke="var(--vermilion)" strokeDasharray="3 2" />}
      <polyline points={points} fill="none" stroke="var(--ink)" strokeWidth={1.25} />
    </svg>
  );
}
