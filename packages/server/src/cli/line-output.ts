import type { Writable } from "node:stream";

/** So many characters are written at once: a line by itself costs a call of the system. */
const AT_ONCE = 256 * 1_024;

/** Lines that go out together: as many as come at once, and what there is as soon as nothing more does. */
export class LineOutput {
  private waiting: string[] = [];
  private length = 0;

  constructor(private readonly to: Writable) {}

  /** @returns something to wait for where whoever reads is slower */
  line(text: string): Promise<void> | undefined {
    if (this.waiting.length === 0) setImmediate(() => this.flush());
    this.waiting.push(text);
    this.length += text.length + 1;
    if (this.length < AT_ONCE || this.flush()) return undefined;
    return new Promise((resolve) => this.to.once("drain", resolve));
  }

  /** @returns whether more may be written at once */
  flush(): boolean {
    if (this.waiting.length === 0) return true;
    const text = `${this.waiting.join("\n")}\n`;
    this.waiting = [];
    this.length = 0;
    return this.to.write(text);
  }
}
