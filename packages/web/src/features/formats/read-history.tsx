import type { FormatPreview, FormatReadingJson, FormatReadingList, OwnFormatJson } from "@halvik/contract/formats";
import { US_PER_DAY } from "@halvik/core/base/time";
import { quoteIfNeeded } from "@halvik/core/query/filter";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { Link } from "react-router";
import { toast } from "sonner";
import { request } from "../../data/api";
import { formatReadingsQuery } from "../../data/intake-queries";
import { isoOf, presentUs, useViewStore, usOf } from "../../data/view-store";
import { Button, TextButton } from "../../ui/button";
import { Dialog } from "../../ui/dialog";
import { Heading } from "../../ui/page";
import { Radio } from "../../ui/radio";
import { safeText } from "../../ui/safe-text";
import { dayMinute } from "../../ui/time";

const n = (count: number): string => count.toLocaleString("en");

const SPANS = [
  { value: "1", label: "the last day" },
  { value: "7", label: "the last 7 days" },
  { value: "30", label: "the last 30 days" },
  { value: "all", label: "all that is stored" },
] as const;

const useReadings = () => {
  const client = useQueryClient();
  return useMutation({
    mutationFn: ({ path, body = {} }: { path: string; body?: object }) =>
      request<FormatReadingList>("POST", path, body),
    onSuccess: (list) => client.setQueryData(["format-readings"], list),
    onError: (e: Error) => toast.error(e.message),
  });
};

/** Has a format read what is stored already, as far back as is chosen. */
export function ReadHistory({ format, onClose }: { format: OwnFormatJson; onClose: () => void }) {
  const [span, setSpan] = useState<string>("30");
  const ask = useReadings();
  const { data: preview, error } = useQuery({
    queryKey: ["format-preview", format.id, format.version],
    queryFn: ({ signal }) =>
      request<FormatPreview>("POST", "/formats/preview", { format: format.format, lines: [] }, signal),
  });
  const month = preview?.spans.at(-1);
  const begin = () => {
    const from = span === "all" ? {} : { from: isoOf(presentUs() - Number(span) * US_PER_DAY) };
    ask.mutate({ path: `/formats/${format.id}/readings`, body: from }, { onSuccess: onClose });
  };
  return (
    <Dialog
      open
      onOpenChange={(open) => !open && onClose()}
      title={`Read history by “${safeText(format.format.name)}”`}
    >
      <Radio label="How far back" value={span} onChange={setSpan} options={SPANS} />
      <p className="mt-2 text-ui text-quiet" role="status">
        {error !== null
          ? `What it would read is not known now: ${safeText(error.message)}`
          : month === undefined
            ? "Looking at what is stored …"
            : `Of ${month.exact ? "" : "the latest "}${n(month.of)} records of the last 30 days it is tried on, ${n(month.fits)} fit.`}
      </p>
      <p className="mt-1 text-ui text-quiet">
        Text, bytes and times stay as they came. What an earlier version read, as it arrived or later, gives way to this
        one; records that another format read stay as they are. Rules do not look at them again. It can be taken back.
      </p>
      <div className="mt-3 flex justify-end gap-2">
        <Button onClick={onClose}>Cancel</Button>
        <Button main onClick={begin} disabled={ask.isPending}>
          Read history
        </Button>
      </div>
    </Dialog>
  );
}

/** What formats read anew, the latest first. */
export function Readings() {
  const zone = useViewStore((s) => s.zone);
  const { data } = useQuery(formatReadingsQuery);
  const act = useReadings();
  const client = useQueryClient();
  const standing = data?.readings.map((r) => `${r.id} ${r.state} ${r.amended}`).join() ?? "";
  const stood = useRef("");
  useEffect(() => {
    // what was answered before tells of records as they were: also of a window that stands still, which is not asked for again by itself
    if (stood.current !== "" && stood.current !== standing)
      void client.invalidateQueries({ predicate: ({ queryKey }) => queryKey[0] !== "format-readings" });
    stood.current = standing;
  }, [standing, client]);
  if (data === undefined || data.readings.length === 0) return null;
  return (
    <section aria-label="History read anew" className="mt-4">
      <Heading small="what was stored before a format was made, or before it became what it is">
        History read anew
      </Heading>
      {data.readings.map((r) => (
        <div
          key={r.id}
          data-testid="format-reading"
          className="grid grid-cols-[1fr_auto] gap-3 border-t border-line py-1.5 text-ui"
        >
          <div className="min-w-0">
            <p>
              <b className="font-semibold">{safeText(r.name)}</b>
              <span className="text-quiet">
                {" "}
                · version {r.version} · {Date.parse(r.from) === 0 ? "all" : dayMinute(usOf(r.from), zone)} until{" "}
                {dayMinute(usOf(r.to), zone)} · {safeText(r.author)}
              </span>
            </p>
            <p className={r.state === "failed" ? "text-vermilion" : "text-quiet"}>
              {saysOf(r)}
              {r.amended > 0 && r.state !== "taken back" && (
                <>
                  {" · "}
                  <Link to={recordsOf(r)}>these records</Link>
                </>
              )}
            </p>
            {(r.state === "reading" || r.state === "waiting") && (
              <progress
                aria-label={`How far “${r.name}” has come`}
                className="h-1 w-64 accent-fjord"
                value={r.partsDone}
                max={Math.max(1, r.parts)}
              />
            )}
          </div>
          <span className="flex items-start gap-2">
            {(r.state === "reading" || r.state === "waiting") && (
              <TextButton onClick={() => act.mutate({ path: `/format-readings/${r.id}/stop` })}>stop</TextButton>
            )}
            {["done", "stopped", "failed"].includes(r.state) && r.amended > 0 && (
              <TextButton onClick={() => act.mutate({ path: `/format-readings/${r.id}/take-back` })}>
                take back
              </TextButton>
            )}
          </span>
        </div>
      ))}
    </section>
  );
}

/** Those of the last year of what it read. */
const recordsOf = ({ name, from, to }: FormatReadingJson): string => {
  const since = new Date(Math.max(Date.parse(from), Date.parse(to) - (365 * US_PER_DAY) / 1_000)).toISOString();
  return `/records?${new URLSearchParams({ filter: `data format is ${quoteIfNeeded(name)}`, from: since, to })}`;
};

/** How a reading stands, in words. */
function saysOf({ state, looked, amended, readBefore, refused, partsDone, parts, why }: FormatReadingJson): string {
  const counts = [
    `${n(amended)} of ${n(looked)} records it was tried on read anew`,
    ...(readBefore > 0 ? [`${n(readBefore)} left as another format had read them`] : []),
    ...(refused > 0 ? [`${n(refused)} could not be kept so`] : []),
  ].join(", ");
  switch (state) {
    case "waiting":
      return "waits for the keeper";
    case "reading":
      return `part ${partsDone} of ${parts}: ${counts}`;
    case "done":
      return counts;
    case "stopped":
      return `stopped: ${counts}`;
    case "failed":
      return `failed: ${safeText(why ?? "")}; ${counts}`;
    case "taking back":
      return "is being taken back";
    case "taken back":
      return "taken back: those records are as they arrived";
  }
}
