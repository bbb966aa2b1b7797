import { formatUs } from "@halvik/core/base/time";
import { type Forward, type ForwardWay, withOrigin } from "@halvik/core/forward";
import type { Arrival } from "../../intake/arrivals/arrival.js";
import { AsSender } from "./as-sender.js";
import { Datagrams } from "./datagrams.js";
import { JsonLines } from "./json-lines.js";
import { Stream } from "./stream.js";
import type { Way } from "./way.js";

/** The way of a forward. @param nameOf what the sender of an address is called */
export function openWay({ way }: Forward, secret: string, nameOf: (address: string) => string): Way {
  switch (way.is) {
    case "syslog": {
      const octets = (a: Arrival): Uint8Array =>
        way.header === "as it came"
          ? a.bytes
          : withOrigin(a.bytes, { address: a.peer, name: nameOf(a.peer), received: formatUs(a.receivedUs) });
      return way.transport === "udp" ? byDatagrams(way, octets) : new Stream(way, octets);
    }
    case "snmp":
    case "flow":
      return byDatagrams(way, (a) => a.bytes);
    case "json":
      return new JsonLines(way, secret);
  }
}

function byDatagrams(
  { host, port, source }: Extract<ForwardWay, { source: unknown }>,
  octets: (arrival: Arrival) => Uint8Array,
): Way {
  return source === "sender" ? new AsSender(host, port, octets) : new Datagrams(host, port, octets);
}
