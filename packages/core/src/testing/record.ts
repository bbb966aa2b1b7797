import { emptyContent, type HalvikRecord } from "../model/record/index.js";

/** A record for tests: a plain syslog one with the given parts changed. */
export function testRecord(parts: Partial<HalvikRecord> = {}): HalvikRecord {
  return {
    ...emptyContent("syslog", 0, 0),
    timeReason: "device",
    id: "1",
    sender: 1,
    endpoint: "udp",
    copyOf: null,
    shape: null,
    ...parts,
  };
}
