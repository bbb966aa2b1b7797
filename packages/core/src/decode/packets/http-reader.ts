import type { EpochUs } from "../../base/time/index.js";

/** The first line and the fields of a message (RFC 9112 sections 3 to 5). Names of fields are in small letters. */
export interface HttpHead {
  readonly first: string;
  readonly fields: ReadonlyMap<string, string>;
}

export interface HttpEvents {
  /** @returns whether a body may follow; "over": what follows is not HTTP */
  head(head: HttpHead, beganUs: EpochUs, timeUs: EpochUs): "body" | "no body" | "over";
  /** The message is whole, with so many octets of body. */
  done(bodyBytes: number, timeUs: EpochUs): void;
}

const MOST_HEAD = 16_384;
const MOST_LINE = 256;

type State =
  | { readonly at: "head" }
  | { readonly at: "length"; left: number }
  | { readonly at: "chunk size" }
  | { readonly at: "chunk"; left: number }
  | { readonly at: "trailer" }
  | { readonly at: "until the end" }
  | { readonly at: "over" };

const HEAD: State = { at: "head" };
const OVER: State = { at: "over" };

/** The messages of one direction of an HTTP/1 connection (RFC 9112). Bodies are counted and passed over, never kept. */
export class HttpReader {
  private state: State = HEAD;
  private held = "";
  private beganUs: EpochUs | null = null;
  private bodyBytes = 0;
  private readonly lines: string[] = [];
  /** Octets of the head, or of the lines around a chunk, so far. */
  private headBytes = 0;

  constructor(private readonly events: HttpEvents) {}

  get isOver(): boolean {
    return this.state.at === "over";
  }

  /** Octets that are held. */
  get heldBytes(): number {
    return this.held.length + this.headBytes;
  }

  push(timeUs: EpochUs, bytes: Uint8Array): void {
    let rest = bytes;
    while (rest.length > 0 && this.state.at !== "over") rest = this.step(timeUs, rest);
  }

  /** Octets that never came: inside a body they are counted, elsewhere nobody can tell where the next message begins. */
  miss(timeUs: EpochUs, octets: number): void {
    const { state } = this;
    if (state.at === "until the end") this.bodyBytes += octets;
    else if ((state.at === "length" || state.at === "chunk") && octets <= state.left)
      this.passOver(timeUs, state, octets);
    else this.state = OVER;
  }

  /** The connection has ended: so has a body that lasts until then. */
  end(timeUs: EpochUs): void {
    if (this.state.at === "until the end") this.events.done(this.bodyBytes, timeUs);
    this.state = OVER;
  }

  private step(timeUs: EpochUs, bytes: Uint8Array): Uint8Array {
    const { state } = this;
    switch (state.at) {
      case "head":
        this.beganUs ??= timeUs;
        return this.line(bytes, MOST_HEAD, (line) => this.headLine(timeUs, line));
      case "chunk size":
        return this.line(bytes, MOST_LINE, (line) => this.chunkSize(line));
      case "trailer":
        return this.line(bytes, MOST_LINE, (line) => {
          if (line === "") this.finish(timeUs);
        });
      case "until the end":
        this.bodyBytes += bytes.length;
        return bytes.subarray(bytes.length);
      case "length":
      case "chunk": {
        const taken = Math.min(state.left, bytes.length);
        this.passOver(timeUs, state, taken);
        return bytes.subarray(taken);
      }
      case "over":
        return bytes.subarray(bytes.length);
    }
  }

  private passOver(timeUs: EpochUs, state: { readonly at: "length" | "chunk"; left: number }, octets: number): void {
    state.left -= octets;
    this.bodyBytes += octets;
    if (state.left > 0) return;
    if (state.at === "length") this.finish(timeUs);
    else {
      // the line end behind a chunk's data is none of it
      this.bodyBytes -= 2;
      this.state = { at: "chunk size" };
    }
  }

  /** Takes octets up to a line end, and the line when it is whole. */
  private line(bytes: Uint8Array, most: number, take: (line: string) => void): Uint8Array {
    const end = bytes.indexOf(10);
    const part = bytes.subarray(0, end < 0 ? bytes.length : end);
    this.headBytes += part.length + 1;
    if (this.held.length + part.length > most || this.headBytes > MOST_HEAD) {
      this.state = OVER;
      return bytes.subarray(bytes.length);
    }
    for (const octet of part) this.held += String.fromCharCode(octet);
    if (end < 0) return bytes.subarray(bytes.length);
    const line = this.held.endsWith("\r") ? this.held.slice(0, -1) : this.held;
    this.held = "";
    take(line);
    return bytes.subarray(end + 1);
  }

  private headLine(timeUs: EpochUs, line: string): void {
    // RFC 9112 section 2.2: empty lines before a message are passed over
    if (line !== "" || this.lines.length > 0) this.lines.push(line);
    if (line !== "" || this.lines.length === 0) return;
    const [first = "", ...rest] = this.lines.splice(0);
    const fields = new Map<string, string>();
    for (const text of rest) {
      const colon = text.indexOf(":");
      if (colon <= 0) continue;
      const name = text.slice(0, colon).trim().toLowerCase();
      const value = text.slice(colon + 1).trim();
      const known = fields.get(name);
      fields.set(name, known === undefined ? value : `${known}, ${value}`);
    }
    const beganUs = this.beganUs ?? timeUs;
    this.bodyBytes = 0;
    this.headBytes = 0;
    this.state = HEAD;
    const follows = this.events.head({ first, fields }, beganUs, timeUs);
    if (follows === "over") this.state = OVER;
    else if (follows === "no body") this.finish(timeUs);
    else this.begin(timeUs, first, fields);
  }

  /** How long the body is (RFC 9112 section 6.3). */
  private begin(timeUs: EpochUs, first: string, fields: ReadonlyMap<string, string>): void {
    const coding = fields.get("transfer-encoding")?.toLowerCase();
    const length = fields.get("content-length");
    if (coding !== undefined) this.state = coding.endsWith("chunked") ? { at: "chunk size" } : { at: "until the end" };
    else if (length !== undefined && /^\d{1,15}$/.test(length)) {
      if (Number(length) === 0) this.finish(timeUs);
      else this.state = { at: "length", left: Number(length) };
    } else if (length !== undefined) this.state = OVER;
    else if (first.startsWith("HTTP/")) this.state = { at: "until the end" };
    else this.finish(timeUs);
  }

  private chunkSize(line: string): void {
    const size = /^[\da-f]{1,8}/i.exec(line)?.[0];
    if (size === undefined) this.state = OVER;
    else if (Number.parseInt(size, 16) === 0) this.state = { at: "trailer" };
    else this.state = { at: "chunk", left: Number.parseInt(size, 16) + 2 };
    this.headBytes = 0;
  }

  private finish(timeUs: EpochUs): void {
    this.state = HEAD;
    this.beganUs = null;
    this.headBytes = 0;
    this.events.done(this.bodyBytes, timeUs);
  }
}
