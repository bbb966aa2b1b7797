import { decodeUtf8 } from "../base/bytes/index.js";
import { canonicalAddress } from "../base/net/index.js";
import { writtenTime } from "../base/time/index.js";
import { actionOf, protocolOf } from "../decode/firewall/index.js";
import {
  flatten,
  type JsonMapping,
  LEVELS_IN_TENS,
  type MappedField,
  parseExact,
  USUAL_NAMES,
} from "../decode/json/index.js";
import type { Meanings } from "../meaning/index.js";
import { canonicalUser } from "../model/entity/canonical.js";
import {
  CATEGORIES,
  type Category,
  emptyContent,
  OUTCOMES,
  type Outcome,
  parseSeverity,
  type RecordContent,
  readCount,
} from "../model/record/index.js";
import { chooseTime } from "./choose-time.js";
import { unreadable } from "./unreadable.js";

export interface JsonContext {
  readonly receivedUs: number;
  readonly clockOffsetUs: number;
  readonly maxBehindUs?: number | undefined;
  /** Null: nobody declared one, and names that many programs use are known. */
  readonly mapping: JsonMapping | null;
  readonly meanings: Meanings;
}

/** One JSON object to a record's content, by a declared mapping or by usual names. A mapped value that does not fit stays in `data`. */
export function jsonRecord(
  bytes: Uint8Array,
  context: JsonContext,
): { content: RecordContent; deviceUs: number | null } {
  const { text: json } = decodeUtf8(bytes);
  let value: unknown;
  try {
    value = parseExact(json);
  } catch (e) {
    const problem = { code: "BAD_JSON" as const, offset: 0, message: `JSON: ${(e as Error).message.slice(0, 120)}` };
    return { content: unreadable("json", bytes, context.receivedUs, problem), deviceUs: null };
  }
  const leaves = new Map(flatten(value));
  const { mapping } = context;
  const written = new Map<MappedField, string>();
  const take = <T>(field: MappedField, read: (text: string) => T | null): T | null => {
    const declared = mapping?.[field];
    const paths = mapping === null ? USUAL_NAMES[field] : declared === undefined ? [] : [declared];
    for (const path of paths) {
      const text = leaves.get(path);
      if (text === undefined) continue;
      // what was written there is told, whether it could be read or not
      if (!written.has(field)) written.set(field, text);
      const found = read(text);
      if (found === null) continue;
      written.set(field, text);
      leaves.delete(path);
      return found;
    }
    return null;
  };
  const asIs = (text: string) => (text === "" ? null : text);
  const deviceUs = take("time", (text) => writtenTime(text, "UTC"));
  const time = chooseTime(deviceUs, false, context.receivedUs, context.clockOffsetUs, context.maxBehindUs);
  const severity = take("severity", (text) => parseSeverity(mapping === null ? (LEVELS_IN_TENS[text] ?? text) : text));
  const user = take("user", asIs);
  // where nobody declared names, those of our own exports are known too
  const own = mapping === null ? takeOwn(leaves) : NOTHING_OWN;
  const content: RecordContent = Object.assign(emptyContent("json", time.timeUs, context.receivedUs), {
    timeReason: time.reason,
    clockOffsetMs: time.clockOffsetMs,
    deviceTime: written.get("time") ?? null,
    severity: severity ?? context.meanings.severity("json", "none", 6),
    originalSeverity: written.get("severity") ?? null,
    category:
      take("category", (t) => ((CATEGORIES as readonly string[]).includes(t) ? (t as Category) : null)) ?? "other",
    outcome: take("outcome", (t) => ((OUTCOMES as readonly string[]).includes(t) ? (t as Outcome) : null)) ?? "unknown",
    action: take("action", actionOf),
    host: take("host", asIs),
    app: take("app", asIs),
    process: take("process", asIs),
    event: take("event", asIs),
    users: [...new Set([...(user === null ? [] : [user]), ...own.users].map(canonicalUser))],
    src: take("src", canonicalAddress),
    dst: take("dst", canonicalAddress),
    srcPort: take("src port", port),
    dstPort: take("dst port", port),
    protocol: take("protocol", protocolOf),
    interface: take("interface", asIs),
    bytes: take("bytes", readCount),
    packets: take("packets", readCount),
    text: take("text", asIs) ?? own.text,
    otherAddresses: own.otherAddresses,
    raw: bytes,
  });
  return { content: { ...content, data: [...leaves, ...own.data] }, deviceUs };
}

interface OwnValues {
  readonly text: string;
  readonly users: readonly string[];
  readonly otherAddresses: readonly string[];
  readonly data: readonly (readonly [string, string])[];
}
const NOTHING_OWN: OwnValues = { text: "", users: [], otherAddresses: [], data: [] };

/** Takes what our own exports call otherwise than most programs do: the text, lists, and named values as pairs. */
function takeOwn(leaves: Map<string, string>): OwnValues {
  const take = (path: string): string | undefined => {
    const value = leaves.get(path);
    leaves.delete(path);
    return value;
  };
  const list = (name: string): string[] => {
    const out: string[] = [];
    for (let i = 0; leaves.has(`${name}.${i}`); i++) out.push(take(`${name}.${i}`)!);
    return out;
  };
  const data: [string, string][] = [];
  for (let i = 0; leaves.has(`data.${i}.0`) && leaves.has(`data.${i}.1`); i++)
    data.push([take(`data.${i}.0`)!, take(`data.${i}.1`)!]);
  const addresses = list("otherAddresses").map((text) => [text, canonicalAddress(text)] as const);
  // what is no address stays to be seen
  for (const [text, address] of addresses) if (address === null) data.push(["otherAddresses", text]);
  return {
    text: USUAL_NAMES.text.some((name) => leaves.has(name)) ? "" : (take("text") ?? ""),
    users: list("users").filter((u) => u !== ""),
    otherAddresses: addresses.flatMap(([, address]) => (address === null ? [] : [address])),
    data,
  };
}

const port = (text: string): number | null => (/^\d{1,5}$/.test(text) && Number(text) <= 65_535 ? Number(text) : null);
