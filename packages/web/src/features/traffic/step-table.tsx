import type { TrafficAnswer } from "@halvik/contract/traffic";
import { useMemo } from "react";
import { useViewStore, usOf } from "../../data/view-store";
import { TextButton } from "../../ui/button";
import { Scroller } from "../../ui/page";
import { safeText } from "../../ui/safe-text";
import { type ColumnDef, Table } from "../../ui/table";
import { dayMinute } from "../../ui/time";
import { rateOf, sayRate } from "./amounts";
import type { Sentence } from "./asked";

type Step = TrafficAnswer["steps"][number];

interface StepTableProps {
  readonly answer: TrafficAnswer;
  readonly sentence: Sentence;
  readonly onGo: (fromUs: number, toUs: number) => void;
}

/** The numbers of the profile, the newest first, and as a file. */
export function StepTable({ answer, sentence, onGo }: StepTableProps) {
  const zone = useViewStore((s) => s.zone);
  const { measure } = sentence;
  const { step, sides, bands } = answer;
  const columns = useMemo<ColumnDef<Step>[]>(
    () => [
      {
        id: "from",
        header: "from",
        size: 110,
        accessorFn: (s) => s.from,
        cell: ({ row }) => <span className="whitespace-nowrap">{dayMinute(usOf(row.original.from), zone)}</span>,
      },
      ...Array.from({ length: sides }, (_, side): ColumnDef<Step>[] => [
        {
          id: `whole ${side}`,
          header: sides === 2 ? ["in", "out"][side]! : "all",
          size: 80,
          accessorFn: (s) => s.whole[side] ?? 0,
          cell: ({ getValue }) => (
            <span className="whitespace-nowrap">{sayRate(rateOf(getValue<number>(), measure, step), measure)}</span>
          ),
          meta: { align: "right" },
        },
        ...bands.map(
          (band, i): ColumnDef<Step> => ({
            id: `${side} ${band}`,
            header: `${sides === 2 ? `${["in", "out"][side]} ` : ""}${safeText(band)}`,
            size: 80,
            accessorFn: (s) => s.bands[side]?.[i] ?? 0,
            cell: ({ getValue }) => (
              <span className="whitespace-nowrap">{sayRate(rateOf(getValue<number>(), measure, step), measure)}</span>
            ),
            meta: { align: "right" },
          }),
        ),
        {
          id: `before ${side}`,
          header: `${sides === 2 ? `${["in", "out"][side]} ` : ""}a week before`,
          size: 80,
          accessorFn: (s) => s.weekBefore[side] ?? 0,
          cell: ({ getValue }) => (
            <span className="whitespace-nowrap">{sayRate(rateOf(getValue<number>(), measure, step), measure)}</span>
          ),
          meta: { align: "right" },
        },
      ]).flat(),
    ],
    [zone, measure, step, sides, bands],
  );
  const rows = useMemo(() => [...answer.steps].reverse(), [answer.steps]);
  return (
    <>
      <p className="text-small text-quiet">
        Steps of {step >= 3_600 ? `${step / 3_600} h` : `${step / 60} min`}.{" "}
        <TextButton onClick={() => download(csvOf(answer, measure))}>as CSV</TextButton>
      </p>
      <Scroller label="The course in numbers">
        <Table
          label="The course of traffic in numbers"
          rows={rows}
          columns={columns}
          rowId={(s) => s.from}
          onOpen={(s) => onGo(usOf(s.from), usOf(s.from) + step * 1e6)}
        />
      </Scroller>
    </>
  );
}

/** One line a step, sums as they are. What could be read as a formula by a table program begins with a quote (OWASP, CSV injection). */
export function csvOf({ steps, sides, bands }: TrafficAnswer, measure: Sentence["measure"]): string {
  const side = (i: number) => (sides === 2 ? ["in ", "out "][i]! : "");
  const safe = (text: string) => `"${(/^[=+\-@\t\r]/.test(text) ? `'${text}` : text).replaceAll('"', '""')}"`;
  const head = [
    "from",
    ...Array.from({ length: sides }, (_, i) => [
      `${side(i)}${measure}`,
      ...bands.map((b) => `${side(i)}${b}`),
      `${side(i)}${measure} a week before`,
    ]).flat(),
  ];
  const lines = steps.map((s) => [
    s.from,
    ...s.whole.flatMap((n, i) => [String(n), ...(s.bands[i] ?? []).map(String), String(s.weekBefore[i] ?? 0)]),
  ]);
  return `${[head, ...lines].map((line) => line.map(safe).join(",")).join("\r\n")}\r\n`;
}

function download(text: string): void {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(new Blob([text], { type: "text/csv" }));
  link.download = "traffic.csv";
  link.click();
  URL.revokeObjectURL(link.href);
}
