import { JsonRecords } from "@halvik/core/decode/json";
import type { InputMessage } from "./input-message.js";

/** JSON records of a file of any size, in bounded memory: see `JsonRecords`. */
export class JsonSplitter {
  private readonly records = new JsonRecords();
  private readonly decoder = new TextDecoder("utf-8");

  *push(chunk: Uint8Array): Generator<InputMessage> {
    yield* this.messages(this.records.push(this.decoder.decode(chunk, { stream: true })));
  }

  *end(): Generator<InputMessage> {
    yield* this.messages(this.records.push(this.decoder.decode()));
    yield* this.messages(this.records.end());
  }

  private *messages(items: ReturnType<JsonRecords["push"]>): Generator<InputMessage> {
    for (const item of items) {
      if ("problem" in item) yield { type: "bad item", line: item.at, problem: item.problem };
      else yield { type: "item", protocol: "json", line: item.at, bytes: Buffer.from(item.json, "utf8") };
    }
  }
}
