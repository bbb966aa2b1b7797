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

/** Names that several programs use, for when nobody declared a mapping. */
export const USUAL_MAPPING: JsonMapping = {
  time: "time",
  text: "message",
  severity: "severity",
  host: "host",
  app: "app",
  process: "process",
  event: "event",
  user: "user",
  src: "src",
  dst: "dst",
  "src port": "srcPort",
  "dst port": "dstPort",
  protocol: "protocol",
  interface: "interface",
  bytes: "bytes",
  packets: "packets",
  category: "category",
  outcome: "outcome",
  action: "action",
};
