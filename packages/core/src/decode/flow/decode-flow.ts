import { ByteReader, DecodeError, type DecodeProblem } from "../../base/bytes/index.js";
import { type EpochUs, US_PER_MINUTE, US_PER_MS, US_PER_SECOND } from "../../base/time/index.js";
import type { ExportClock } from "./data-record.js";
import { ExporterDomain, restoreDomain, type SavedDomain, saveDomain } from "./exporter.js";
import type { FlowRecord, InterfaceMeasure } from "./flow-record.js";
import { readNetFlow5 } from "./netflow5.js";
import { noResult, readDataSet, readSets } from "./sets.js";
import { readSFlow } from "./sflow.js";
import type { SavedUses } from "./template-use.js";

export type FlowProtocol = "NetFlow v5" | "NetFlow v9" | "IPFIX" | "sFlow v5";

/** What a datagram said. */
export interface FlowDatagram {
  readonly protocol: FlowProtocol;
  /** Observation domain, source id, engine or sub-agent. */
  readonly domain: number;
  readonly sequence: number;
  readonly records: readonly FlowRecord[];
  readonly measures: readonly InterfaceMeasure[];
  /** Datagrams (v9, sFlow) or records (v5, IPFIX) that the exporter counted and that did not come. */
  readonly missed: number;
  /** Sets of this datagram held for their template. */
  readonly held: number;
  /** Earlier sets that could be read now, with when they arrived. */
  readonly released: readonly { readonly receivedUs: number; readonly records: readonly FlowRecord[] }[];
  readonly problems: readonly DecodeProblem[];
  /** The agent an sFlow datagram names, else null. */
  readonly agent: string | null;
}

type DomainCounts = Pick<ExporterDomain, "expected" | "missed" | "outOfOrder"> & {
  readonly uses: ReturnType<ExporterDomain["uses"]["all"]>;
};

interface HeldSet {
  readonly key: string;
  readonly id: number;
  readonly body: Uint8Array;
  readonly clock: ExportClock;
  readonly receivedUs: number;
}

/** Bounds of the data held for templates: a template usually comes within a minute, at most in half an hour. */
const MAX_HELD_SETS = 20_000;
const MAX_HELD_BYTES = 16 * 1024 * 1024;
const MAX_HELD_US = 30 * US_PER_MINUTE;
const MAX_DOMAINS = 4_096;

/** Data sets of one stream that cannot be read before their template comes. */
export interface FlowWaiting {
  /** Exporter, protocol and observation domain. */
  readonly stream: string;
  readonly template: number;
  readonly sets: number;
  readonly octets: number;
  /** When the first of them came. */
  readonly sinceUs: EpochUs;
}

/** Decodes flow datagrams of many exporters; keeps what each has said about its data. Bounded whatever arrives. */
export class FlowDecoder {
  private readonly domains = new Map<string, ExporterDomain>();
  private held: HeldSet[] = [];
  private heldBytes = 0;
  /** Held sets given up: too many, or their template did not come in half an hour. */
  givenUp = 0;

  /** What a transaction began with: held sets, and the counts of domains it touched. */
  private before: {
    readonly held: HeldSet[];
    readonly heldBytes: number;
    readonly givenUp: number;
    readonly counts: Map<ExporterDomain, DomainCounts>;
  } | null = null;

  /** From here on, `rollback` undoes what decoding changed, but for templates: those are true whatever becomes of the batch. */
  begin(): void {
    this.before = { held: [...this.held], heldBytes: this.heldBytes, givenUp: this.givenUp, counts: new Map() };
  }

  /** The batch was not stored and will be decoded again: sets released are held again, sequence numbers go back. */
  rollback(): void {
    if (this.before === null) return;
    this.held = this.before.held;
    this.heldBytes = this.before.heldBytes;
    this.givenUp = this.before.givenUp;
    for (const [domain, { uses, ...counts }] of this.before.counts) {
      Object.assign(domain, counts);
      domain.uses.reset(uses);
    }
    this.before = null;
  }

  get heldSets(): number {
    return this.held.length;
  }

  /** @throws {DecodeError} when nothing of the datagram can be read */
  decode(bytes: Uint8Array, exporter: string, receivedUs: number): FlowDatagram {
    switch (flowProtocol(bytes)) {
      case "NetFlow v5":
        return this.netFlow5(bytes, exporter);
      case "NetFlow v9":
        return this.netFlow9(bytes, exporter, receivedUs);
      case "IPFIX":
        return this.ipfix(bytes, exporter, receivedUs);
      case "sFlow v5":
        return this.sFlow(bytes, exporter);
      default:
        throw new DecodeError(
          "NOT_FLOW",
          0,
          `version: expected NetFlow 5 or 9, IPFIX 10 or sFlow 5, got ${bytes.length < 4 ? `${bytes.length} bytes` : (bytes[0]! << 8) | bytes[1]!}`,
        );
    }
  }

