import type { UnnamedTraffic } from "@halvik/contract/traffic";
import { formatUs, US_PER_HOUR } from "@halvik/core/base/time";
import { filterOf, readApplication, sayValue } from "@halvik/core/traffic";
import type { Queryable } from "../../kernel/db/pool.js";
import { firstSummed } from "../../store/traffic/read-sums.js";
import { listSource } from "./lists.js";
import { asked, type Question } from "./question.js";

const SHOWN = 30;
const SERVERS_SHOWN = 3;

/** The biggest traffic without a name: by which port, at whom, since when. */
export async function unnamedOf(db: Queryable, q: Question): Promise<UnnamedTraffic> {
  const source = await listSource(db, q, ["application", "service"]);
  const [applications, services] = [
    await source.top("application", Number.POSITIVE_INFINITY),
    await source.top("service", Number.POSITIVE_INFINITY),
  ];
  const unnamed = applications.rows
    .filter((row) => sayValue("application", row.value, q.applications).isUnnamed)
    // those of whom all their servers have a name of their own are named
    .slice(0, SHOWN);
  const since = await firstSummed(
    db,
    "application",
    unnamed.map((u) => u.value),
  );
  return {
    asked: asked({ ...q, fromUs: source.fromUs, toUs: source.toUs }, source.sumsUs, source.reachedUs),
    rows: unnamed.map(({ value, bytes, packets, flows }) => {
      const said = sayValue("application", value, q.applications);
      const read = readApplication(value) as { protocol: number; port: number };
      const firstUs = since.get(value);
      return {
        label: said.label,
        protocol: read.protocol,
        port: read.port,
        amounts: { bytes, packets, flows },
        since: firstUs === undefined ? null : formatUs(firstUs * US_PER_HOUR),
        servers: services.rows
          .filter((s) => s.value.endsWith(` ${value}`))
          .slice(0, SERVERS_SHOWN)
          .map((s) => ({
            address: s.value.slice(0, s.value.indexOf(" ")),
            name: nameAt(s.value, q),
            bytes: s.bytes,
          })),
        filter: filterOf("application", value, said)!,
      };
    }),
  };
}

/** A name may ask for an address: of some of its servers it may have one. */
function nameAt(service: string, q: Question): string | null {
  const said = sayValue("service", service, q.applications);
  return said.isUnnamed ? null : said.label.split(" ").slice(2).join(" ");
}
