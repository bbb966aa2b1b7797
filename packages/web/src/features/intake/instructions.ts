import type { EndpointJson, EndpointList } from "@halvik/contract/kinds";

/** How a family of senders is told to send here. */
export interface Instruction {
  readonly family: string;
  readonly text: string;
}

/** A fingerprint without the colons between. */
const plainHex = (fingerprint: string | null): string =>
  fingerprint === null ? "SHA256" : fingerprint.replace(/:/g, "").toLowerCase();

/** The address devices reach an endpoint at, as far as this page knows it. */
export const hostFor = ({ host }: EndpointJson): string =>
  host === "0.0.0.0" || host === "::" ? window.location.hostname : host;

/**
 * What to put into senders, with the real address and port filled in. General forms that several programs and systems share; a
 * device's own words may differ (common practice, no source).
 */
export function instructionsFor(
  e: EndpointJson,
  host: string,
  { fingerprint, windowsScript }: Pick<EndpointList, "fingerprint" | "windowsScript">,
): Instruction[] {
  const at = `${host}:${e.port}`;
  switch (e.kind) {
    case "syslog-udp":
      return [
        { family: "A Linux syslog daemon", text: `*.*  @${at}` },
        { family: "A network switch or router", text: `syslog server ${host}, UDP port ${e.port}` },
        { family: "From any shell, to try it", text: `logger --server ${host} --port ${e.port} --udp "hello, Halvik"` },
      ];
    case "syslog-tcp":
      return [
        { family: "A Linux syslog daemon", text: `*.*  @@${at}` },
        {
          family: "From any shell, to try it",
          text: `logger --server ${host} --port ${e.port} --tcp --octet-count "hello, Halvik"`,
        },
      ];
    case "syslog-tls":
      return [
        {
          family: "Any sender of RFC 5425",
          text: `address ${host}, port ${e.port}, TLS 1.2 or later\nserver certificate, SHA-256:\n${fingerprint ?? "made at the first start"}`,
        },
      ];
    case "snmp":
      return [
        {
          family: "A network device",
          text: `notifications to ${host}, UDP port ${e.port}\nversion 2c, a community of your own: admit it above once it has spoken`,
        },
        { family: "From any shell, to try it", text: `snmptrap -v2c -c public ${at} '' 1.3.6.1.6.3.1.1.5.1` },
        {
          family: "With SNMPv3",
          text: `snmpinform -v3 -l authPriv -u USER -a SHA-256 -A … -x AES -X … ${at} '' 1.3.6.1.6.3.1.1.5.1`,
        },
      ];
    case "flow":
      return [
        {
          family: "A router’s flow export",
          text: `destination ${host}\ntransport udp ${e.port}\nexport protocol: NetFlow 5 or 9, or IPFIX\ntemplate timeout 60 s`,
        },
        {
          family: "A switch’s sFlow agent",
          text: `collector ${host} port ${e.port}\nsampling rate 1 in 400, polling 30 s`,
        },
      ];
    case "packets":
      return [
        {
          family: "The right to capture",
          text: "apt-get install tcpdump\nHALVIK_COLLECTOR_CAPTURES=true bin/start (as root)",
        },
        {
          family: "Halvik not started as root: once, as root",
          text: "setcap cap_net_raw,cap_net_admin=eip /usr/bin/tcpdump",
        },
        {
          family: "Packets of another machine",
          text: "bin/halvik sniff --interface IF --token-file FILE --to ADDRESS",
        },
      ];
    case "https":
      return [
        { family: "A token first", text: "bin/halvik token create NAME --intake" },
        {
          family: "A Windows computer: the script, and its sum",
          text: `${location.origin}/api/v1/send-events.ps1\n${windowsScript}\nGet-FileHash send-events.ps1 -Algorithm SHA256\nUnblock-File send-events.ps1`,
        },
        {
          family: "… to try it, in its directory",
          text: `powershell -ExecutionPolicy RemoteSigned -File send-events.ps1 -Server ${host} -Port ${e.port} -CertificateSha256 ${plainHex(fingerprint)} -TokenFile C:\\ProgramData\\Halvik\\token.txt -Once`,
        },
        {
          family: "… as a task that starts with the computer",
          text: `schtasks /create /tn Halvik /sc onstart /ru SYSTEM /tr "powershell -ExecutionPolicy RemoteSigned -File C:\\ProgramData\\Halvik\\send-events.ps1 …"`,
        },
        {
          family: "Many computers of a domain",
          text: "the same task on each, by a policy of the domain.\nThe forwarding that Windows has gathers events on one computer with the numbers of the others: by these none can be read on from where it was.",
        },
        {
          family: "A forwarder of your own",
          text: `POST https://${at}/windows\nauthorization: Bearer TOKEN\nbody: event XML, one or many, gzip or not`,
        },
        {
          family: "A machine whose packets are read",
          text: "bin/halvik sniff --interface IF --token-file FILE",
        },
        {
          family: "JSON records, to try it",
          text: `halvik.pem: ${location.origin}/api/v1/certificate.pem\nits SHA-256: ${fingerprint ?? "made at the first start"}\ncurl --cacert halvik.pem https://${at}/json -H "authorization: Bearer TOKEN" -d '{"message":"hello, Halvik","severity":"notice"}'`,
        },
      ];
  }
}
