import type { Tile } from "@halvik/core/board";
import { bothOf } from "@halvik/core/query/filter";
import { filterAskedFor, type Part, type ReportDefinition } from "@halvik/core/report";
import { useQueries, useQuery } from "@tanstack/react-query";
import { type AskedOver, lackingQuery, partQuery } from "../../data/report-queries";
import { useViewStore, usOf } from "../../data/view-store";
import { Coverage } from "../../shared/coverage";
import { partPins } from "../../shared/parts/part-pins";
import { PartView } from "../../shared/parts/part-view";
import { usePinChoices } from "../../shared/pinning";
import { usePutOnBoard } from "../../shared/put-on-board";
import { TextButton } from "../../ui/button";
import { dayMinute } from "../../ui/time";

/** A report on screen: its parts as they come. */
export function ReportBody({
  parts,
  over,
  onAgain,
}: {
  parts: ReportDefinition["parts"];
  over: AskedOver;
  /** It is wanted as of now. */
  onAgain: () => void;
}) {
  const zone = useViewStore((s) => s.zone);
  const { begin } = usePutOnBoard();
  const lacking = useQuery(lackingQuery(over)).data;
  const answers = useQueries({ queries: parts.map((part) => partQuery(part, over)) });
  usePinChoices(partPins(answers.map((a) => a.data?.part)));
  const waiting = answers.filter((a) => a.isFetching).length;
  return (
    <>
      <p className="mt-2 text-ui text-quiet" data-testid="report-over">
        {lacking && (
          <>
            {dayMinute(usOf(lacking.window.from), zone)} – {dayMinute(usOf(lacking.window.to), zone)},{" "}
            {lacking.comparable ? (
              <>
                compared with {dayMinute(usOf(lacking.before.from), zone)} – {dayMinute(usOf(lacking.before.to), zone)}
              </>
            ) : (
              "compared with nothing: the period before is not there whole"
            )}
            . <Coverage window={lacking.window} zone={zone} />
            {lacking.firstRecord !== null && lacking.firstRecord > lacking.window.from && (
              <span className="text-ochre">
                {" "}
                · the first record there is: {dayMinute(usOf(lacking.firstRecord), zone)}
              </span>
            )}
          </>
        )}
        {waiting === 0 && (
          <>
            {" "}
            · as of {dayMinute(usOf(over.at), zone)} <TextButton onClick={onAgain}>again</TextButton>
          </>
        )}
        {waiting > 0 && (
          <span role="status">
            {" "}
            · {waiting} of {parts.length} parts are being made …
          </span>
        )}
      </p>
      {/* figures stand beside one another, all else takes the width */}
      <div className="grid grid-cols-3 gap-x-6 max-slim:grid-cols-1">
        {answers.map((answer, i) => {
          const part = parts[i]!;
          const title = "title" in part ? part.title : "";
          return (
            <div
              key={`${i} ${title}`}
              className={`min-w-0 ${part.is === "figure" ? "" : "col-span-full"} ${answer.isPlaceholderData ? "opacity-60" : ""}`}
            >
              {answer.error ? (
                <p role="alert" className="mt-4 text-vermilion">
                  {title}: {answer.error.message}
                </p>
              ) : answer.data ? (
                <PartView
                  part={answer.data.part}
                  window={answer.data.window}
                  tools={
                    part.is !== "text" && (
                      <TextButton onClick={() => begin([{ label: title, tile: asTile(part, over) }])}>
                        on a board
                      </TextButton>
                    )
                  }
                />
              ) : (
                <p className="mt-4 text-quiet">{title} …</p>
              )}
            </div>
          );
        })}
      </div>
    </>
  );
}

/** A part as a tile: over the period of the report, of the records that the report is of. */
function asTile(part: Part, { period, filter, asks, of }: AskedOver): Pick<Tile, "shows" | "window"> {
  const narrowed = filterAskedFor({ asks, filter }, of);
  if (part.is === "records") return { shows: { ...part, filter: bothOf(narrowed, part.filter) }, window: period };
  if (!("measure" in part) || !("filter" in part.measure)) return { shows: part, window: period };
  const measure = { ...part.measure, filter: bothOf(narrowed, part.measure.filter) };
  return { shows: { ...part, measure } as Tile["shows"], window: period };
}
