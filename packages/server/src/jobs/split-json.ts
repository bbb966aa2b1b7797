import { parseJsonRecords } from "@halvik/core/json";
import type { InputMessage } from "./input-message.js";
import { LineSplitter } from "./split-lines.js";

/** One object or array in one piece must be read whole; lines of objects need not. */
const MAX_WHOLE_BYTES = 64 * 1024 * 1024;

/** JSON records: an object a line in bounded memory, or one value spread over lines, up to 64 MiB. */
export class JsonSplitter {
  private readonly lines = new LineSplitter(null);
  private mode: "untold" | "lines" | "whole" = "untold";
  private parts: Uint8Array[] = [];
  private bytes = 0;

  *push(chunk: Uint8Array): Generator<InputMessage> {
    for (const message of this.lines.push(chunk)) yield* this.take(message);
  }

  *end(): Generator<InputMessage> {
    for (const message of this.lines.end()) yield* this.take(message);
    if (this.mode !== "whole") return;
    if (this.bytes > MAX_WHOLE_BYTES) {
      yield {
        type: "bad item",
        line: 1,
        problem: {
          code: "TOO_LONG",
          offset: 0,
          message: "JSON: one value of more than 64 MiB; write an object a line",
        },
      };
      return;
    }
    let number = 0;
    for (const item of parseJsonRecords(Buffer.concat(this.parts).toString("utf8"))) {
      number++;
      if ("problem" in item) yield { type: "bad item", line: number, problem: item.problem };
      else yield { type: "item", protocol: "json", line: number, bytes: Buffer.from(item.json, "utf8") };
    }
  }

  private *take(message: InputMessage): Generator<InputMessage> {
    if (message.type !== "item") {
      yield message;
      return;
    }
    if (this.mode === "untold") this.mode = isObject(message.bytes) ? "lines" : "whole";
    if (this.mode === "whole") {
      this.bytes += message.bytes.length + 1;
      if (this.bytes <= MAX_WHOLE_BYTES) this.parts.push(Buffer.concat([message.bytes, Buffer.from("\n")]));
    } else if (message.bytes.some((b) => b > 32)) yield { ...message, protocol: "json" };
  }
}

function isObject(bytes: Uint8Array): boolean {
  try {
    const value: unknown = JSON.parse(Buffer.from(bytes).toString("utf8"));
    return typeof value === "object" && value !== null && !Array.isArray(value);
  } catch {
    return false;
  }
}
