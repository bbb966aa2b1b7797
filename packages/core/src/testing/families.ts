import { randomFrom } from "./random.js";

/**
 * Labelled messages: twelve programs of the sort that devices of an operations network run, each with the sentences it says. What stands in a
 * slot is drawn; which sentence it was is known. Everything is invented; nothing here knows how shapes are learnt. A word of a closed choice that
 * says what happened (opened, closed) is part of a sentence, one out of an open set (names of people, services, places) is a value.
 */
export interface Labelled {
  readonly app: string;
  readonly text: string;
  /** Which sentence of which program. */
  readonly label: string;
}

type Draw = (random: () => number) => string;

const pick =
  (of: readonly string[]): Draw =>
  (random) =>
    of[Math.floor(random() * of.length)]!;
const digits =
  (low: number, high: number): Draw =>
  (random) =>
    String(low + Math.floor(random() * (high - low + 1)));

const PEOPLE =
  "anna bjorn carla dag elin frode grete hakon ida jonas kari lars mona nils olav petra quirin randi sven tora ulf vera".split(
    " ",
  );
const UNITS =
  "cron-daily backup-agent time-sync ticket-printer crane-bridge sluice-guard berth-plan manifest-loader tide-gauge beacon harbour-map pilot-roster fuel-log deck-light ramp-control gangway".split(
    " ",
  );
const ROOMS = "bridge galley engine hold ramp office mess workshop radio chart stores pilot".split(" ");
const WORDS =
  "amber basalt cedar delta ember fjord granite heather islet juniper kelp lichen moss nettle osprey pine quartz reed slate thistle umber willow".split(
    " ",
  );

function address(r: () => number): string {
  return `10.${digits(0, 40)(r)}.${digits(0, 255)(r)}.${digits(1, 254)(r)}`;
}

const SLOTS: Readonly<Record<string, Draw>> = {
  user: pick(PEOPLE),
  unit: pick(UNITS),
  room: pick(ROOMS),
  word: pick(WORDS),
  n: digits(0, 99_999),
  small: digits(0, 9),
  port: digits(1_024, 65_535),
  ip: address,
  ip6: (r) => `2001:db8:${Math.floor(r() * 65_536).toString(16)}::${Math.floor(r() * 65_536).toString(16)}`,
  mac: (r) =>
    Array.from({ length: 6 }, () =>
      Math.floor(r() * 256)
        .toString(16)
        .padStart(2, "0"),
    ).join(":"),
  hex: (r) =>
    Math.floor(r() * 2 ** 32)
      .toString(16)
      .padStart(8, "0"),
  letters: (r) => Array.from({ length: 12 }, () => "abcdef"[Math.floor(r() * 6)]).join(""),
  path: (r) => `/srv/${pick(WORDS)(r)}/${pick(UNITS)(r)}`,
  file: (r) => `${pick(WORDS)(r)}.${pick(["log", "csv", "dat"])(r)}`,
  host: (r) => `${pick(WORDS)(r)}.orvane.example`,
  ms: (r) => `${digits(1, 9_999)(r)}ms`,
  decimal: (r) => (r() * 100).toFixed(2),
  time: (r) => `${digits(10, 23)(r)}:${digits(10, 59)(r)}:${digits(10, 59)(r)}`,
  date: (r) => `${pick(["Jan", "Feb", "Mar", "Oct", "Nov", "Dec"])(r)} ${digits(1, 28)(r)}`,
  quoted: (r) => `"${Array.from({ length: 1 + Math.floor(r() * 4) }, () => pick(WORDS)(r)).join(" ")}"`,
  iface: (r) => `GigabitEthernet${digits(0, 3)(r)}/${digits(1, 48)(r)}`,
  ips: (r) => Array.from({ length: 1 + Math.floor(r() * 4) }, () => address(r)).join(","),
};

