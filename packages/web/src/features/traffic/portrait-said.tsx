import type { ContrastLine } from "@halvik/contract/contrast";
import { useQuery } from "@tanstack/react-query";
import { contrastQuery } from "../../data/contrast-queries";
import { shapesQuery } from "../../data/shape-queries";
import { useWindow } from "../../data/use-window";
import { isoOf } from "../../data/view-store";
import { comparedWindow } from "../../shared/compared-window";
import { MINUTE_US, PortraitPart } from "./portrait-rows";

const MOST = 20;
/** By what its records are held against its own past: what it is itself would say nothing. */
const BY = ["shape", "severity", "category", "event", "user", "src", "dst", "dst port"];

/** What its records say, folded, and what of it is different from the time before. */
export function Said({ filter, zone }: { readonly filter: string; readonly zone: string }) {
  const window = useWindow(MINUTE_US);
  const before = comparedWindow("before", window, zone);
  const { data } = useQuery(shapesQuery(window, filter, zone, "most", MOST));
  const changed = useQuery({
    ...contrastQuery(
      window,
      filter,
      zone,
      { windows: [{ from: isoOf(before.fromUs), to: isoOf(before.toUs) }] },
      "time",
      BY,
    ),
    // one after the other: its traffic is asked for at the same time
    enabled: data !== undefined,
  }).data;
  const both = (part: string) => `(${filter}) and ${part}`;
  const shapes = data?.shapes ?? [];
  const fresh = shapes.filter((s) => s.isNew).length;
  return (
    <>
      <PortraitPart
        title="Says"
        small={`messages by their shape${fresh > 0 ? `, ${fresh} never before` : ""}`}
        of={shapes.length + (data?.others ?? 0)}
        rows={shapes.map(({ shape, count, isNew, example }) => ({
          key: String(shape.id),
          label: shape.name || (shape.text ?? [shape.event ?? shape.kind, example?.sentence].join(", such as: ")),
          weight: count,
          figure: `${count.toLocaleString("en")}${isNew ? ", new" : ""}`,
          filter: both(`shape is ${shape.id}`),
        }))}
      />
      <PortraitPart
        title="Changed"
        small="as against the time before, by surprise"
        of={(changed?.differences.length ?? 0) + (changed?.others ?? 0)}
        rows={(changed?.differences ?? []).map((d) => ({
          key: `${d.by} ${d.value}`,
          label: `${d.change}: ${d.by === "shape" ? "" : `${d.by} `}${d.label}`,
          weight: d.surprise,
          figure: countsText(d),
          filter: both(d.part),
        }))}
      />
    </>
  );
}

const countsText = ({ a, b }: ContrastLine): string => `${a.toLocaleString("en")}, was ${b.toLocaleString("en")}`;
