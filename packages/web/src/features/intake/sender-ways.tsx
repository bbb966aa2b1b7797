import type { SenderPortrait } from "@halvik/contract/senders";
import { sayValue } from "@halvik/core/report";
import { useViewStore, usOf } from "../../data/view-store";
import { TextButton } from "../../ui/button";
import { Heading } from "../../ui/page";
import { safeText } from "../../ui/safe-text";
import { ago, dayMinute } from "../../ui/time";
import { useCountedSince } from "./counted-since";

const count = (n: number): string => n.toLocaleString("en");
const NUMBER = "py-0.5 pl-4 text-right whitespace-nowrap";

/** By which ways in a sender is heard: this hour, the least and the most of an hour, and all since one began to count. */
export function SenderWays({ sender, portrait }: { sender: number; portrait: SenderPortrait }) {
  const { zone, nowUs } = useViewStore();
  const { sinceUs, begin, counted } = useCountedSince(sender, portrait);
  if (portrait.ways.length === 0) return null;
  return (
    <section aria-label="Ways in">
      <Heading
        small={
          <span className="inline-flex gap-3">
            <span>
              counted since {sinceUs === null ? dayMinute(usOf(portrait.from), zone) : dayMinute(sinceUs, zone)}
            </span>
            <TextButton onClick={() => begin(nowUs)}>count from now</TextButton>
            {sinceUs !== null && <TextButton onClick={() => begin(null)}>all of the seven days</TextButton>}
          </span>
        }
      >
        Ways in
      </Heading>
      <div className="overflow-x-auto">
        <table className="text-ui tabular-nums">
          <thead>
            <tr className="border-b border-line-strong text-quiet">
              <th scope="col" className="py-0.5 text-left font-normal">
                way in
              </th>
              {[
                "heard",
                "this hour",
                "an hour",
                "records",
                "octets",
                "not readable",
                "late",
                "sent twice",
                "over the cap",
              ].map((h) => (
                <th key={h} scope="col" className={`${NUMBER} font-normal`}>
                  {h}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {portrait.ways.map((way) => {
              const hours = way.hours.map((h) => h.records);
              // the hour that goes on is not over, and says nothing of least and most
              const over = hours.slice(
                hours.findIndex((n) => n > 0),
                -1,
              );
              const sum = counted(way);
              return (
                <tr key={way.endpoint} className="border-b border-line">
                  <th scope="row" className="py-0.5 pr-2 text-left font-normal whitespace-nowrap">
                    {safeText(way.endpoint)}
                  </th>
                  <td className={NUMBER}>{ago(usOf(way.last), nowUs)} ago</td>
                  <td className={NUMBER}>{count(hours[hours.length - 1] ?? 0)}</td>
                  <td className={NUMBER}>
                    {over.length === 0 ? "–" : `${count(Math.min(...over))} to ${count(Math.max(...over))}`}
                  </td>
                  <td className={NUMBER}>{count(sum.records)}</td>
                  <td className={NUMBER}>{sayValue(sum.bytes, "bytes")}</td>
                  {[sum.problems, sum.late, sum.copies, sum.capped].map((n, i) => (
                    <td key={i} className={`${NUMBER} ${n > 0 ? "text-ochre" : "text-quiet"}`}>
                      {count(n)}
                    </td>
                  ))}
                </tr>
              );
            })}
          </tbody>
        </table>
      </div>
    </section>
  );
}
