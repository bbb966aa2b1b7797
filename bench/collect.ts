import { ArrivalRules } from "@halvik/core/arrive";
import { readyFormat } from "@halvik/core/formats";
import { newSender, SenderDirectory } from "@halvik/core/model/senders";
import { compileFilter, parseFilter } from "@halvik/core/query/filter";
import { ShapeBook } from "@halvik/core/shapes";
import type { Arrival } from "../packages/server/src/domains/intake/arrivals/arrival.js";
import { countArrivals, decodeBatch } from "../packages/server/src/domains/intake/pipeline/decode-batch.js";
import { Decoders } from "../packages/server/src/domains/intake/pipeline/decoders.js";
import { SenderRegistry } from "../packages/server/src/domains/intake/senders/registry.js";
import { IdSource } from "../packages/server/src/store/record-id.js";
import { dropping, fiftyFilters, TEN_FORMATS } from "./arrival-set.js";
import { deviceAddress, sayMachine } from "./harness.js";
import { mixedDatagram, SENDERS } from "./mixed-load.js";

/**
 * What a record of the mix costs a collector before it is written, without sockets, spool and database: decoded, read by ten formats, its shape
 * learnt, judged by fifty rules of arrival, counted.
 */
const records = Number(process.argv[2] ?? 200_000);
const runs = Number(process.argv[3] ?? 5);
/** About what comes in a tenth of a second of 15,000/s. */
const BATCH = 700;

sayMachine();
const senders = Array.from({ length: SENDERS }, (_, i) =>
  newSender(i + 1, `dev-${i}`, { addresses: [deviceAddress(i)] }),
);
const directory = new SenderDirectory(senders);
const filterOf = (text: string) => {
  const parsed = parseFilter(text, { zone: "UTC", directory });
  if (!parsed.ok) throw new Error(`${text}: ${parsed.error.message}`);
  return parsed.filter;
};
const registry = SenderRegistry.of(senders, "UTC");
const decoders = new Decoders();
const names = Array.from({ length: 50 }, (_, i) => `dev-${i % SENDERS}`);
const arrivalRules = new ArrivalRules(
  fiftyFilters(names).map((filter, id) => ({
    id,
    rule: { ...dropping(filter, id), does: "mark", tag: "met" },
    filter: filterOf(filter),
  })),
  directory,
  0,
);
decoders.settings = {
  ...decoders.settings,
  formats: TEN_FORMATS.map((format, i) =>
    readyFormat(i, format, compileFilter(filterOf(format.filter), { directory, nowUs: 0 })),
  ),
};
const shapes = new ShapeBook();
const ids = new IdSource(1, 0);
for (let run = 1, n = 0; run <= runs; run++) {
  const batches: Arrival[][] = [];
  for (let made = 0; made < records; ) {
    const batch: Arrival[] = [];
    for (let i = 0; i < BATCH; i++, n++) {
      const { protocol, payload, records: held } = mixedDatagram(n % SENDERS, n);
      const peer = deviceAddress(n % SENDERS);
      batch.push({ protocol, endpoint: protocol, peer, receivedUs: Date.now() * 1_000, bytes: payload, held: false });
      made += held;
    }
    batches.push(batch);
  }
  const started = process.cpuUsage();
  let made = 0;
  for (const batch of batches) {
    decoders.begin();
    const nowUs = Date.now() * 1_000;
    const decoded = decodeBatch(batch, registry, { decoders, ids, nowUs, imported: false, shapes, arrivalRules });
    countArrivals(batch, decoded, registry, decoders);
    made += decoded.records.length;
  }
  const { user, system } = process.cpuUsage(started);
  console.log(`run ${run}: ${((user + system) / made).toFixed(2)} µs a record of ${made.toLocaleString("en")}`);
}
