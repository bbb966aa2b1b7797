import { UsmUsers, usmUser } from "@halvik/core/decode/snmp";
import { Timeline, USM } from "@halvik/simulator";
import pg from "pg";
import type { Arrival } from "../packages/server/src/domains/intake/arrivals/arrival.js";
import { decodeBatch } from "../packages/server/src/domains/intake/pipeline/decode-batch.js";
import { Decoders } from "../packages/server/src/domains/intake/pipeline/decoders.js";
import { SenderRegistry } from "../packages/server/src/domains/intake/senders/registry.js";
import { loadMeanings } from "../packages/server/src/domains/names/repository.js";
import { loadConfig } from "../packages/server/src/kernel/config/config.js";
import { loadSecrets } from "../packages/server/src/kernel/config/secrets.js";
import { connectionOf } from "../packages/server/src/kernel/db/pool.js";
import { nodeSnmpCrypto } from "../packages/server/src/kernel/snmp-crypto.js";
import { BatchWriter } from "../packages/server/src/store/batches.js";
import { claimCollector } from "../packages/server/src/store/collectors.js";
import { IdSource } from "../packages/server/src/store/record-id.js";
import { KeptShapes } from "../packages/server/src/store/shapes.js";

const BATCH = 20_000;

/** Loads some minutes of Orvane Ferries at a rate, by the product's own decoding and storing, as one collector; prints how many. */
export async function loadMinutes([name, fromMinute, toMinute, rate, seed]: readonly string[]): Promise<void> {
  const config = loadConfig(process.env);
  const client = new pg.Client(connectionOf(config, loadSecrets(config.HALVIK_DATA_DIR), "owner"));
  await client.connect();
  const claim = await claimCollector(client, name!, "import");
  const writer = new BatchWriter(client, claim.number, null);
  const ids = new IdSource(claim.number, claim.lastIdUs);
  const registry = new SenderRegistry("UTC");
  await registry.refresh(client);
  const shapes = await KeptShapes.load(client, Date.now() * 1_000);
  const decoders = new Decoders();
  decoders.settings = {
    users: new UsmUsers([usmUser(nodeSnmpCrypto, USM)], nodeSnmpCrypto),
    meanings: await loadMeanings(client),
    mappings: new Map(),
    maxBehindUs: Number.POSITIVE_INFINITY,
  };
  const timeline = new Timeline({ seed: Number(seed), storyEveryMinutes: 149, rate: Number(rate) }, nodeSnmpCrypto);
  let number = claim.lastBatch;
  let arrivals: Arrival[] = [];
  let stored = 0;

  async function flush(): Promise<void> {
    decoders.begin();
    // stored when it arrived, as a collector would have: ids follow time
    const at = arrivals[arrivals.length - 1]!.receivedUs;
    const { records } = decodeBatch(arrivals, registry, { decoders, ids, nowUs: at, imported: false, shapes });
    await shapes.save(client, at);
    await writer.commit({ number: ++number, records, throughUs: at, runRules: false }, at);
    stored += records.length;
    arrivals = [];
  }

  for (let minute = Number(fromMinute); minute < Number(toMinute); minute++) {
    for (const s of timeline.minute(minute))
      arrivals.push({
        protocol: s.protocol,
        endpoint: s.protocol,
        peer: s.device.alias,
        receivedUs: s.arrivesUs,
        bytes: s.payload,
        held: false,
      });
    if (arrivals.length >= BATCH) await flush();
  }
  if (arrivals.length > 0) await flush();
  await writer.close();
  await client.end();
  console.log(stored);
}