/** Sentences; of two in one line the second is what a newer version says from the middle on. */
const FAMILIES: Readonly<Record<string, readonly (string | readonly [string, string])[]>> = {
  sshd: [
    "Accepted password for {user} from {ip} port {port} ssh2",
    "Accepted publickey for {user} from {ip} port {port} ssh2",
    "Failed password for {user} from {ip} port {port} ssh2",
    "Failed password for invalid user {user} from {ip} port {port} ssh2",
    "session opened for user {user} by (uid={small})",
    "session closed for user {user}",
    [
      "Connection closed by {ip} port {port}",
      "Connection closed by authenticating user {user} {ip} port {port} [preauth]",
    ],
    "Connection reset by {ip} port {port}",
    "Received disconnect from {ip} port {port}: disconnected by user",
    "error: maximum authentication attempts exceeded for {user} from {ip}",
  ],
  switchd: [
    "Interface {iface}, changed state to up",
    "Interface {iface}, changed state to down",
    "Line protocol on Interface {iface}, changed state to up",
    "Line protocol on Interface {iface}, changed state to down",
    "Host {mac} in vlan {n} is flapping between port {iface} and port {iface}",
    "Configured from console by {user} on vty{small} ({ip})",
    "Neighbor {ip} on {iface} is lost: hold time expired",
    "Power supply {small} failed",
    "Fan tray {small} runs at {n} rpm",
  ],
  dhcpd: [
    "DHCPDISCOVER from {mac} via {iface}",
    "DHCPOFFER on {ip} to {mac} via {iface}",
    "DHCPREQUEST for {ip} from {mac} via {iface}",
    "DHCPACK on {ip} to {mac} via {iface}",
    "no free leases in pool {word}",
    "lease {ip} of {mac} expired at {time}",
  ],
  named: [
    "client {ip}#{port}: query: {host} IN A + ({ip})",
    "client {ip}#{port}: query: {host} IN AAAA + ({ip})",
    "client {ip}#{port}: query (cache) denied",
    "zone {host}: loaded serial {n}",
    "zone {host}: transfer from {ip} failed: timed out",
    "resolver priming query complete",
  ],
  httpd: [
    '{ip} - {user} "GET {path} HTTP/1.1" 200 {n}',
    "worker process {n} exited on signal {small}",
    "upstream {host} timed out after {ms} while reading header",
    "client sent too large a body: {n} bytes, limit {n}",
    "certificate for {host} expires in {n} days",
    ["reloading configuration from {path}", "reloading configuration from {path} asked by {user}"],
  ],
  postd: [
    "{hex}: from=<{user}@{host}>, size={n}, nrcpt={small} (queue active)",
    "{hex}: to=<{user}@{host}>, relay={host}[{ip}]:25, delay={decimal}, status=sent",
    "{hex}: removed",
    "connect from {host}[{ip}]",
    "disconnect from {host}[{ip}]",
    "lost connection after DATA from {host}[{ip}]",
    "warning: {ip}: hostname {host} verification failed",
  ],
  systemd: [
    "Started {unit}.",
    "Stopped {unit}.",
    "Starting {unit}...",
    "{unit}: Main process exited, code=exited, status={n}/FAILURE",
    "{unit}: Failed with result 'exit-code'.",
    "{unit}: Scheduled restart job, restart counter is at {n}.",
    "Created slice user-{n}.slice - User Slice of UID {n}.",
    "Reached target {word} of the {room} deck.",
  ],
  kernel: [
    "eth{small}: link up, {n} Mbps, full duplex",
    "eth{small}: link down",
    "nfs: server {host} not responding, still trying",
    "nfs: server {host} answers again",
    "Out of memory: killed process {n} ({unit}) total-vm:{n}kB",
    "EXT4-fs error (device sda{small}): inode {n} in directory {n} is damaged",
    "usb {small}-{small}: new high speed device number {n}",
    "temperature above threshold, cpu clock throttled (total events = {n})",
  ],
  backup: [
    "copied {n} files ({n} bytes) of {path} in {ms}",
    "skipped {file}: it is open by {user}",
    "snapshot {letters} of volume {word} made",
    "snapshot {letters} of volume {word} dropped after {n} days",
    "verification of {path} found no difference",
    "job {quoted} finished with {n} warnings",
    "job {quoted} could not be started: another one runs since {date} {time}",
  ],
  vpnd: [
    "peer {ip6} authenticated as {user}",
    "peer {ip6} gave a wrong key for {user}",
    "tunnel {word} to {ip} is up after {ms}",
    "tunnel {word} to {ip} is down: no answer to {n} probes",
    "rekeyed tunnel {word} with {letters}",
    "assigned {ip} to {user} for {n} minutes",
    "routes {ips} announced to {ip6}",
  ],
  crane: [
    "door {room} opened with card {n}",
    "door {room} closed",
    "card {n} refused at door {room}",
    "lift {small} carried {n} kg for {user} from {room} to {room}",
    "emergency stop pressed at {room}",
    "emergency stop released at {room} by {user}",
    ["wind speed {decimal} m/s", "wind speed {decimal} m/s from {n} degrees"],
    "inspection by {user} is due on {date}",
  ],
  ticketd: [
    '{"level":"info","user":"{user}","took":{n},"msg":"sold"}',
    '{"level":"warn","user":"{user}","left":{n},"msg":"few places"}',
    "sailing {time} to {word} has {n} places left",
    "sailing {time} to {word} cancelled by {user}: {quoted}",
    "terminal {room} offline since {time}",
    "terminal {room} online, version {decimal}",
    "refund of {decimal} to card {hex} approved by {user}",
  ],
};

/** So many labelled messages, the programs mixed, sentences of each drawn unevenly: few say most. */
export function labelledMessages(count: number, seed: number): readonly Labelled[] {
  const random = randomFrom(seed);
  const apps = Object.keys(FAMILIES);
  return Array.from({ length: count }, (_, i) => {
    const app = pick(apps)(random);
    const sentences = FAMILIES[app]!;
    const which = Math.floor(random() ** 2 * sentences.length);
    const said = sentences[which]!;
    const isNewer = typeof said !== "string" && i >= count / 2;
    const sentence = typeof said === "string" ? said : said[isNewer ? 1 : 0];
    const text = sentence.replaceAll(/\{(\w+)\}/g, (_, slot: string) => SLOTS[slot]!(random));
    return { app, text, label: `${app} ${which}${isNewer ? " newer" : ""}` };
  });
}

/**
 * Grouping accuracy as the literature on log parsing has it (Zhu et al., Tools and Benchmarks for Automated Log Parsing, ICSE-SEIP 2019,
 * section 3.2): the share of messages whose group holds exactly the messages of its sentence.
 */
export function groupingAccuracy(labels: readonly string[], groups: readonly unknown[]): number {
  const count = (of: readonly unknown[]) => {
    const sizes = new Map<unknown, number>();
    for (const one of of) sizes.set(one, (sizes.get(one) ?? 0) + 1);
    return sizes;
  };
  const [bySentence, byGroup] = [count(labels), count(groups)];
  const together = new Map<string, Map<unknown, number>>();
  for (const [i, label] of labels.entries()) {
    const there = together.get(label) ?? new Map<unknown, number>();
    together.set(label, there.set(groups[i], (there.get(groups[i]) ?? 0) + 1));
  }
  let right = 0;
  for (const [label, groupsOf] of together)
    for (const [group, size] of groupsOf)
      if (groupsOf.size === 1 && bySentence.get(label) === size && byGroup.get(group) === size) right += size;
  return right / labels.length;
}
