import type { HistogramAnswer } from "@halvik/contract/records";
import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { histogramQuery, type WindowParts } from "../../../data/api";
import { usOf } from "../../../data/view-store";
import { Course } from "../../../ui/course";

const STEPS = 24;
const HEIGHT_PX = 26;

/** When the records of a part came in the window; asked once the line is in sight. */
export function Sparkline({
  window,
  filter,
  part,
  zone,
}: {
  readonly window: WindowParts;
  readonly filter: string;
  readonly part: string;
  readonly zone: string;
}) {
  const box = useRef<HTMLSpanElement>(null);
  const [isSeen, setSeen] = useState(false);
  useEffect(() => {
    if (box.current === null || isSeen) return;
    const watch = new IntersectionObserver((entries) => entries.some((e) => e.isIntersecting) && setSeen(true));
    watch.observe(box.current);
    return () => watch.disconnect();
  }, [isSeen]);
  const both = filter === "" ? part : `(${filter}) and ${part}`;
  const { data } = useQuery({
    ...histogramQuery(window, STEPS, both, zone, "window", false),
    staleTime: 60_000,
    enabled: isSeen,
  });
  return (
    <span ref={box} className="block" style={{ height: HEIGHT_PX }}>
      {data && (
        <Course counts={countsOf(data, window)} height={HEIGHT_PX} label={`${data.total} records over the window`} />
      )}
    </span>
  );
}

/** Every step of the window, those too in which nothing came. */
function countsOf({ buckets, widthSeconds }: HistogramAnswer, window: WindowParts): readonly number[] {
  const fromUs = usOf(window.from);
  const widthUs = widthSeconds * 1e6;
  const counts = new Array<number>(Math.max(1, Math.ceil((usOf(window.to) - fromUs) / widthUs))).fill(0);
  for (const b of buckets) {
    const at = Math.min(counts.length - 1, Math.max(0, Math.floor((usOf(b.from) - fromUs) / widthUs)));
    counts[at]! += b.count;
  }
  return counts;
}
