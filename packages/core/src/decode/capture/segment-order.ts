const MOST_PENDING_BYTES = 1024 * 1024;
/** Pieces are gone through for each that comes: many small ones would make that long. */
const MOST_PENDING_PIECES = 512;
const NONE: OrderedPiece[] = [];
const distance = (from: number, to: number): number => ((to - from + 0x80000000) >>> 0) - 0x80000000;

/** Bytes of one direction that follow on, and how many are missing before them because they never came. */
export interface OrderedPiece {
  readonly bytes: Uint8Array;
  readonly missing: number;
}

/** Puts the segments of one direction of a TCP connection in order (RFC 9293): retransmissions and overlaps are cut, gaps waited for within bounds. */
export class SegmentOrder {
  private readonly pending = new Map<number, Uint8Array>();
  private pendingBytes = 0;
  private missing = 0;

  /** @param next sequence number of the first octet @param most octets that are held while one before them is missing */
  constructor(
    private next: number,
    private readonly most = MOST_PENDING_BYTES,
  ) {}

  /** Octets that are held while some before them are missing. */
  get held(): number {
    return this.pendingBytes;
  }

  /**
   * @param sequence of the first octet of `bytes`
   * @param cut octets of the segment behind `bytes` that were not captured
   * @returns what follows on; the octets may be those of `bytes` itself
   */
  add(sequence: number, bytes: Uint8Array, cut = 0): OrderedPiece[] {
    // mostly a segment is the next one
    if (sequence === this.next && cut === 0 && this.pending.size === 0) {
      if (bytes.length === 0) return NONE;
      const { missing } = this;
      this.missing = 0;
      this.next = (this.next + bytes.length) >>> 0;
      return [{ bytes, missing }];
    }
    const out: OrderedPiece[] = [];
    if (bytes.length > 0) {
      if (!this.pending.has(sequence)) {
        // a frame's bytes may be used again
        this.pending.set(sequence, new Uint8Array(bytes));
        this.pendingBytes += bytes.length;
      }
      this.drain(out);
      while (this.pendingBytes > this.most || this.pending.size > MOST_PENDING_PIECES) {
        this.skipGap();
        this.drain(out);
      }
    }
    if (cut > 0 && distance(this.next, (sequence + bytes.length) >>> 0) === 0) {
      this.next = (this.next + cut) >>> 0;
      this.missing += cut;
      this.drain(out);
    }
    return out;
  }

  /** Nothing more comes: what waits is given, whatever is missing before it. */
  end(): OrderedPiece[] {
    const out: OrderedPiece[] = [];
    while (this.pending.size > 0) {
      this.skipGap();
      this.drain(out);
    }
    return out;
  }

  /** The pending bytes that follow on, in order. */
  private drain(out: OrderedPiece[]): void {
    for (let again = true; again; ) {
      again = false;
      for (const [start, bytes] of this.pending) {
        const ahead = distance(this.next, start);
        if (ahead > 0) continue;
        this.pending.delete(start);
        this.pendingBytes -= bytes.length;
        if (-ahead < bytes.length) {
          const fresh = bytes.subarray(-ahead);
          out.push({ bytes: fresh, missing: this.missing });
          this.missing = 0;
          this.next = (this.next + fresh.length) >>> 0;
          again = true;
        }
      }
    }
  }

  private skipGap(): void {
    let least = Number.POSITIVE_INFINITY;
    for (const start of this.pending.keys()) least = Math.min(least, distance(this.next, start));
    if (!Number.isFinite(least) || least <= 0) return;
    this.next = (this.next + least) >>> 0;
    this.missing += least;
  }
}
