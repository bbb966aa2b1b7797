import { DecodeError, decodeUtf8 } from "../base/bytes/index.js";
import { canonicalAddress } from "../base/net/index.js";
import { cutText } from "../base/text/index.js";
import { parseEvent, type WindowsEvent } from "../decode/windows/index.js";
import type { Meanings } from "../meaning/index.js";
import { canonicalUser, commonNameOf } from "../model/entity/index.js";
import { emptyContent, type Mark, type Outcome, type RecordContent, type Severity } from "../model/record/index.js";
import type { AccountIds } from "./account-ids.js";
import { chooseTime } from "./choose-time.js";
import { unreadable } from "./unreadable.js";

export interface WindowsContext {
  readonly receivedUs: number;
  readonly clockOffsetUs: number;
  readonly maxBehindUs?: number | undefined;
  readonly meanings: Meanings;
  /** Whose event it is, and what is known of the accounts there; without it nothing is learnt. */
  readonly accounts?: { readonly sender: number; readonly ids: AccountIds } | undefined;
}

/** Names of event data that hold a source address, a destination, their ports, users and processes (event manifests). */
const SOURCE = ["IpAddress", "SourceAddress", "ClientAddress", "ClientIP", "Address"];
const DESTINATION = ["DestAddress", "DestinationIp"];
const SOURCE_PORT = ["IpPort", "SourcePort"];
const DESTINATION_PORT = ["DestPort", "DestinationPort"];
const USERS = ["TargetUserName", "SubjectUserName", "AccountName", "User", "UserName", "param3"];
/** Events of the audit of groups (4727 to 4764, without those of accounts and computers between): their target is a group, and no person. */
const GROUP_EVENTS: ReadonlySet<number> = new Set([
  4727, 4728, 4729, 4730, 4731, 4732, 4733, 4734, 4735, 4737, 4744, 4745, 4746, 4747, 4748, 4749, 4750, 4751, 4752,
  4753, 4754, 4755, 4756, 4757, 4758, 4759, 4760, 4761, 4762, 4763, 4764,
]);
const PROCESS = ["NewProcessName", "ProcessName", "Application", "ImagePath"];
const NOBODY = ["-", "", "SYSTEM", "LOCAL SERVICE", "NETWORK SERVICE", "ANONYMOUS LOGON"];
/** Checks that end well or badly by their status: the id alone does not say. */
const BY_STATUS = [4768, 4769, 4776];
const MAX_TEXT = 16_000;

/** One event's XML to a record's content; XML that is no event is kept with the reason. */
export function windowsRecord(
  bytes: Uint8Array,
  context: WindowsContext,
): { content: RecordContent; deviceUs: number | null } {
  try {
    const event = parseEvent(decodeUtf8(bytes).text);
    return { content: eventRecord(event, bytes, context), deviceUs: event.timeUs };
  } catch (e) {
    if (!(e instanceof DecodeError)) throw e;
    const problem = { code: e.code, offset: e.offset, message: e.message };
    return { content: unreadable("windows", bytes, context.receivedUs, problem), deviceUs: null };
  }
}

function eventRecord(e: WindowsEvent, bytes: Uint8Array, context: WindowsContext): RecordContent {
  const time = chooseTime(e.timeUs, false, context.receivedUs, context.clockOffsetUs, context.maxBehindUs);
  const meaning = context.meanings.windows(e.provider, e.eventId);
  const values = (names: readonly string[]) =>
    names.flatMap((name) => e.data.filter(([n]) => n === name).map(([, v]) => v));
  const address = (names: readonly string[]) => {
    for (const v of values(names)) {
      const found = canonicalAddress(v.trim());
      if (found !== null) return found;
    }
    return null;
  };
  const port = (names: readonly string[]) => {
    const v = values(names).find((text) => /^\d{1,5}$/.test(text) && Number(text) <= 65_535 && text !== "0");
    return v === undefined ? null : Number(v);
  };
  const isGroup = GROUP_EVENTS.has(e.eventId);
  const { accounts } = context;
  accounts?.ids.learn(accounts.sender, e.data, isGroup);
  const member = accounts?.ids.member(accounts.sender, e.data);
  const members = member === undefined ? values(["MemberName"]).flatMap((name) => commonNameOf(name) ?? []) : [member];
  const users = e.provider.startsWith("Service Control")
    ? []
    : [...values(isGroup ? USERS.slice(1) : USERS), ...members].filter((u) => !NOBODY.includes(u.trim().toUpperCase()));
  const data: (readonly [string, string])[] = [...e.data];
  const add = (name: string, value: string | null) => {
    if (value !== null) data.push([name, value]);
  };
  add("log", e.log);
  add("record id", e.recordId);
  add("task", e.task);
  add("opcode", e.opcode);
  add("keywords", e.keywords);
  add("user sid", e.userSid);
  const marks: Mark[] = time.reason === "corrected" ? ["clock corrected"] : [];
  return Object.assign(emptyContent("windows", time.timeUs, context.receivedUs), {
    timeReason: time.reason,
    clockOffsetMs: time.clockOffsetMs,
    deviceTime: e.timeText,
    severity: severityOf(e, meaning?.severity ?? null, context.meanings),
    originalSeverity: e.audit ? `level ${e.level}, audit ${e.audit}` : `level ${e.level}`,
    category: meaning?.category ?? "other",
    outcome: outcomeOf(e, meaning?.outcome ?? "unknown"),
    host: e.computer,
    app: e.provider,
    process: values(PROCESS).find((v) => v !== "" && v !== "-") ?? e.processId,
    event: String(e.eventId),
    users: [...new Set(users.map(canonicalUser))],
    src: address(SOURCE),
    dst: address(DESTINATION),
    srcPort: port(SOURCE_PORT),
    dstPort: port(DESTINATION_PORT),
    text: cutText(
      e.message ??
        e.data
          .filter(([, v]) => v !== "" && v !== "-")
          .map(([n, v]) => `${n}=${v}`)
          .join(" "),
      MAX_TEXT,
    ),
    data,
    raw: bytes,
    marks,
  });
}

/** What the event says of itself stands before what its id usually means, where it is worse. */
function severityOf(e: WindowsEvent, byMeaning: Severity | null, meanings: Meanings): Severity {
  const own = meanings.severity("windows", e.audit ? `audit ${e.audit}` : `level ${e.level}`, 6);
  // a provider may log the same id as information or as an error: the worse of both
  return byMeaning === null ? own : (Math.min(own, byMeaning) as Severity);
}

function outcomeOf(e: WindowsEvent, usual: Outcome): Outcome {
  if (e.audit === "failure") return "failure";
  if (BY_STATUS.includes(e.eventId)) {
    const status = e.data.find(([n]) => n === "Status")?.[1];
    if (status !== undefined) return /^0x0+$/.test(status) ? "success" : "failure";
  }
  return usual;
}
