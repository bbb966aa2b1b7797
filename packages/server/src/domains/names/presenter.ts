import { formatMibValue } from "@halvik/core/decode/mib";
import { sentenceOf } from "@halvik/core/meaning/sentence";
import { entitiesOf } from "@halvik/core/model/entity";
import { type HalvikRecord, RECORD_KINDS, type RecordJson, recordToJson } from "@halvik/core/model/record";
import type { SenderDirectory } from "@halvik/core/model/senders";
import { nowUs } from "../../kernel/clock.js";
import type { Queryable } from "../../kernel/db/pool.js";
import { kindsVersion, loadNames, type Names } from "./repository.js";

/** Interface names change without a version: they are read again this often. */
const REREAD_US = 60_000_000;

/** Records as the API gives them: with the sentence, names and entities that hold now. */
export class Presenter {
  private cached: { version: number; atUs: number; names: Names } | null = null;

  constructor(private readonly db: Queryable) {}

  async names(): Promise<Names> {
    const version = await kindsVersion(this.db);
    const now = nowUs();
    if (this.cached?.version !== version || now - this.cached.atUs > REREAD_US)
      this.cached = { version, atUs: now, names: await loadNames(this.db) };
    return this.cached.names;
  }

  /** Presents records one after another with the names of this moment. */
  async present(senders: SenderDirectory): Promise<(r: HalvikRecord) => RecordJson> {
    const names = await this.names();
    return (r) => {
      const senderName = senders.name(r.sender);
      const interfaceName = interfaceNames(names, senders.get(r.sender)?.addresses ?? []);
      const meaning =
        r.kind === "windows" && r.app !== null && r.event !== null
          ? names.meanings.windows(r.app, Number(r.event))
          : r.kind === "snmp" && r.event !== null
            ? names.meanings.snmp(r.event)
            : undefined;
      const trap = r.kind === "snmp" && r.event !== null ? names.mib.notification(r.event) : undefined;
      return {
        ...recordToJson(r, senderName),
        ...(r.shape === null ? {} : { shape: senders.standingShape(r.shape) }),
        sentence: sentenceOf(r, { ...names, senderName, interfaceName }),
        ...(meaning?.next ? { next: meaning.next } : {}),
        ...(trap ? { eventName: trap.name } : {}),
        ...(r.kind === "snmp" ? { named: namedBindings(r, names) } : {}),
        ...trafficNames(r, names, interfaceName),
        entities: entitiesOf(r, senderName, senders.ours),
      };
    };
  }
}

/** What interfaces of an exporter are called, by its addresses. */
export function interfaceNames(names: Names, addresses: readonly string[]): (index: number) => string | null {
  return (index) => {
    for (const address of addresses) {
      const name = names.interfaces.get(address)?.get(index);
      if (name !== undefined) return name;
    }
    return null;
  };
}

/** Variable bindings whose identifier a module explains, in words, in the order sent. */
function namedBindings(r: HalvikRecord, names: Names): { oid: string; name: string; value: string; about?: string }[] {
  return r.data.flatMap(([oid, value]) => {
    const found = /^\d/.test(oid) ? names.mib.find(oid) : null;
    if (found?.node.kind !== "object") return [];
    const name = found.instance === "" ? found.node.name : `${found.node.name}.${found.instance}`;
    const about = found.node.description?.replace(/\s+/g, " ").trim();
    return [
      {
        oid,
        name,
        value: formatMibValue(value, found.node, names.mib),
        ...(about ? { about: about.slice(0, 400) } : {}),
      },
    ];
  });
}

/** What traffic is called: its application, and a flow's interfaces. */
function trafficNames(
  r: HalvikRecord,
  names: Names,
  interfaceName: (index: number) => string | null,
): { application?: string; ingressName?: string; egressName?: string } {
  if (!RECORD_KINDS[r.kind].hasTraffic) return {};
  const application = names.applications.application(r);
  const name = (index: number | null | undefined) => (index == null ? null : interfaceName(index));
  const ingressName = name(r.flow?.ingress);
  const egressName = name(r.flow?.egress);
  return {
    ...(application === null ? {} : { application }),
    ...(ingressName === null ? {} : { ingressName }),
    ...(egressName === null ? {} : { egressName }),
  };
}
