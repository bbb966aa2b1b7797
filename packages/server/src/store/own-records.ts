import { OWN_SENDER } from "@halvik/core/model/senders";
import { type OwnObservation, ownRecord } from "@halvik/core/normalise";
import { nowUs } from "../kernel/clock.js";
import type { Client } from "../kernel/db/pool.js";
import { BatchWriter } from "./batches.js";
import { claimCollector } from "./collectors.js";
import { IdSource } from "./record-id.js";
import { KeptShapes } from "./shapes.js";

/** Writes what a role notices as records, under a collector number of its own. */
export class OwnRecords {
  private constructor(
    private readonly writer: BatchWriter,
    private readonly ids: IdSource,
    private readonly client: Client,
    private readonly shapes: KeptShapes,
    private number: number,
  ) {}

  static async open(client: Client, name: string): Promise<OwnRecords> {
    const claim = await claimCollector(client, name, "engine");
    return new OwnRecords(
      new BatchWriter(client, claim.number, null),
      new IdSource(claim.number, claim.lastIdUs),
      client,
      await KeptShapes.load(client, nowUs(), "halvik"),
      claim.lastBatch,
    );
  }

  async write(observations: readonly OwnObservation[]): Promise<void> {
    if (observations.length === 0) return;
    const now = nowUs();
    const records = observations.map((o) => {
      const content = ownRecord(o, now);
      const shape = this.shapes.learn(content);
      return { id: this.ids.next(now), sender: OWN_SENDER, endpoint: "halvik", copyOf: null, shape, content };
    });
    await this.shapes.save(this.client, now);
    await this.writer.commit({ number: this.number + 1, records, throughUs: now, runRules: true }, now);
    this.number++;
  }
}
