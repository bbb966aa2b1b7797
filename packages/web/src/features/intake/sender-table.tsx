import type { SenderJson } from "@halvik/contract";
import { formatDuration } from "@halvik/core/base/time";
import { useViewStore, usOf } from "../../data/view-store";
import { Tag } from "../../shared/incident-strip";
import { EmptyState } from "../../ui/empty-state";
import { safeText } from "../../ui/safe-text";
import { ago } from "../../ui/time";

/** Every admitted sender in a line: where it is, what it sent, when it was last heard, its clock. */
export function SenderTable({
  senders,
  selectedId,
  onSelect,
}: {
  senders: readonly SenderJson[];
  selectedId: number | null;
  onSelect: (s: SenderJson) => void;
}) {
  const { nowUs } = useViewStore();
  if (senders.length === 0)
    return (
      <EmptyState
        title="No senders yet"
        text="A device that sends to one of the endpoints above shows up as waiting; admit it, or bring a list with bin/halvik senders import."
      />
    );
  const number = "text-right tabular-nums";
  return (
    <table className="w-full border-collapse text-[13px]">
      <thead>
        <tr className="border-b border-line-strong text-left text-quiet [&>th]:py-0.5 [&>th]:pr-3 [&>th]:font-normal">
          <th>name</th>
          <th>address</th>
          <th>site</th>
          <th>groups</th>
          <th className={number}>records</th>
          <th className={number}>problems</th>
          <th className={number}>clock</th>
          <th className={number}>usually every</th>
          <th className={number}>last heard</th>
        </tr>
      </thead>
      <tbody>
        {senders.map((s) => (
          <tr
            key={s.id}
            onClick={() => onSelect(s)}
            className={`cursor-default border-b border-line [&>td]:py-0.5 [&>td]:pr-3 ${s.id === selectedId ? "bg-fjord-wash" : "hover:bg-wash"}`}
          >
            <td>
              <button type="button" className="font-mono text-[12.5px]" onClick={() => onSelect(s)}>
                {safeText(s.name)}
              </button>{" "}
              {s.relay && <Tag>relay</Tag>}
              {s.via !== null && <Tag>via {safeText(s.via)}</Tag>}
              {s.state === "refused" && <Tag attention>refused</Tag>}
            </td>
            <td className="font-mono text-[12.5px] text-quiet">{s.addresses[0] ?? ""}</td>
            <td className="whitespace-nowrap text-quiet">{s.site}</td>
            <td className="text-quiet">{s.groups.join(", ")}</td>
            <td className={number}>{s.records.toLocaleString("en")}</td>
            <td className={`${number} ${s.problems > 0 ? "text-ochre" : "text-quiet"}`}>
              {s.problems.toLocaleString("en")}
            </td>
            <td className={`${number} ${Math.abs(s.clockOffsetMs) > 2_000 ? "text-ochre" : "text-quiet"}`}>
              {clockWords(s.clockOffsetMs)}
            </td>
            <td className={`${number} text-quiet`}>
              {s.expectedEverySeconds !== null
                ? `${formatDuration(s.expectedEverySeconds * 1e6)} (set)`
                : s.usualGapSeconds === null
                  ? "learning"
                  : formatDuration(s.usualGapSeconds * 1e6)}
            </td>
            <td className={`${number} ${s.silentSince !== null ? "font-semibold text-ochre" : "text-quiet"}`}>
              {s.lastHeard === null
                ? "never"
                : `${ago(usOf(s.lastHeard), nowUs)}${s.silentSince !== null ? ", silent" : ""}`}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** The offset is arrival minus device time: positive means the device's clock is behind. */
function clockWords(offsetMs: number): string {
  if (Math.abs(offsetMs) <= 2_000) return "right";
  return `${formatDuration(Math.abs(offsetMs) * 1_000)} ${offsetMs > 0 ? "behind" : "ahead"}`;
}
