import { ByteReader, joined } from "../../base/bytes/index.js";

export interface TlsEvents {
  /** A whole handshake message in clear: its type and body (RFC 8446 section 4). */
  handshake(type: number, body: ByteReader): void;
  /** RFC 8446 section 6. */
  alert(isFatal: boolean, alert: number): void;
  changeCipherSpec(): void;
  /** A record of what is encrypted, so many octets long. */
  encrypted(octets: number): void;
  /** What follows is not TLS, or cannot be read on. */
  over(): void;
}

const CHANGE_CIPHER_SPEC = 20;
const ALERT = 21;
const APPLICATION_DATA = 23;
/** RFC 8446 section 5.2: 2^14 + 256; older versions allow 2^14 + 2048. */
const MOST_RECORD = 16_384 + 2_048;
/** Chains of certificates are a few thousand octets. */
const MOST_HANDSHAKE = 65_536;

/** The TLS records of one direction (RFC 8446 section 5.1, RFC 5246 section 6.2) until what they hold is encrypted; then only their lengths. */
export class TlsReader {
  private held: Uint8Array = new Uint8Array(0);
  private messages: Uint8Array = new Uint8Array(0);
  private isEncrypted = false;
  isOver = false;

  constructor(private readonly events: TlsEvents) {}

  get heldBytes(): number {
    return this.held.length + this.messages.length;
  }

  push(bytes: Uint8Array): void {
    if (this.isOver) return;
    const all = this.held.length === 0 ? bytes : joined(this.held, bytes);
    let at = 0;
    while (!this.isOver && all.length - at >= 5) {
      const length = (all[at + 3]! << 8) | all[at + 4]!;
      const type = all[at]!;
      if (type < CHANGE_CIPHER_SPEC || type > APPLICATION_DATA || all[at + 1] !== 3 || length > MOST_RECORD) {
        this.stop();
        return;
      }
      if (all.length - at - 5 < length) break;
      this.record(type, all.subarray(at + 5, at + 5 + length));
      at += 5 + length;
    }
    this.held = all.slice(at);
  }

  /** Nothing of this direction is wanted any more. */
  stop(): void {
    if (this.isOver) return;
    this.isOver = true;
    this.held = this.messages = new Uint8Array(0);
    this.events.over();
  }

  private record(type: number, body: Uint8Array): void {
    if (type === CHANGE_CIPHER_SPEC) {
      this.isEncrypted = true;
      this.events.changeCipherSpec();
    } else if (type === APPLICATION_DATA || this.isEncrypted) {
      this.events.encrypted(body.length);
    } else if (type === ALERT) {
      if (body.length === 2) this.events.alert(body[0] === 2, body[1]!);
    } else this.handshake(body);
  }

  /** Messages may share a record, and one may fill several. */
  private handshake(part: Uint8Array): void {
    this.messages = this.messages.length === 0 ? part.slice() : joined(this.messages, part);
    let at = 0;
    while (this.messages.length - at >= 4) {
      const m = this.messages;
      const length = (m[at + 1]! << 16) | (m[at + 2]! << 8) | m[at + 3]!;
      if (length > MOST_HANDSHAKE) {
        this.stop();
        return;
      }
      if (m.length - at - 4 < length) break;
      this.events.handshake(m[at]!, new ByteReader(m.subarray(at + 4, at + 4 + length)));
      at += 4 + length;
      if (this.isOver) return;
    }
    this.messages = this.messages.slice(at);
    if (this.messages.length > MOST_HANDSHAKE) this.stop();
  }
}
