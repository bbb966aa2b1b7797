import type { HistogramAnswer, RecordJson } from "@halvik/contract/records";
import type { WindowParts } from "../../data/api";
import { isoOf, usOf } from "../../data/view-store";
import type { PinChoice } from "../../shared/pinning";
import { contrastedWindows, readContrasted } from "./contrast/contrasted";

const MOST_SAID = 80;

interface Shown {
  readonly window: WindowParts & { readonly fromUs: number; readonly toUs: number };
  /** Null: the filter has a mistake in it. */
  readonly filter: string | null;
  readonly zone: string;
  readonly params: URLSearchParams;
  readonly view: "lines" | "shapes" | "changed";
  readonly selectedId: string | null;
  /** Those that are shown. */
  readonly records: readonly RecordJson[];
  readonly marked: readonly RecordJson[];
  readonly counts: HistogramAnswer | undefined;
}

/** What of Records can be pinned: what is selected first, then what it stands among. */
export function recordPins({
  window,
  filter,
  zone,
  params,
  view,
  selectedId,
  records,
  marked,
  counts,
}: Shown): PinChoice[] {
  if (filter === null) return [];
  const { from, to } = window;
  const asked = { filter, zone, from, to };
  const choices: PinChoice[] = [];
  const shape = view === "shapes" ? Number(params.get("shape") ?? 0) : 0;
  if (shape > 0) choices.push({ label: `the shape ${shape}`, pin: { is: "shape", id: shape, ...asked } });
  if (view === "changed") {
    const against = readContrasted(params.get("against"));
    const other = params.get("other");
    const per = params.get("per") === "records" ? ("records" as const) : ("time" as const);
    if (against !== "other")
      choices.push({
        label: "what changed",
        pin: { is: "contrast", ...asked, per, against: [...contrastedWindows(against, window, zone)] },
      });
    else if (other !== null)
      choices.push({ label: "what is different", pin: { is: "contrast", ...asked, per, other } });
  }
  if (view === "lines")
    for (const id of new Set([...(selectedId === null ? [] : [selectedId]), ...marked.map((m) => m.id)])) {
      const r = records.find((other) => other.id === id);
      choices.push({
        label:
          r === undefined
            ? "the selected record"
            : `the record ${r.sender.name}: ${(r.sentence || r.text).slice(0, MOST_SAID)}`,
        pin: { is: "record", id },
      });
    }
  choices.push({
    label: filter === "" ? "all records of the window, as a search" : `the search ${filter.slice(0, MOST_SAID)}`,
    pin: { is: "search", ...asked },
  });
  const chart = counts && chartOf(counts, filter);
  if (chart) choices.push({ label: "when they came, as a chart", pin: { is: "chart", chart } });
  return choices;
}

/** The counts over time as data, of the window they are of; null: there is no course of one step. */
function chartOf({ buckets, widthSeconds, exact, coveredFrom, window }: HistogramAnswer, filter: string) {
  const widthUs = widthSeconds * 1e6;
  const steps = Math.ceil((usOf(window.to) - usOf(window.from)) / widthUs);
  if (steps < 2 || steps > 2_000) return null;
  const fromUs = usOf(window.from);
  const at = (us: number) => Math.floor((us - fromUs) / widthUs);
  const values: (number | null)[] = Array.from({ length: steps }, (_, i) =>
    // what was not counted for want of time is not known
    !exact && fromUs + (i + 1) * widthUs <= usOf(coveredFrom) ? null : 0,
  );
  for (const b of buckets) {
    const i = Math.min(steps - 1, Math.max(0, at(usOf(b.from))));
    values[i] = (values[i] ?? 0) + b.count;
  }
  return {
    title: filter === "" ? "Records" : filter.slice(0, 200).toWellFormed(),
    unit: "records",
    filter,
    steps: Array.from({ length: steps + 1 }, (_, i) => isoOf(Math.min(usOf(window.to), fromUs + i * widthUs))),
    series: [{ name: "records", values }],
  };
}
