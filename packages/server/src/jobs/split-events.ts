import { DecodeError } from "@halvik/core/bytes";
import type { InputMessage } from "./input-message.js";

const MAX_EVENT = 1024 * 1024;
const END = "</Event>";

/** Event elements of a document of any size, one after another. What stands between them is looked at for declarations only. */
export class EventSplitter {
  private text = "";
  private readonly decoder: TextDecoder;
  private number = 0;
  /** In the middle of an event that is too long: what comes until its end is passed over. */
  private skipping = false;

  constructor(encoding: "utf-8" | "utf-16le") {
    this.decoder = new TextDecoder(encoding);
  }

  *push(chunk: Uint8Array): Generator<InputMessage> {
    this.text += this.decoder.decode(chunk, { stream: true });
    yield* this.take(false);
  }

  *end(): Generator<InputMessage> {
    this.text += this.decoder.decode();
    yield* this.take(true);
  }

  private *take(ended: boolean): Generator<InputMessage> {
    for (;;) {
      if (this.skipping) {
        const end = this.text.indexOf(END);
        this.text = end < 0 ? this.text.slice(1 - END.length) : this.text.slice(end + END.length);
        if (end < 0) return;
        this.skipping = false;
      }
      const start = /<Event[\s>]/.exec(this.text)?.index ?? -1;
      const before = start < 0 ? this.text : this.text.slice(0, start);
      if (/<!(?!--)/.test(before)) {
        this.number++;
        yield this.bad(
          "FORBIDDEN_XML",
          "XML: a document type declaration is not accepted; nothing of this file was taken",
        );
        throw new DecodeError("FORBIDDEN_XML", 0, "a document type declaration");
      }
      if (start < 0) {
        // an opening tag may be cut by the end of this piece
        this.text = ended ? "" : this.text.slice(-16);
        return;
      }
      const end = this.text.indexOf(END, start);
      if (end < 0) {
        this.text = this.text.slice(start);
        if (!ended && this.text.length <= MAX_EVENT) return;
        this.number++;
        this.skipping = this.text.length > MAX_EVENT;
        yield this.skipping
          ? this.bad("TOO_LONG", "XML: expected events of at most 1 MiB")
          : this.bad("TRUNCATED", `XML: expected ${END}, got the end of the file`);
        if (this.skipping) continue;
        this.text = "";
        return;
      }
      const xml = this.text.slice(start, end + END.length);
      this.text = this.text.slice(end + END.length);
      this.number++;
      yield { type: "item", protocol: "windows", line: this.number, bytes: Buffer.from(xml, "utf8") };
    }
  }

  private bad(code: "FORBIDDEN_XML" | "TOO_LONG" | "TRUNCATED", message: string): InputMessage {
    return { type: "bad item", line: this.number, problem: { code, offset: 0, message } };
  }
}
