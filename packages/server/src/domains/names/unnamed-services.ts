import { US_PER_DAY } from "@halvik/core/base/time";
import type { Applications } from "@halvik/core/model/applications";
import { CUT, readApplication, sayValue } from "@halvik/core/traffic";
import type { Queryable } from "../../kernel/db/pool.js";
import { everywhereByHour } from "../../store/traffic/read-sums.js";

const DAYS = 7;

/** Traffic of a port without a name. */
export interface UnnamedService {
  readonly protocol: number;
  readonly port: number;
  readonly flows: number;
  readonly bytes: number;
}

/** Ports that carried traffic in the last seven days and have no name, the most octets first. */
export async function unnamedServices(db: Queryable, known: Applications, nowUs: number): Promise<UnnamedService[]> {
  const byValue = new Map<string, { flows: number; bytes: number }>();
  for (const { value, flows, bytes } of await everywhereByHour(db, "application", [
    { fromUs: nowUs - DAYS * US_PER_DAY, toUs: nowUs },
  ])) {
    const sum = byValue.get(value) ?? { flows: 0, bytes: 0 };
    byValue.set(value, { flows: sum.flows + flows, bytes: sum.bytes + bytes });
  }
  return [...byValue]
    .flatMap(([value, sum]) => {
      if (value === CUT || !sayValue("application", value, known).isUnnamed) return [];
      const read = readApplication(value);
      return "said" in read ? [] : [{ ...read, ...sum }];
    })
    .sort((a, b) => b.bytes - a.bytes);
}
