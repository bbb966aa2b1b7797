import type { RecordContent } from "@halvik/core/model/record";
import pg from "pg";
import { nowUs } from "../kernel/clock.js";
import { connectionOf } from "../kernel/db/pool.js";
import { BatchWriter } from "../store/batches.js";
import { claimCollector } from "../store/collectors.js";
import { IdSource } from "../store/record-id.js";
import { KeptShapes } from "../store/shapes.js";
import { TestApi } from "./test-api.js";
import { startTestInstance, type TestInstance } from "./test-database.js";

/** A database of its own with a writer, and the API in front of it: what is stored is asked for as people ask. */
export class TestStore {
  private number = 0;

  private constructor(
    readonly instance: TestInstance,
    /** The owner's session. */
    readonly client: pg.Client,
    /** What may be done is what the keeper may do. */
    readonly keeper: pg.Client,
    readonly api: TestApi,
    readonly writer: BatchWriter,
    readonly ids: IdSource,
    private readonly shapes: KeptShapes,
  ) {}

  static async start(): Promise<TestStore> {
    const instance = await startTestInstance();
    const session = async (role: "owner" | "keeper") => {
      const client = new pg.Client(connectionOf(instance.config, instance.secrets, role));
      await client.connect();
      return client;
    };
    const client = await session("owner");
    const claim = await claimCollector(client, "test", "live");
    return new TestStore(
      instance,
      client,
      await session("keeper"),
      await TestApi.start(instance),
      new BatchWriter(client, claim.number, null),
      new IdSource(claim.number, 0),
      await KeptShapes.load(client, nowUs()),
    );
  }

  /** @returns its number */
  async addSender(name: string, site: string | null = null, addresses: readonly string[] = []): Promise<number> {
    const { rows } = await this.client.query<{ id: number }>(
      "insert into sender (name, state, site) values ($1, 'admitted', $2) returning id",
      [name, site],
    );
    const { id } = rows[0]!;
    for (const address of addresses)
      await this.client.query("insert into sender_address (sender, address) values ($1, $2)", [id, address]);
    return id;
  }

  /** Stores records in one batch, as a collector does. */
  async put(
    records: readonly { readonly sender: number; readonly content: RecordContent }[],
    into = this.writer,
    endpoint = "test",
  ): Promise<void> {
    const stored = records.map(({ sender, content }) => ({
      id: this.ids.next(nowUs()),
      sender,
      endpoint,
      copyOf: null,
      shape: this.shapes.learn(content),
      content,
    }));
    await this.shapes.save(this.client, nowUs());
    await into.commit({ number: ++this.number, records: stored, throughUs: 0, runRules: false }, nowUs());
  }

  async dispose(): Promise<void> {
    await this.api.close();
    await this.client.end();
    await this.keeper.end();
    await this.instance.dispose();
  }
}
