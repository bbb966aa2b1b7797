import type { EndpointJson, EndpointList } from "@halvik/contract/kinds";

/** What stands at the other end, as a person would say it. */
export type Family = "unix" | "network" | "firewall" | "windows" | "flow" | "snmp" | "program" | "packets";

/** Families of devices, and by which protocols they send: the usual one first (common practice, no source). */
export const FAMILIES: readonly {
  readonly family: Family;
  readonly name: string;
  readonly kinds: readonly EndpointJson["kind"][];
}[] = [
  { family: "unix", name: "Linux or Unix server", kinds: ["syslog-udp", "syslog-tcp", "syslog-tls"] },
  { family: "network", name: "Network switch or router", kinds: ["syslog-udp", "snmp"] },
  { family: "firewall", name: "Firewall", kinds: ["syslog-udp", "syslog-tcp", "syslog-tls"] },
  { family: "windows", name: "Windows computer", kinds: ["https"] },
  { family: "flow", name: "Flow exporter", kinds: ["flow"] },
  { family: "snmp", name: "Power supply or other device with SNMP", kinds: ["snmp"] },
  { family: "program", name: "A program that sends JSON", kinds: ["https"] },
];

/** How senders are told to send here; `families`: whom it concerns. */
export interface Instruction {
  readonly families: readonly Family[];
  readonly title: string;
  readonly text: string;
}

type Shown = Pick<EndpointList, "fingerprint" | "windowsScript">;

/** A fingerprint without the colons between. */
const plainHex = (fingerprint: string | null): string =>
  fingerprint === null ? "SHA256" : fingerprint.replace(/:/g, "").toLowerCase();

/** The address devices reach an endpoint at, as far as this page knows it. */
export const hostFor = ({ host }: EndpointJson): string =>
  host === "0.0.0.0" || host === "::" ? window.location.hostname : host;

const SYSLOG_WAYS = { "syslog-udp": "UDP", "syslog-tcp": "TCP, octet counted or a line each", "syslog-tls": "TLS" };
type SyslogKind = keyof typeof SYSLOG_WAYS;

function syslogInstructions(kind: SyslogKind, host: string, port: number, { fingerprint }: Shown): Instruction[] {
  const where = `syslog server ${host}, port ${port}, ${SYSLOG_WAYS[kind]}`;
  const daemon = kind === "syslog-udp" ? `*.*  @${host}:${port}` : `*.*  @@${host}:${port}`;
  const option = kind === "syslog-udp" ? "--udp" : "--tcp --octet-count";
  return [
    ...(kind === "syslog-tls"
      ? [
          {
            families: ["unix", "firewall"] as const,
            title: "Any sender of RFC 5425",
            text: `address ${host}, port ${port}, TLS 1.2 or later\ncertificate to trust: ${location.origin}/api/v1/certificate.pem\nits SHA-256: ${fingerprint ?? "made at the first start"}`,
          },
        ]
      : [{ families: ["unix"] as const, title: "A Linux log daemon, in its configuration", text: daemon }]),
    {
      families: ["network"],
      title: "A network switch or router",
      text: where,
    },
    {
      families: ["network"],
      title: "… and what it should send",
      text: `up to severity 6, informational\nfrom one address that stays: that of a loopback interface\ntimes with year, milliseconds and zone; clock by NTP`,
    },
    {
      families: ["firewall"],
      title: "A firewall",
      text: where,
    },
    {
      families: ["firewall"],
      title: "… and what it should send",
      text: `from every policy: sessions that end, and what is refused. Those that begin as well count each twice\ntimes with year and zone; policies and zones by their names`,
    },
    {
      families: ["firewall"],
      title: "Formats that are read as decisions without a format of your own",
      text: 'pairs: action=deny srcip=… dstport=…\npairs with a header or a delimiter of their own\ndata of RFC 5424: [… action="deny" …]\na table: columns by commas, in a stated order\nkernel lines of Linux: IN=… OUT=… SRC=… DST=…\npf: rule 3/0(match): block in on …, and its log by commas\nsentences: denied tcp 203.0.113.9(51490) -> …',
    },
    ...(kind === "syslog-tls"
      ? []
      : [
          {
            families: ["unix"] as const,
            title: "From any shell, to try it",
            text: `logger --server ${host} --port ${port} ${option} "hello, Halvik"`,
          },
        ]),
  ];
}

const snmpInstructions = (host: string, port: number): Instruction[] => [
  {
    families: ["network", "snmp"],
    title: "Version 2c",
    text: `notifications to ${host}, UDP port ${port}\nversion 2c, a community of your own: it is admitted at the endpoint once it has spoken\ninforms rather than traps, where the device can: it repeats what is not acknowledged`,
  },
  {
    families: ["network", "snmp"],
    title: "Version 3: add the user at the endpoint first",
    text: `notifications to ${host}, UDP port ${port}\nlevel authPriv, SHA-256 and AES, the user’s name and two passwords`,
  },
  {
    families: ["network", "snmp"],
    title: "From any shell, to try it",
    text: `snmptrap -v2c -c public ${host}:${port} '' 1.3.6.1.6.3.1.1.5.1\nsnmpinform -v3 -l authPriv -u USER -a SHA-256 -A … -x AES -X … ${host}:${port} '' 1.3.6.1.6.3.1.1.5.1`,
  },
];

