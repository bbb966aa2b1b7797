import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { histogramQuery, type WindowParts } from "../../../data/api";
import { Course } from "../shapes/course";

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
        <Course
          counts={data.buckets.map((b) => b.count)}
          height={HEIGHT_PX}
          label={`${data.total} records over the window`}
        />
      )}
    </span>
  );
}
