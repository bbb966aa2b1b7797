import { AgedMap } from "../../base/collections/index.js";
import type { IpPacket } from "./packet.js";

const MAX_SETS = 256;
const MAX_PACKET_BYTES = 65_535;

interface FragmentSet {
  readonly parts: { offset: number; bytes: Uint8Array }[];
  total: number | null;
}

/** Puts IP fragments together (RFC 791 section 3.2, RFC 8200 section 4.5). Bounded: the oldest of 256 sets gives way. */
export class Fragments {
  private readonly sets = new AgedMap<string, FragmentSet>();
  /** Sets given up because too many were open or they did not fit together. */
  abandoned = 0;

  get open(): number {
    return this.sets.size;
  }

  /** The whole packet once its last missing fragment came, else null. Packets that are no fragments pass through. */
  add(packet: IpPacket): IpPacket | null {
    const f = packet.fragment;
    if (f === null) return packet;
    const key = `${packet.src} ${packet.dst} ${packet.protocol} ${f.id}`;
    let set = this.sets.get(key);
    if (!set) {
      if (this.sets.size >= MAX_SETS) {
        this.sets.dropOldest();
        this.abandoned++;
      }
      set = { parts: [], total: null };
      this.sets.set(key, set);
    }
    const end = f.offset + packet.payload.length;
    if (end > MAX_PACKET_BYTES || set.parts.length > 8192) {
      this.sets.delete(key);
      this.abandoned++;
      return null;
    }
    if (!f.more) set.total = end;
    if (!set.parts.some((p) => p.offset === f.offset))
      set.parts.push({ offset: f.offset, bytes: new Uint8Array(packet.payload) });
    const whole = assemble(set);
    if (whole === null) return null;
    this.sets.delete(key);
    return { ...packet, payload: whole, fragment: null };
  }
}

function assemble(set: FragmentSet): Uint8Array | null {
  if (set.total === null) return null;
  set.parts.sort((a, b) => a.offset - b.offset);
  let reached = 0;
  for (const part of set.parts) {
    if (part.offset > reached) return null;
    reached = Math.max(reached, part.offset + part.bytes.length);
  }
  if (reached < set.total) return null;
  const out = new Uint8Array(Math.max(set.total, reached));
  for (const part of set.parts) out.set(part.bytes, part.offset);
  return out.subarray(0, set.total);
}
