import { type Network, networkContains, parseNetwork } from "@halvik/core/base/net";
import { US_PER_HOUR } from "@halvik/core/base/time";
import { KINDS } from "@halvik/core/model/record";
import { OWN_NETWORKS } from "@halvik/core/model/senders";
import type { SitesKnown } from "@halvik/core/traffic";
import type { Queryable } from "../../kernel/db/pool.js";

/** Each address is looked for in all of them once. */
const MOST_NETWORKS = 2_000;

/**
 * Where exporters and addresses are. A sender's site is where its addresses are; an entry of the list of our own networks is at the site that its
 * note names, if a sender is at that one.
 * @param sinceUs exporters that told of traffic since then share their sites
 */
export async function trafficSites(db: Queryable, sinceUs: number, nowUs: number): Promise<SitesKnown> {
  const { rows: shared } = await db.query<{ id: number; site: string }>(
    `with exporters as (
       select distinct sender from traffic_source union select distinct sender from rollup_hour where kind = $2 and bucket >= $1),
     at as (select s.id, s.site, count(*) over (partition by s.site) as exporters from sender s join exporters e on e.sender = s.id where s.site is not null)
     select id, site from at where exporters > 1`,
    [Math.floor(sinceUs / US_PER_HOUR), KINDS.indexOf("flow")],
  );
  const { rows: blocks } = await db.query<{ block: string; site: string }>(
    `select host(a.address) as block, s.site from sender_address a join sender s on s.id = a.sender where s.site is not null
     union all
     select e.value, s.site from list_entry e join list l on l.id = e.list and lower(l.name) = $1
       join (select distinct site from sender) s on lower(s.site) = lower(e.note)
       where e.expires_us is null or e.expires_us > $2 limit ${MOST_NETWORKS}`,
    [OWN_NETWORKS, nowUs],
  );
  const networks = blocks.flatMap(({ block, site }) => {
    const network: Network | null = parseNetwork(block);
    // what stands between two sites cannot be part of one
    return network === null ? [] : [{ network, site: site.replaceAll("\t", " ") }];
  });
  // a sender within a block of its own site says nothing more
  const wide = networks.filter(({ network: n }) => n.bits < (n.family === 4 ? 32 : 128));
  return {
    shared: new Map(shared.map((r) => [r.id, r.site])),
    networks: networks.filter(
      (n) => wide.includes(n) || !wide.some((w) => w.site === n.site && networkContains(w.network, n.network.first)),
    ),
  };
}
