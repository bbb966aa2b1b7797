import { DEVICES, FlowWriter, NotificationWriter, notify, ordinaryFlow, Random, Timeline } from "@halvik/simulator";
import { nodeSnmpCrypto } from "../packages/server/src/kernel/snmp-crypto.js";

/** Addresses that a load comes from. */
export const SENDERS = 10;

export interface LoadDatagram {
  readonly protocol: "syslog" | "snmp" | "flow";
  readonly payload: Uint8Array;
  readonly records: number;
}

const r = new Random(1, "kind sender");
const exporters = ["core-orvane", "rt-orvane", "rt-lysgrund"].map((n) => DEVICES.find((d) => d.name === n)!);
const FLOWS = 24;

/** Flow datagrams are written as they are sent: their sequence numbers must go on. */
const writers = Array.from({ length: SENDERS }, () => new FlowWriter());
const flows = exporters.map((e) => Array.from({ length: 200 }, () => ordinaryFlow(e, r, 0)));

/** The nth datagram of flows, of one of the senders. */
export function flowDatagram(sender: number, n: number): LoadDatagram {
  const which = sender % exporters.length;
  const nowUs = Date.now() * 1000;
  const at = (n * 7) % (200 - FLOWS);
  const part = flows[which]!.slice(at, at + FLOWS).map((f) => ({ ...f, endUs: nowUs - 1_000_000 }));
  return { protocol: "flow", payload: writers[sender]!.write(exporters[which]!, part, nowUs)[0]!, records: FLOWS };
}

const timeline = new Timeline({ seed: 1, storyEveryMinutes: 2, rate: 4 }, nodeSnmpCrypto);
const lines = Array.from({ length: 40 }, (_, i) => timeline.minute(29_760_000 + i * 60))
  .flat()
  .filter((s) => s.protocol === "syslog")
  .map((s) => s.payload);
const notifications = new NotificationWriter(nodeSnmpCrypto);
const v2c = DEVICES.find((d) => d.name === "sw-orvane-2")!;

/** By records: about half flows, two fifths syslog (a third of it firewall decisions), the rest notifications. */
export function mixedDatagram(sender: number, n: number): LoadDatagram {
  const kind = n % 22;
  if (kind === 0) return flowDatagram(sender, n);
  if (kind > 1) return { protocol: "syslog", payload: lines[n % lines.length]!, records: 1 };
  const link = notify.link(n % 24, `ge0/${n % 24}`, n % 2 === 0);
  return { protocol: "snmp", payload: notifications.write(v2c, link, Date.now() * 1000), records: 1 };
}
