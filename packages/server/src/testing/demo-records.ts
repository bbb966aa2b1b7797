import { UsmUsers, usmUser } from "@halvik/core/decode/snmp";
import type { HalvikRecord } from "@halvik/core/model/record";
import { SenderDirectory } from "@halvik/core/model/senders";
import { roster, Timeline, type TimelineOptions, USM } from "@halvik/simulator";
import { decodeBatch } from "../domains/intake/pipeline/decode-batch.js";
import { Decoders } from "../domains/intake/pipeline/decoders.js";
import { SenderRegistry } from "../domains/intake/senders/registry.js";
import { nodeSnmpCrypto } from "../kernel/snmp-crypto.js";
import { formatRecordId, IdSource } from "../store/record-id.js";

/** What Orvane Ferries sends, decoded as a collector would, without a store: minute by minute. */
export class DemoRecords {
  readonly directory = new SenderDirectory(roster());
  private readonly registry = SenderRegistry.of(roster(), "UTC");
  private readonly decoders = new Decoders();
  private readonly ids = new IdSource(1, 0);
  private readonly timeline: Timeline;

  constructor(options: TimelineOptions) {
    this.timeline = new Timeline(options, nodeSnmpCrypto);
    this.decoders.settings = {
      ...this.decoders.settings,
      users: new UsmUsers([usmUser(nodeSnmpCrypto, USM)], nodeSnmpCrypto),
      maxBehindUs: Number.POSITIVE_INFINITY,
    };
  }

  /** Records of one minute since 1970, in order of arrival. */
  minute(minute: number): HalvikRecord[] {
    const arrivals = this.timeline.minute(minute).map((s) => ({
      protocol: s.protocol,
      endpoint: s.protocol,
      peer: s.device.address,
      receivedUs: s.arrivesUs,
      bytes: s.payload,
      held: false,
    }));
    if (arrivals.length === 0) return [];
    this.decoders.begin();
    const nowUs = arrivals[arrivals.length - 1]!.receivedUs;
    const { records } = decodeBatch(arrivals, this.registry, {
      decoders: this.decoders,
      ids: this.ids,
      nowUs,
      imported: false,
    });
    // filled in, not spread, as records from the store are: see emptyContent
    return records.map(({ id, content, sender, endpoint, copyOf }) =>
      Object.assign(content, { id: formatRecordId(id), sender, endpoint, copyOf, shape: null }),
    );
  }
}
