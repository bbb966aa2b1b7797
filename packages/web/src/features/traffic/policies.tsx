import { useQuery } from "@tanstack/react-query";
import { policiesQuery, type WindowParts } from "../../data/api";
import { usOf } from "../../data/view-store";
import { Trouble } from "../../ui/empty-state";
import { Heading } from "../../ui/page";
import { safeText } from "../../ui/safe-text";
import { day, dayMinute } from "../../ui/time";
import { PlainTable } from "./plain-table";
import { RecordsLink } from "./portrait-rows";

const count = (n: number): string => (n === 0 ? "" : n.toLocaleString("en"));

/** All policies by their use: the most met first, which are new, and which nothing meets any more. */
export function Policies({ window, zone }: { window: WindowParts; zone: string }) {
  const { data, error } = useQuery(policiesQuery(window));
  if (error) return <Trouble error={error} what="Policies cannot be listed" />;
  if (!data) return null;
  return (
    <>
      <Heading
        small={`${data.met.length.toLocaleString("en")} met in this window, against the time since ${day(usOf(data.since), zone)}`}
      >
        Policies by use
      </Heading>
      {data.partial && <p className="text-small text-ochre">Counted in part only: there was no time for all.</p>}
      <PlainTable
        label="Policies by use"
        heads={["policy", "accepted", "denied", "rejected", ""]}
        rows={data.met.map((p) => [
          <RecordsLink key="policy" filter={p.filter}>
            {safeText(p.policy)}
          </RecordsLink>,
          count(p.accept),
          count(p.deny),
          count(p.reject),
          p.isNew ? <b className="text-ochre">new</b> : "",
        ])}
      />
      {data.unmet.length > 0 && (
        <>
          <Heading small="met before, and not in this window">Not met any more</Heading>
          <PlainTable
            label="Not met any more"
            heads={["policy", "last met", "times before"]}
            rows={data.unmet.map((p) => [
              safeText(p.policy),
              p.last === null ? "" : dayMinute(usOf(p.last), zone),
              count(p.before),
            ])}
          />
        </>
      )}
    </>
  );
}