  private netFlow5(bytes: Uint8Array, exporter: string): FlowDatagram {
    const { domain, sequence, records } = readNetFlow5(bytes);
    const missed = this.domain(exporter, "NetFlow v5", domain).count(sequence, records.length);
    return plain("NetFlow v5", domain, sequence, records, missed);
  }

  private netFlow9(bytes: Uint8Array, exporter: string, receivedUs: number): FlowDatagram {
    const r = new ByteReader(bytes);
    r.skip(4, "version and count");
    const uptimeMs = r.u32("sysUptime");
    // whole seconds: arrival cannot be told from it, but times within the datagram are relative to it
    const exportUs = r.u32("unix seconds") * US_PER_SECOND;
    const sequence = r.u32("sequence");
    const id = r.u32("source id");
    const state = this.domain(exporter, "NetFlow v9", id);
    const clock = { exportUs, uptimeMs, systemInitUs: exportUs - uptimeMs * US_PER_MS };
    const sets = readSets(r, 9, state, () => clock);
    // RFC 3954 section 5.1: counts export packets
    const missed = state.count(sequence, 1);
    return this.finish("NetFlow v9", exporter, id, sequence, sets, missed, clock, receivedUs);
  }

  private ipfix(bytes: Uint8Array, exporter: string, receivedUs: number): FlowDatagram {
    const r = new ByteReader(bytes);
    r.skip(2, "version");
    const lengthAt = r.offset;
    const length = r.u16("length");
    if (length < 16 || length > bytes.length)
      throw new DecodeError("BAD_LENGTH", lengthAt, `message length: expected 16 to ${bytes.length}, got ${length}`);
    const exportUs = r.u32("export time") * US_PER_SECOND;
    const sequence = r.u32("sequence");
    const id = r.u32("observation domain");
    const state = this.domain(exporter, "IPFIX", id);
    const clock = () => ({ exportUs, uptimeMs: null, systemInitUs: state.systemInitUs });
    const sets = readSets(r.sub(length - 16, "message"), 10, state, clock);
    // RFC 7011 section 3.1: counts data records; those of an unknown template cannot be counted
    const missed = state.count(sequence, sets.unknown.length > 0 ? null : sets.dataRecords);
    return this.finish("IPFIX", exporter, id, sequence, sets, missed, clock(), receivedUs);
  }

  private sFlow(bytes: Uint8Array, exporter: string): FlowDatagram {
    const d = readSFlow(bytes);
    const missed = this.domain(`${exporter} ${d.agent}`, "sFlow v5", d.subAgent).count(d.sequence, 1);
    return {
      ...plain("sFlow v5", d.subAgent, d.sequence, d.records, missed),
      measures: d.measures,
      problems: d.problems,
      agent: d.agent,
    };
  }

  private finish(
    protocol: "NetFlow v9" | "IPFIX",
    exporter: string,
    id: number,
    sequence: number,
    sets: ReturnType<typeof noResult>,
    missed: number,
    clock: ExportClock,
    receivedUs: number,
  ): FlowDatagram {
    const key = keyOf(exporter, protocol, id);
    // the datagram's memory is the reader's: what is kept is copied
    for (const { id: set, body } of sets.unknown)
      this.hold({ key, id: set, body: new Uint8Array(body), clock, receivedUs });
    const { uses } = this.domains.get(key)!;
    uses.note(receivedUs, sets.learnt, sets.read);
    const released = sets.learnt.length === 0 ? [] : this.release(key, sets.learnt);
    this.expire(receivedUs);
    return {
      ...plain(protocol, id, sequence, sets.records, missed),
      held: sets.unknown.length,
      released,
      problems: sets.problems,
    };
  }

  private hold(set: HeldSet): void {
    this.held.push(set);
    this.heldBytes += set.body.length;
    while (this.held.length > MAX_HELD_SETS || this.heldBytes > MAX_HELD_BYTES) this.giveUpOldest();
  }

  private giveUpOldest(): void {
    const oldest = this.held.shift()!;
    this.heldBytes -= oldest.body.length;
    this.givenUp++;
  }

  private expire(nowUs: number): void {
    while (this.held.length > 0 && nowUs - this.held[0]!.receivedUs > MAX_HELD_US) this.giveUpOldest();
  }

  private release(key: string, learnt: readonly number[]): FlowDatagram["released"] {
    if (this.held.length === 0) return [];
    const domain = this.domains.get(key)!;
    const out: { receivedUs: number; records: readonly FlowRecord[] }[] = [];
    const kept: HeldSet[] = [];
    for (const set of this.held) {
      const template = set.key === key && learnt.includes(set.id) ? domain.templates.get(set.id) : undefined;
      if (!template) {
        kept.push(set);
        continue;
      }
      this.heldBytes -= set.body.length;
      const result = noResult();
      // when the exporter booted may have become known since
      const clock = { ...set.clock, systemInitUs: set.clock.systemInitUs ?? domain.systemInitUs };
      readDataSet(set.body, template, domain, clock, result);
      if (result.records.length > 0) out.push({ receivedUs: set.receivedUs, records: result.records });
    }
    this.held = kept;
    return out;
  }

