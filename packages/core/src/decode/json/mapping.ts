import * as z from "zod";

/** Fields of a record that a JSON value can become. */
export const MAPPED_FIELDS = [
  "time",
  "text",
  "severity",
  "host",
  "app",
  "process",
  "event",
  "user",
  "src",
  "dst",
  "src port",
  "dst port",
  "protocol",
  "interface",
  "bytes",
  "packets",
  "category",
  "outcome",
  "action",
] as const;
export type MappedField = (typeof MAPPED_FIELDS)[number];

/**
 * Which value of a JSON record becomes which field: `{ "src": "client.ip" }`; a path names members with dots between, and
 * numbers for places in arrays. What is not named stays in `data` under its path.
 */
export const JsonMapping = z.partialRecord(z.enum(MAPPED_FIELDS), z.string().min(1).max(200));
export type JsonMapping = z.infer<typeof JsonMapping>;

/**
 * Names that many programs and libraries use, for when nobody declared a mapping; of several the first that holds what the field can be. Paths with
 * dots are members of members, or names with dots in them. Common practice, no source.
 */
export const USUAL_NAMES: Readonly<Record<MappedField, readonly [string, ...string[]]>> = {
  time: ["time", "@timestamp", "timestamp", "ts", "datetime", "eventTime"],
  text: ["message", "msg", "log", "event.original", "short_message"],
  severity: ["severity", "level", "log.level", "loglevel", "levelname"],
  host: ["host", "hostname", "host.name", "host.hostname", "computer"],
  app: ["app", "application", "service", "service.name", "program", "logger", "process.name"],
  process: ["process", "pid", "process.pid"],
  event: ["event", "eventId", "event_id", "event.code", "event.id"],
  user: ["user", "username", "userName", "user.name"],
  src: ["src", "source.ip", "srcip", "src_ip", "sourceIPAddress", "client_ip", "clientip", "client.ip", "remote_addr"],
  dst: ["dst", "destination.ip", "dstip", "dst_ip", "destinationIPAddress", "server.ip"],
  "src port": ["srcPort", "source.port", "srcport", "src_port", "client.port"],
  "dst port": ["dstPort", "destination.port", "dstport", "dst_port", "server.port"],
  protocol: ["protocol", "proto", "network.transport"],
  interface: ["interface", "ifname"],
  bytes: ["bytes", "network.bytes"],
  packets: ["packets", "network.packets"],
  category: ["category"],
  outcome: ["outcome", "event.outcome"],
  action: ["action", "event.action"],
};

/** Levels of loggers that count upwards in tens: trace, debug, information, warning, error, fatal (common practice, no source). */
export const LEVELS_IN_TENS: Readonly<Record<string, string>> = {
  "10": "debug",
  "20": "debug",
  "30": "info",
  "40": "warning",
  "50": "error",
  "60": "critical",
};
