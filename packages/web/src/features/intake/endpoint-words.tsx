import type { EndpointJson } from "@halvik/contract/kinds";

export const isLoopback = (address: string): boolean =>
  address.startsWith("127.") || address === "::1" || address === "localhost";

export const KIND_WORDS: Readonly<Record<EndpointJson["kind"], string>> = {
  "syslog-udp": "syslog, UDP",
  "syslog-tcp": "syslog, TCP",
  "syslog-tls": "syslog, TLS",
  snmp: "SNMP, UDP",
  flow: "flows, UDP",
  https: "HTTPS",
  packets: "packets",
};

/** Where it hears: address and port, or the interface whose packets are read. */
export const placeOf = (e: EndpointJson): string => e.settings.packets?.interface ?? `${e.host}:${e.port}`;

/** What has come by it since the collector started. */
export const receivedBy = ({ counters }: EndpointJson): number =>
  (counters.datagrams ?? 0) + (counters["flow datagrams"] ?? 0) + (counters.messages ?? 0) + (counters.records ?? 0);

/** What something that cannot be read here probably is, and where it would be. */
export const sayLikeness = ({ what, way }: NonNullable<EndpointJson["samples"][number]["looksLike"]>): string =>
  `It looks like ${what}${way === null ? "" : `: that is heard by ${KIND_WORDS[way]}`}.`;

/** What an endpoint does now, in words. */
export function State({ endpoint: e }: { endpoint: EndpointJson }) {
  const received = receivedBy(e) > 0;
  const connections = e.counters["open connections"] ?? 0;
  if (!e.enabled) return <span className="text-quiet">stopped</span>;
  if (e.state === "failed") return <b className="text-vermilion">failed</b>;
  if (e.state !== "listening") return <span className="text-quiet">{e.state} …</span>;
  return received
    ? "receiving"
    : connections > 0
      ? `${connections} connected, no message yet`
      : `listening, no ${e.kind === "packets" ? "packet" : "message"} yet`;
}