  private domain(exporter: string, protocol: FlowProtocol, id: number): ExporterDomain {
    const key = keyOf(exporter, protocol, id);
    let domain = this.domains.get(key);
    if (!domain) {
      if (this.domains.size >= MAX_DOMAINS) this.domains.delete(this.domains.keys().next().value!);
      domain = new ExporterDomain();
      this.domains.set(key, domain);
    }
    const { expected, missed, outOfOrder } = domain;
    if (this.before && !this.before.counts.has(domain))
      this.before.counts.set(domain, { expected, missed, outOfOrder, uses: domain.uses.all() });
    return domain;
  }

  /** Interface names that exporters told: exporter → index → name. */
  interfaceNames(): Map<string, ReadonlyMap<number, string>> {
    const out = new Map<string, Map<number, string>>();
    for (const [key, d] of this.domains) {
      if (d.interfaces.size === 0) continue;
      const exporter = key.split(" ")[0]!;
      const known = out.get(exporter) ?? new Map<number, string>();
      for (const [index, name] of d.interfaces) known.set(index, name);
      out.set(exporter, known);
    }
    return out;
  }

  /** What was counted as missing, per exporter and domain. */
  gaps(): { readonly exporter: string; readonly missed: number; readonly outOfOrder: number }[] {
    return [...this.domains]
      .filter(([, d]) => d.missed > 0 || d.outOfOrder > 0)
      .map(([exporter, d]) => ({ exporter, missed: d.missed, outOfOrder: d.outOfOrder }));
  }

  /** What is held for templates that have not come, the most first. */
  waiting(): FlowWaiting[] {
    const byTemplate = new Map<string, { -readonly [K in keyof FlowWaiting]: FlowWaiting[K] }>();
    for (const { key, id, body, receivedUs } of this.held) {
      const known = byTemplate.get(`${key} ${id}`);
      if (known === undefined)
        byTemplate.set(`${key} ${id}`, {
          stream: key,
          template: id,
          sets: 1,
          octets: body.length,
          sinceUs: receivedUs,
        });
      else {
        known.sets++;
        known.octets += body.length;
      }
    }
    return [...byTemplate.values()].sort((a, b) => b.octets - a.octets);
  }

  /** How templates were used, of domains of which that is to be kept: every minute. It changes all the time, and what they said seldom. */
  takeUses(nowUs: EpochUs): { readonly key: string; readonly uses: SavedUses }[] {
    return [...this.domains].flatMap(([key, d]) => (d.uses.isDue(nowUs) ? [{ key, uses: d.uses.save(nowUs) }] : []));
  }

  /** Domains whose templates or options changed since the last call, to be kept. */
  takeChanged(): { readonly key: string; readonly saved: SavedDomain }[] {
    const out: { key: string; saved: SavedDomain }[] = [];
    for (const [key, d] of this.domains) {
      if (!d.changed) continue;
      d.changed = false;
      out.push({ key, saved: saveDomain(d) });
    }
    return out;
  }

  restore(key: string, saved: SavedDomain, uses: SavedUses = []): void {
    const domain = restoreDomain(saved);
    domain.uses.reset(uses);
    this.domains.set(key, domain);
  }
}

/** What the key of a stream says: exporter (of sFlow its agent too), protocol, observation domain. */
export function readStream(key: string): {
  readonly exporter: string;
  readonly protocol: string;
  readonly domain: number;
} {
  const [exporter, ...rest] = key.split(" ");
  return { exporter: exporter!, protocol: rest.slice(-3, -1).join(" "), domain: Number(rest[rest.length - 1]) };
}

const keyOf = (exporter: string, protocol: FlowProtocol, domain: number): string => `${exporter} ${protocol} ${domain}`;

const plain = (
  protocol: FlowProtocol,
  domain: number,
  sequence: number,
  records: readonly FlowRecord[],
  missed: number,
): FlowDatagram => ({
  protocol,
  domain,
  sequence,
  records,
  measures: [],
  missed,
  held: 0,
  released: [],
  problems: [],
  agent: null,
});

/** The protocol by the first bytes, or null. */
export function flowProtocol(bytes: Uint8Array): FlowProtocol | null {
  if (bytes.length < 16) return null;
  const version = (bytes[0]! << 8) | bytes[1]!;
  if (version === 5 && bytes.length >= 24) return "NetFlow v5";
  if (version === 9 && bytes.length >= 20) return "NetFlow v9";
  if (version === 10) return "IPFIX";
  if (version === 0 && bytes[2] === 0 && bytes[3] === 5) return "sFlow v5";
  return null;
}