/** Ports that one protocol is registered for (IANA: ipfix 4739, sflow 6343): the other ones are then not spoken of. */
const IPFIX_PORT = 4739;
const SFLOW_PORT = 6343;

function flowInstructions(host: string, port: number): Instruction[] {
  const router = {
    families: ["flow"] as const,
    title: "A router’s flow export",
    text: `destination ${host}, UDP port ${port}\n${port === IPFIX_PORT ? "protocol IPFIX" : "protocol NetFlow 9 or IPFIX (version 5 knows IPv4 alone)"}\nactive timeout 60 s, inactive 15 s, templates each 60 s\nat each interface: what comes in; with the interfaces’ names, if it can export them`,
  };
  const sflow = {
    families: ["flow"] as const,
    title: "A switch’s sFlow agent",
    text: `collector ${host}, UDP port ${port}\nsampling 1 in 400 (1 Gbit/s) to 1 in 2000 (10 Gbit/s), counters each 30 s`,
  };
  const tries = {
    families: ["flow"] as const,
    title: "From a Linux machine, of its own interface",
    text: `softflowd -i IF -v 9 -n ${host}:${port} -t maxlife=60`,
  };
  if (port === SFLOW_PORT) return [sflow];
  return port === IPFIX_PORT ? [{ ...router }] : [router, sflow, tries];
}

const packetInstructions: readonly Instruction[] = [
  {
    families: ["packets"],
    title: "The right to capture",
    text: "apt-get install tcpdump\nHALVIK_COLLECTOR_CAPTURES=true bin/start (as root)",
  },
  {
    families: ["packets"],
    title: "Halvik not started as root: once, as root",
    text: "setcap cap_net_raw,cap_net_admin=eip /usr/bin/tcpdump",
  },
  {
    families: ["packets"],
    title: "Packets of another machine",
    text: "bin/halvik sniff --interface IF --token-file FILE --to ADDRESS",
  },
];

const httpsInstructions = (host: string, port: number, { fingerprint, windowsScript }: Shown): Instruction[] => [
  { families: ["windows", "program"], title: "A token first", text: "bin/halvik token create NAME --intake" },
  {
    families: ["windows"],
    title: "The script, and its sum",
    text: `${location.origin}/api/v1/send-events.ps1\n${windowsScript}\nGet-FileHash send-events.ps1 -Algorithm SHA256\nUnblock-File send-events.ps1`,
  },
  {
    families: ["windows"],
    title: "To try it, in its directory",
    text: `powershell -ExecutionPolicy RemoteSigned -File send-events.ps1 -Server ${host} -Port ${port} -CertificateSha256 ${plainHex(fingerprint)} -TokenFile C:\\ProgramData\\Halvik\\token.txt -Once`,
  },
  {
    families: ["windows"],
    title: "… and which events: by log, provider, id, level (3: warnings and worse, and what is audited) and text",
    text: "-Log System,Application,Security,Setup\n-Provider Microsoft-Windows-Security-Auditing\n-Id 4624,4625,4720,1102\n-MaxLevel 3\n-Text backup",
  },
  {
    families: ["windows"],
    title: "As a task that starts with the computer",
    text: `schtasks /create /tn Halvik /sc onstart /ru SYSTEM /tr "powershell -ExecutionPolicy RemoteSigned -File C:\\ProgramData\\Halvik\\send-events.ps1 …"`,
  },
  {
    families: ["windows"],
    title: "Many computers of a domain",
    text: "the same task on each, by a policy of the domain.\nThe forwarding that Windows has gathers events on one computer with the numbers of the others: by these none can be read on from where it was.",
  },
  {
    families: ["windows"],
    title: "A forwarder of your own",
    text: `POST https://${host}:${port}/windows\nauthorization: Bearer TOKEN\nbody: event XML, one or many, gzip or not`,
  },
  {
    families: ["packets"],
    title: "A machine whose packets are read",
    text: "bin/halvik sniff --interface IF --token-file FILE",
  },
  {
    families: ["program"],
    title: "JSON records, to try it",
    text: `halvik.pem: ${location.origin}/api/v1/certificate.pem\nits SHA-256: ${fingerprint ?? "made at the first start"}\ncurl --cacert halvik.pem https://${host}:${port}/json -H "authorization: Bearer TOKEN" -d '{"message":"hello, Halvik","severity":"notice"}'`,
  },
];

/**
 * What to put into senders, with the real address and port filled in. General forms that several programs and systems share; a
 * device's own words may differ (common practice, no source).
 */
export function instructionsFor(e: EndpointJson, host: string, shown: Shown): readonly Instruction[] {
  switch (e.kind) {
    case "syslog-udp":
    case "syslog-tcp":
    case "syslog-tls":
      return syslogInstructions(e.kind, host, e.port, shown);
    case "snmp":
      return snmpInstructions(host, e.port);
    case "flow":
      return flowInstructions(host, e.port);
    case "packets":
      return packetInstructions;
    case "https":
      return httpsInstructions(host, e.port, shown);
  }
}
