import type { HistogramAnswer, RecordPage } from "@halvik/contract/records";
import { formatDuration } from "@halvik/core/base/time";
import type { ReactNode } from "react";
import type { WindowParts } from "../../data/api";
import { useViewStore, usOf } from "../../data/view-store";
import { Coverage } from "../../shared/coverage";
import { TextButton } from "../../ui/button";
import { Popover } from "../../ui/popover";
import { dayMinute } from "../../ui/time";
import { Tooltip } from "../../ui/tooltip";

interface AnswerLineProps {
  readonly window: WindowParts & { readonly fromUs: number; readonly toUs: number; readonly following: boolean };
  readonly zone: string;
  readonly counts: HistogramAnswer | undefined;
  readonly lastPage: RecordPage | undefined;
  /** Whether the search failed: nothing is counted then. */
  readonly failed: boolean;
  readonly onCountOn: (() => void) | null;
  /** Whether the search goes on by itself. */
  readonly searching: boolean;
  readonly onStop: () => void;
  readonly onSearchOn: () => void;
  /** Beside the count: what it is compared with. */
  readonly children?: ReactNode;
}

/** How many records the answer holds, how it was found, and what it may lack. */
export function AnswerLine({
  window,
  zone,
  counts,
  lastPage,
  failed,
  onCountOn,
  searching,
  onStop,
  onSearchOn,
  children,
}: AnswerLineProps) {
  return (
    <>
      <WindowButton window={window} zone={zone} />
      {counts === undefined ? (
        !failed && <span>counting …</span>
      ) : (
        <span data-testid="count">
          {counts.exact ? "" : "at least "}
          {counts.total.toLocaleString("en")} {counts.total === 1 ? "record" : "records"}
          {!counts.exact && (
            <>
              {" "}
              (counted back to {dayMinute(usOf(counts.coveredFrom), zone)}
              {onCountOn && (
                <TextButton className="ml-1 underline" onClick={onCountOn}>
                  count on
                </TextButton>
              )}
              )
            </>
          )}
        </span>
      )}
      {children}
      {lastPage && <HowSearched page={lastPage} />}
      {lastPage?.partial && (
        <span className="text-ochre">
          {searching ? "searching" : "stopped"}, back to {dayMinute(cursorUs(lastPage), zone)} so far
          <button type="button" className="ml-1.5 font-semibold underline" onClick={searching ? onStop : onSearchOn}>
            {searching ? "stop" : "search on"}
          </button>
        </span>
      )}
      <Coverage window={window} zone={zone} />
    </>
  );
}

/** The window all of it is of; opens the choice of another. */
function WindowButton({ window, zone }: Pick<AnswerLineProps, "window" | "zone">) {
  const choose = useViewStore((s) => s.setChoosingTime);
  const to = window.following ? "now" : dayMinute(window.toUs, zone);
  return (
    <Tooltip text="Choose another time (t)">
      <TextButton className="underline" onClick={() => choose(true)}>
        {dayMinute(window.fromUs, zone)} – {to}, {formatDuration(window.toUs - window.fromUs)}
      </TextButton>
    </Tooltip>
  );
}

/** How far a partial answer came: the moment in its cursor. */
const cursorUs = (page: RecordPage): number => Number(page.nextCursor?.split(".")[0] ?? 0);

function HowSearched({ page }: { page: RecordPage }) {
  const { searched, tookMs } = page;
  const facts = [
    ["segments", searched.segments, "that reach into the window"],
    ["by terms", searched.byTerms, "parts answered from the index of words and values"],
    ["by scan", searched.byScan, "parts, and rows not yet indexed, gone through by the database"],
    ["records read", searched.rowsRead, "to show them, or where terms alone cannot decide"],
    ["gone", searched.gone, "parts dropped by retention meanwhile"],
  ] as const;
  return (
    <Popover
      label="How this was searched"
      align="start"
      className="px-4 py-3"
      trigger={
        <button type="button" className="underline decoration-dotted underline-offset-[3px] hover:text-fjord">
          {page.partial ? "searched in part" : "searched completely"}, {Math.round(tookMs)} ms
        </button>
      }
    >
      <b className="font-semibold">How this page was searched</b>
      <dl className="mt-1 grid grid-cols-[auto_auto_1fr] gap-x-3">
        {facts
          .filter(([name, value]) => value > 0 || name !== "gone")
          .map(([name, value, about]) => (
            <div key={name} className="contents">
              <dt className="text-quiet">{name}</dt>
              <dd className="text-right tabular-nums">{value.toLocaleString("en")}</dd>
              <dd className="text-quiet">{about}</dd>
            </div>
          ))}
      </dl>
    </Popover>
  );
}
