import type { SenderPortrait, WayCounts } from "@halvik/contract/senders";
import { sayValue } from "@halvik/core/report";
import { presentUs, useViewStore, usOf } from "../../data/view-store";
import { Ago } from "../../shared/ago";
import { TextButton } from "../../ui/button";
import { Heading } from "../../ui/page";
import { safeText } from "../../ui/safe-text";
import { dayMinute } from "../../ui/time";
import { useCountedSince } from "./counted-since";

const count = (n: number): string => n.toLocaleString("en");
const NUMBER = "py-0.5 pl-4 text-right whitespace-nowrap";

/** What may be amiss with what came, and how each is said; shown where any way in has any of it. */
const TROUBLES: readonly (readonly [keyof WayCounts, string])[] = [
  ["problems", "unreadable"],
  ["refused", "refused"],
  ["late", "late"],
  ["copies", "sent twice"],
  ["capped", "over the cap"],
];
const none = new Intl.ListFormat("en", { type: "disjunction" });

/** By which ways in a sender is heard: this hour, the least and the most of an hour, and all since one began to count. */
export function SenderWays({ sender, portrait }: { sender: number; portrait: SenderPortrait }) {
  const zone = useViewStore((s) => s.zone);
  const { sinceUs, begin, counted } = useCountedSince(sender, portrait);
  if (portrait.ways.length === 0) return null;
  const rows = portrait.ways.map((way) => ({ way, sum: counted(way) }));
  const isSeen = ([name]: (typeof TROUBLES)[number]) => rows.some(({ sum }) => sum[name] > 0);
  const seen = TROUBLES.filter(isSeen);
  const unseen = TROUBLES.filter((t) => !isSeen(t));
  return (
    <section aria-label="Ways in">
      <Heading
        small={
          <span className="inline-flex gap-3">
            <span>
              counted since {sinceUs === null ? dayMinute(usOf(portrait.from), zone) : dayMinute(sinceUs, zone)}
            </span>
            <TextButton onClick={() => begin(presentUs())}>count from now</TextButton>
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
                "messages",
                "records",
                "octets",
                "never came",
                ...seen.map(([, said]) => said),
              ].map((h) => (
                <th key={h} scope="col" className={`${NUMBER} font-normal`}>
                  {h}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {rows.map(({ way, sum }) => {
              const hours = way.hours.map((h) => h.records);
              // the hour that goes on is not over, and says nothing of least and most
              const over = hours.slice(
                hours.findIndex((n) => n > 0),
                -1,
              );
              return (
                <tr key={way.endpoint} className="border-b border-line">
                  <th scope="row" className="py-0.5 pr-2 text-left font-normal whitespace-nowrap">
                    {safeText(way.endpoint)}
                  </th>
                  <td className={NUMBER}>
                    <Ago us={usOf(way.last)} /> ago
                  </td>
                  <td className={NUMBER}>{count(hours[hours.length - 1] ?? 0)}</td>
                  <td className={NUMBER}>
                    {over.length === 0 ? "–" : `${count(Math.min(...over))} to ${count(Math.max(...over))}`}
                  </td>
                  <td className={NUMBER}>{count(sum.messages)}</td>
                  <td className={NUMBER}>{count(sum.records)}</td>
                  <td className={NUMBER}>{sayValue(sum.bytes, "bytes")}</td>
                  <td className={`${NUMBER} ${sum.missed > 0 ? "text-vermilion" : "text-quiet"}`}>
                    {sum.numbered > 0 ? count(sum.missed) : "–"}
                  </td>
                  {seen.map(([name]) => (
                    <td key={name} className={`${NUMBER} ${sum[name] > 0 ? "text-ochre" : "text-quiet"}`}>
                      {count(sum[name])}
                    </td>
                  ))}
                </tr>
              );
            })}
          </tbody>
        </table>
      </div>
      <p className="text-small text-quiet">
        {rows.some(({ sum }) => sum.numbered > 0) && "Never came: by the numbers its flow datagrams carry. "}
        {unseen.length > 0 && `Nothing was ${none.format(unseen.map(([, said]) => said))}.`}
      </p>
    </section>
  );
}
