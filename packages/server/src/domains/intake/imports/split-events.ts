import { DecodeError } from "@halvik/core/base/bytes";
import { type CutEvent, EventCutter } from "@halvik/core/decode/windows";
import type { InputMessage } from "./input-message.js";

/** Event elements of a document of any size, one after another. */
export class EventSplitter {
  private readonly decoder: TextDecoder;
  private readonly cutter = new EventCutter();

  constructor(encoding: "utf-8" | "utf-16le" | "utf-16be") {
    this.decoder = new TextDecoder(encoding);
  }

  *push(chunk: Uint8Array): Generator<InputMessage> {
    yield* messages(this.cutter.push(this.decoder.decode(chunk, { stream: true })));
  }

  *end(): Generator<InputMessage> {
    yield* messages(this.cutter.push(this.decoder.decode()));
    yield* messages(this.cutter.end());
  }
}

/** @throws {DecodeError} FORBIDDEN_XML after the message that says so: nothing more of the file is read */
function* messages(cuts: Iterable<CutEvent>): Generator<InputMessage> {
  for (const cut of cuts) {
    if ("xml" in cut)
      yield { type: "item", protocol: "windows", line: cut.number, bytes: Buffer.from(cut.xml, "utf8") };
    else {
      yield { type: "bad item", line: cut.number, problem: cut.problem };
      if (cut.problem.code === "FORBIDDEN_XML") throw new DecodeError("FORBIDDEN_XML", 0, cut.problem.message);
    }
  }
}
