import { US_PER_MINUTE, US_PER_SECOND } from "@halvik/core/base/time";
import { pcapHeader, pcapPacket } from "@halvik/core/decode/capture";
import { deviceNamed } from "./devices.js";
import {
  Conversation,
  certificate,
  changeCipherSpec,
  clientHello,
  datagram,
  dnsMessage,
  encrypted,
  fatalAlert,
  httpAnswer,
  httpRequest,
  type SentPacket,
  serverHello,
} from "./packets.js";
import { deskOf, PEOPLE, WEB_SERVER } from "./places.js";
import { Random } from "./random.js";

const MINUTES = 40;
/** In these minutes the resolver waits for its upstream, and ticketing for the resolver. */
const SLOW = [18, 28] as const;
const TLS = { 1.0: 0x0301, 1.2: 0x0303, 1.3: 0x0304 } as const;

const NAMES = [
  ["tickets.orvane.example", deviceNamed("tickets-1").address],
  ["www.orvane.example", WEB_SERVER.outside],
  ["mail.orvane.example", deviceNamed("mail-1").address],
  ["timetable.orvane.example", "10.20.1.31"],
  ["weather.harbour.example", "203.0.113.30"],
  ["cargo.north-sea.example", "198.51.100.61"],
] as const;
const PAGES = [
  "/",
  "/departures",
  "/booking?ship=Brisling&berth=12",
  "/prices",
  "/api/seats?trip=4711",
  "/map.svg",
] as const;

/** What went by on a mirrored port of the core for forty minutes, as a capture: DNS, HTTP and TLS, with a resolver that was slow for ten of them. */
export function* capture(untilUs: number, seed: number): Generator<Uint8Array> {
  const r = new Random(seed, "capture");
  const fromUs = untilUs - MINUTES * US_PER_MINUTE;
  const packets: SentPacket[] = [];
  let port = 40_000;
  const clientOf = (n: number) => ({ address: deskOf(PEOPLE[n % PEOPLE.length]!), port: 40_000 + (++port % 20_000) });
  for (let second = 0; second < MINUTES * 60; second++) {
    const atUs = fromUs + second * US_PER_SECOND;
    const minute = second / 60;
    const isSlow = minute >= SLOW[0] && minute < SLOW[1];
    for (let n = r.poisson(0.9); n > 0; n--)
      packets.push(...asked(r, atUs + r.int(0, 900_000), clientOf(r.int(0, 9)), isSlow));
    for (let n = r.poisson(0.35); n > 0; n--)
      packets.push(...fetched(r, atUs + r.int(0, 900_000), clientOf(r.int(0, 9)), isSlow));
    for (let n = r.poisson(0.3); n > 0; n--)
      packets.push(...agreed(r, atUs + r.int(0, 900_000), clientOf(r.int(0, 9))));
  }
  packets.sort((a, b) => a.atUs - b.atUs);
  yield pcapHeader();
  for (const { atUs, packet } of packets) yield pcapPacket(Math.round(atUs), packet);
}

type Client = { readonly address: string; readonly port: number };

function asked(r: Random, atUs: number, { address, port }: Client, isSlow: boolean): SentPacket[] {
  const resolver = deviceNamed("dns-1").address;
  const isUnknown = r.chance(0.06);
  const [name, found] = isUnknown ? (["wpad.orvane.example", null] as const) : r.pick(NAMES);
  const id = r.int(1, 65_535);
  const isOurs = name.endsWith("orvane.example");
  const waits = isSlow && !isOurs;
  const question = { atUs, packet: datagram(address, port, resolver, 53, dnsMessage(id, name, null, null)) };
  if (waits && r.chance(0.25)) return [question];
  const code = isUnknown ? 3 : waits && r.chance(0.3) ? 2 : 0;
  const afterUs = waits ? r.int(400_000, 2_500_000) : isOurs ? r.int(300, 2_500) : r.int(9_000, 45_000);
  const answer = dnsMessage(id, name, code, code === 0 ? found : null);
  return [question, { atUs: atUs + afterUs, packet: datagram(resolver, 53, address, port, answer) }];
}

function fetched(r: Random, atUs: number, client: Client, isSlow: boolean): SentPacket[] {
  const [host, address] = r.chance(0.7) ? NAMES[0] : NAMES[3];
  const c = new Conversation(client, { address, port: 80 }, r.int(300, 1_500), atUs);
  for (let n = r.int(1, 3); n > 0; n--) {
    const path = r.pick(PAGES);
    const status = isSlow && host === NAMES[0][0] && r.chance(0.35) ? 503 : r.pick([200, 200, 200, 200, 304, 302, 404]);
    const bytes = status === 200 ? r.int(400, 9_000) : status === 304 ? 0 : 120;
    c.say("client", httpRequest(path.startsWith("/booking") ? "POST" : "GET", host, path));
    c.say(
      "server",
      httpAnswer(status, path.endsWith("svg") ? "image/svg+xml" : "text/html", bytes),
      isSlow ? r.int(300_000, 1_800_000) : r.int(4_000, 60_000),
    );
  }
  return c.close(r.int(1_000, 20_000)).sent;
}

function agreed(r: Random, atUs: number, client: Client): SentPacket[] {
  const kind = r.next();
  const [name, address] =
    kind < 0.8
      ? r.pick(NAMES)
      : kind < 0.9
        ? (["scan.orvane.example", "10.20.1.61"] as const)
        : (["old-portal.orvane.example", "10.20.1.62"] as const);
  const c = new Conversation(client, { address, port: 443 }, r.int(300, 20_000), atUs);
  c.say("client", clientHello(name, TLS[1.3]));
  // the portal nobody renewed: it speaks nothing that is spoken today
  if (name === "old-portal.orvane.example")
    return c.say("server", fatalAlert(70), r.int(300, 900)).reset("server").sent;
  const version = name === "scan.orvane.example" ? TLS[1.0] : r.chance(0.75) ? TLS[1.3] : TLS[1.2];
  c.say("server", serverHello(version), r.int(300, 9_000));
  if (version === TLS[1.3]) c.say("server", encrypted(1_100)).say("client", encrypted(53), r.int(300, 3_000));
  else
    c.say("server", certificate(name, "Orvane Ferries CA", ["250110", "261215"]))
      .say("client", changeCipherSpec(), r.int(500, 4_000))
      .say("server", changeCipherSpec(), r.int(300, 2_000));
  return c
    .say("client", encrypted(r.int(200, 900)))
    .say("server", encrypted(r.int(300, 6_000)), r.int(2_000, 40_000))
    .close(5_000).sent;
}
