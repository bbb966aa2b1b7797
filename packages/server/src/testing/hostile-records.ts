import { UsmUsers, usmUser } from "@halvik/core/decode/snmp";
import type { Arrival } from "../domains/intake/arrivals/arrival.js";
import { decodeBatch } from "../domains/intake/pipeline/decode-batch.js";
import { Decoders } from "../domains/intake/pipeline/decoders.js";
import { loneSender, SenderRegistry } from "../domains/intake/senders/registry.js";
import { nodeSnmpCrypto } from "../kernel/snmp-crypto.js";
import { FLOW_COLUMNS } from "../store/flow-columns.js";
import { RECORD_COLUMNS, type StoredContent } from "../store/record-columns.js";
import { IdSource } from "../store/record-id.js";
import { takes } from "./copy-judge.js";
import { HostileInputs, USM } from "./hostile-inputs.js";

const PEER = "192.0.2.7";

/** What the collector makes of hostile inputs from one admitted sender, in batches, the same for the same seed. */
export class HostileRecords {
  readonly decoders = new Decoders();
  private readonly registry = SenderRegistry.of(
    [{ ...loneSender("UTC").facts, addresses: [PEER], state: "admitted" }],
    "UTC",
  );
  private readonly inputs: HostileInputs;
  private readonly ids: IdSource;

  constructor(
    seed: number,
    private readonly atUs: number,
    collector: number,
  ) {
    this.inputs = new HostileInputs(seed, atUs);
    this.ids = new IdSource(collector, 0);
    this.decoders.settings = {
      ...this.decoders.settings,
      users: new UsmUsers([usmUser(nodeSnmpCrypto, USM)], nodeSnmpCrypto),
      maxBehindUs: Number.POSITIVE_INFINITY,
    };
  }

  next(inputs: number): readonly StoredContent[] {
    const arrivals: Arrival[] = Array.from({ length: inputs }, () => ({
      ...this.inputs.next(),
      endpoint: "test",
      peer: PEER,
      receivedUs: this.atUs,
      held: false,
    }));
    this.decoders.begin();
    return decodeBatch(arrivals, this.registry, {
      decoders: this.decoders,
      ids: this.ids,
      nowUs: this.atUs,
      imported: false,
    }).records;
  }
}

/** The first value that its column would not take, with the record's beginning. */
export function refused(records: readonly StoredContent[]): string | null {
  for (const record of records)
    for (const { name, copy, sql, value } of record.content.flow === null ? RECORD_COLUMNS : FLOW_COLUMNS) {
      const v = value(record);
      if (!takes(copy, v) || ((v === null || v === undefined) && sql.includes("not null")))
        return `${name} (${sql}): ${JSON.stringify(v)?.slice(0, 300)} of ${JSON.stringify(record.content.head).slice(0, 300)}`;
    }
  return null;
}
