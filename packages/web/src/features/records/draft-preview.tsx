import { useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { histogramQuery, type WindowParts } from "../../data/api";
import { usOf } from "../../data/view-store";
import { dayMinute } from "../../ui/time";

const BUCKETS = 60;
/** Nobody is asked while keys still come. */
const REST_MS = 350;

/** What a filter that is being written would find, before it is applied. @param ofItsOwn whether the window is that of its own times */
export function DraftPreview({
  draft,
  window,
  ofItsOwn,
  zone,
}: {
  draft: string;
  window: WindowParts;
  ofItsOwn: boolean;
  zone: string;
}) {
  const where = ofItsOwn ? "in that time" : "in this window";
  const [asked, setAsked] = useState<string | null>(null);
  useEffect(() => {
    const timer = setTimeout(() => setAsked(draft), REST_MS);
    return () => clearTimeout(timer);
  }, [draft]);
  const { placeholderData: _, ...counts } = histogramQuery(window, BUCKETS, asked ?? "", zone, "window", false);
  const { data } = useQuery({ ...counts, enabled: asked === draft });
  const first = data?.buckets.find((b) => b.count > 0);
  return (
    <span className="text-ink" data-testid="preview">
      Enter applies it
      {data === undefined || asked !== draft
        ? "."
        : data.total === 0 && data.exact
          ? `: nothing ${where}.`
          : `: ${data.exact ? "" : "at least "}${data.total.toLocaleString("en")} ${where}${first && usOf(first.from) > usOf(window.from) ? `, none before ${dayMinute(usOf(first.from), zone)}` : ""}.`}
    </span>
  );
}
