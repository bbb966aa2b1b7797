import { formatDuration } from "@halvik/core/base/time";
import { useQuery } from "@tanstack/react-query";
import { coverageQuery, type WindowParts } from "../data/api";
import { usOf } from "../data/view-store";
import { safeText } from "../ui/safe-text";
import { dayMinute } from "../ui/time";
import { Tooltip } from "../ui/tooltip";

/** One stretch by its ends, several by their number and length. */
function sayNotListening(gaps: readonly { from: string; to: string }[], zone: string): string {
  const [only] = gaps;
  if (only === undefined) return "";
  const totalUs = gaps.reduce((sum, g) => sum + usOf(g.to) - usOf(g.from), 0);
  return gaps.length === 1
    ? `Halvik was not listening for ${formatDuration(totalUs)} from ${dayMinute(usOf(only.from), zone)}`
    : `Halvik was not listening ${gaps.length} times, ${formatDuration(totalUs)} in all`;
}

/** What the window may lack, as far as Halvik knows; silence about it would be a claim. */
export function Coverage({ window, zone }: { window: WindowParts; zone: string }) {
  const { data } = useQuery(coverageQuery({ from: window.from, to: window.to }));
  if (!data) return null;
  const lacks = [
    sayNotListening(data.notListening, zone),
    data.lost > 0 ? `${data.lost.toLocaleString("en")} lost` : "",
    data.flowGaps > 0 ? `${data.flowGaps.toLocaleString("en")} flow datagrams missing` : "",
    data.capped > 0 ? `${data.capped.toLocaleString("en")} over a sender’s cap` : "",
    data.droppedByRules > 0 ? `${data.droppedByRules.toLocaleString("en")} dropped on arrival by rules` : "",
    data.shed > 0 ? `${data.shed.toLocaleString("en")} dropped because the disk was full` : "",
    data.silent.length > 0
      ? `silent at times: ${data.silent.slice(0, 3).map(safeText).join(", ")}${data.silent.length > 3 ? ` and ${data.silent.length - 3} more` : ""}`
      : "",
    data.keptFrom ? `not kept before ${dayMinute(usOf(data.keptFrom), zone)}` : "",
  ].filter((l) => l !== "");
  return (
    <Tooltip text={lacks.join(" · ")}>
      <span data-testid="coverage" className={lacks.length > 0 ? "text-ochre" : ""}>
        {lacks.length > 0 ? lacks.join(" · ") : "No known gaps in this window"}
      </span>
    </Tooltip>
  );
}
