import { joined } from "../../base/bytes/index.js";
import type { EpochUs } from "../../base/time/index.js";
import type { DnsExchanges } from "./dns-exchanges.js";
import { type Ends, type StreamContent, turned } from "./ends.js";

const TCP = 6;
/** Longest message of DNS over TCP: its length has two octets (RFC 1035 section 4.2.2). */
const MOST = 65_535;

/** DNS over one TCP connection: messages behind their lengths. */
export class DnsConversation implements StreamContent {
  private readonly rest = { client: new Uint8Array(0), server: new Uint8Array(0) };
  isOver = false;

  constructor(
    private readonly client: Ends,
    private readonly dns: DnsExchanges,
  ) {}

  get held(): number {
    return this.rest.client.length + this.rest.server.length;
  }

  push(timeUs: EpochUs, fromClient: boolean, bytes: Uint8Array): void {
    const side = fromClient ? "client" : "server";
    const all = joined(this.rest[side], bytes);
    let at = 0;
    while (all.length - at >= 2) {
      const length = (all[at]! << 8) | all[at + 1]!;
      if (all.length - at - 2 < length) break;
      this.dns.add(timeUs, fromClient ? this.client : turned(this.client), TCP, all.subarray(at + 2, at + 2 + length));
      at += 2 + length;
    }
    this.rest[side] = all.slice(at, at + MOST + 2);
  }

  /** Where the next message begins nobody knows. */
  miss(): void {
    this.isOver = true;
  }

  end(): void {
    this.isOver = true;
  }
}
