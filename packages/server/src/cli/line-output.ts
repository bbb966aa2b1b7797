import type { Writable } from "node:stream";
import { JsonBytes } from "@halvik/core/base/bytes";

/** So many octets are written at once: a line by itself costs a call of the system. */
const AT_ONCE = 256 * 1_024;

/** Lines of JSON that go out together: as many as come at once, and what there is as soon as nothing more does. */
export class LineOutput {
  private readonly json = new JsonBytes(2 * AT_ONCE);

  constructor(private readonly to: Writable) {}

  /** @param write writes one line, without its end */
  line(write: (json: JsonBytes) => void): void {
    if (this.json.length === 0) setImmediate(() => this.flush());
    write(this.json);
    this.json.ascii("\n");
  }

  /** @returns something to wait for, before more is said, where whoever reads is slower */
  room(): Promise<void> | undefined {
    if (this.json.length < AT_ONCE || this.flush()) return undefined;
    return new Promise((resolve) => this.to.once("drain", resolve));
  }

  /** @returns whether more may be written at once */
  flush(): boolean {
    return this.json.length === 0 || this.to.write(this.json.take());
  }
}
