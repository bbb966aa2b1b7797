import type { SampleRecord } from "../schema/samples.js";

/** Records for the tests that rules carry, in few words. */
type Sample = Partial<SampleRecord> & { at: number };
type When = number | { readonly at: number; readonly times?: number; readonly every?: number };

const when = (w: When): Pick<Sample, "at" | "times" | "every"> => (typeof w === "number" ? { at: w } : w);

/** A syslog message as a device sends it. */
export const says = (w: When, syslog: string, sender = "device"): Sample => ({ ...when(w), syslog, sender });

/** A Windows event of the Security log, unless the provider says otherwise. */
export const windows = (
  w: When,
  event: number,
  data: Record<string, string> = {},
  sender = "server",
  provider?: { provider: string; log: string },
): Sample => ({ ...when(w), windows: { event, data, ...provider }, sender });

export const refused = (w: When, from: string, user: string, sender = "vpn"): Sample =>
  says(w, `<38>sshd[71]: Failed password for ${user} from ${from} port 40001 ssh2`, sender);
export const letIn = (w: When, from: string, user: string, sender = "vpn"): Sample =>
  says(w, `<38>sshd[72]: Accepted password for ${user} from ${from} port 40002 ssh2`, sender);

/** A decision of a packet filter. */
export const decision = (
  w: When,
  action: "accept" | "deny",
  src: string,
  dst: string,
  dstPort: number,
  sender = "firewall",
): Sample => ({
  ...when(w),
  sender,
  fields: { kind: "firewall", action, src, dst, dstPort, protocol: 6, category: "policy" },
});

/** A flow. */
export const flow = (w: When, src: string, dst: string, dstPort: number, bytes: number, sender = "router"): Sample => ({
  ...when(w),
  sender,
  fields: {
    kind: "flow",
    category: "traffic",
    src,
    dst,
    dstPort,
    protocol: 6,
    bytes,
    packets: Math.ceil(bytes / 1_200),
  },
});

/** An SNMP notification. */
export const notified = (
  w: When,
  event: string,
  more: {
    category: "link" | "routing" | "system health" | "logon";
    outcome: "success" | "failure";
    interface?: string;
  },
  sender = "device",
): Sample => ({ ...when(w), sender, fields: { kind: "snmp", event, ...more } });
