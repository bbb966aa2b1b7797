import type { RecordContent } from "../model/record/index.js";

/** What a sender probably is, by what it sent, and what of it says so. */
export interface Guess {
  readonly family: string;
  readonly why: string;
}

type Seen = Pick<RecordContent, "kind" | "app" | "event" | "text" | "data" | "category">;

/** Programs that tell what runs on a machine (common practice, no source). The first group with the most records wins. */
const BY_APP: readonly { readonly family: string; readonly apps: readonly string[] }[] = [
  { family: "wireless access point", apps: ["hostapd"] },
  { family: "mail server", apps: ["postfix", "exim", "dovecot", "sendmail"] },
  { family: "DNS or DHCP server", apps: ["named", "unbound", "dnsmasq", "dnsmasq-dhcp", "dhcpd", "kea-dhcp4"] },
  { family: "VPN gateway", apps: ["openvpn", "charon", "pluto", "wireguard"] },
  { family: "web server", apps: ["nginx", "apache2", "httpd", "haproxy"] },
  {
    family: "Linux machine",
    apps: ["sshd", "sudo", "su", "CRON", "cron", "crond", "systemd", "systemd-logind", "kernel", "rsyslogd", "login"],
  },
];
/** Codes as network devices write them: facility, severity, mnemonic (several makers; common practice, no source). */
const MNEMONIC = /%[A-Z][A-Z0-9_]{1,30}-[0-7]-[A-Z][A-Z0-9_]{2,40}/;
const NETFILTER = /\bIN=\S* OUT=\S* .*\bSRC=/;
const SYS_DESCR = "1.3.6.1.2.1.1.1.0";

/** Reads the records of one sender. @returns null where they do not say */
export function guessFamily(records: readonly Seen[]): Guess | null {
  const of = (test: (r: Seen) => boolean): number => records.filter(test).length;
  const some = (n: number): string => `${n} of ${records.length} records`;
  const windows = of((r) => r.kind === "windows");
  if (windows > 0) return { family: "Windows machine", why: `${some(windows)} are Windows events` };
  const described = records.flatMap((r) => r.data.filter(([oid]) => oid === SYS_DESCR));
  if (described[0] !== undefined)
    return { family: described[0][1].slice(0, 80), why: "its notifications describe it so" };
  const decisions = of((r) => r.kind === "firewall" || (r.kind === "syslog" && NETFILTER.test(r.text)));
  if (decisions > records.length / 4)
    return { family: "firewall", why: `${some(decisions)} are decisions of a firewall` };
  const flows = of((r) => r.kind === "flow");
  if (flows > 0) return { family: "flow exporter: a router, switch or firewall", why: `${some(flows)} are flows` };
  const coded = of((r) => r.kind === "syslog" && MNEMONIC.test(r.text));
  if (coded > 0) return { family: "network device", why: `${some(coded)} have a code such as ${codeOf(records)}` };
  const best = BY_APP.map(({ family, apps }) => ({
    family,
    apps,
    n: of((r) => r.app !== null && apps.includes(r.app)),
  }))
    .filter((f) => f.n > 0)
    .sort((a, b) => b.n - a.n)[0];
  if (best !== undefined) {
    const seen = best.apps.filter((app) => records.some((r) => r.app === app)).slice(0, 3);
    return { family: best.family, why: `messages of ${seen.join(", ")}` };
  }
  const traps = of((r) => r.kind === "snmp");
  if (traps > 0) return { family: "device with SNMP", why: `${some(traps)} are notifications` };
  return null;
}

const codeOf = (records: readonly Seen[]): string =>
  records.map((r) => MNEMONIC.exec(r.text)?.[0]).find((code) => code !== undefined) ?? "";
