import { formatUs } from "@halvik/core/base/time";
import type { Device } from "./devices.js";
import { deskOf, PEOPLE } from "./places.js";
import type { Random } from "./random.js";

const SECURITY = "Microsoft-Windows-Security-Auditing";
const SUCCESS = "0x8020000000000000";
const FAILURE = "0x8010000000000000";

/** A Windows event before it is XML. */
export interface WindowsSays {
  readonly provider: string;
  readonly id: number;
  readonly log: "Security" | "System" | "Application";
  readonly level: number;
  readonly failed?: boolean;
  readonly data: readonly (readonly [name: string, value: string])[];
}

const logon = (user: string, from: string, type: string, id = 4624): WindowsSays => ({
  provider: SECURITY,
  id,
  log: "Security",
  level: 0,
  data: [
    ["SubjectUserName", "-"],
    ["TargetUserName", user],
    ["TargetDomainName", "ORVANE"],
    ["LogonType", type],
    ["IpAddress", from],
    ["IpPort", "0"],
  ],
});

export const says = {
  logon: (user: string, from: string, type = "3") => logon(user, from, type),
  logoff: (user: string): WindowsSays => ({
    provider: SECURITY,
    id: 4634,
    log: "Security",
    level: 0,
    data: [
      ["TargetUserName", user],
      ["LogonType", "3"],
    ],
  }),
  refused: (user: string, from: string): WindowsSays => ({
    ...logon(user, from, "3", 4625),
    failed: true,
    data: [...logon(user, from, "3").data, ["Status", "0xc000006d"], ["SubStatus", "0xc000006a"]],
  }),
  privileges: (user: string): WindowsSays => ({
    provider: SECURITY,
    id: 4672,
    log: "Security",
    level: 0,
    data: [
      ["SubjectUserName", user],
      ["PrivilegeList", "SeBackupPrivilege SeDebugPrivilege"],
    ],
  }),
  ticket: (user: string, from: string): WindowsSays => ({
    provider: SECURITY,
    id: 4768,
    log: "Security",
    level: 0,
    data: [
      ["TargetUserName", user],
      ["IpAddress", `::ffff:${from}`],
      ["Status", "0x0"],
    ],
  }),
  created: (by: string, account: string): WindowsSays => ({
    provider: SECURITY,
    id: 4720,
    log: "Security",
    level: 0,
    data: [
      ["TargetUserName", account],
      ["SubjectUserName", by],
    ],
  }),
  joined: (by: string, account: string, group: string): WindowsSays => ({
    provider: SECURITY,
    id: 4732,
    log: "Security",
    level: 0,
    data: [
      ["MemberName", `CN=${account},CN=Users,DC=orvane,DC=example`],
      ["TargetUserName", group],
      ["SubjectUserName", by],
    ],
  }),
  service: (name: string, file: string): WindowsSays => ({
    provider: "Service Control Manager",
    id: 7045,
    log: "System",
    level: 4,
    data: [
      ["ServiceName", name],
      ["ImagePath", file],
      ["ServiceType", "user mode service"],
      ["StartType", "auto start"],
      ["AccountName", "LocalSystem"],
    ],
  }),
  cleared: (by: string): WindowsSays => ({
    provider: "Microsoft-Windows-Eventlog",
    id: 1102,
    log: "Security",
    level: 4,
    data: [["SubjectUserName", by]],
  }),
  process: (by: string, file: string): WindowsSays => ({
    provider: SECURITY,
    id: 4688,
    log: "Security",
    level: 0,
    data: [
      ["SubjectUserName", by],
      ["NewProcessName", file],
      ["ParentProcessName", "C:\\Windows\\explorer.exe"],
      ["CommandLine", file],
    ],
  }),
  serviceState: (name: string, state: string): WindowsSays => ({
    provider: "Service Control Manager",
    id: 7036,
    log: "System",
    level: 4,
    data: [
      ["param1", name],
      ["param2", state],
    ],
  }),
  component: (): WindowsSays => ({
    provider: "Microsoft-Windows-DistributedCOM",
    id: 10_016,
    log: "System",
    level: 3,
    data: [
      ["param1", "application-specific"],
      ["param6", "NT AUTHORITY\\SYSTEM"],
    ],
  }),
} as const;

/** One ordinary event of a Windows server. */
export function ordinaryEvent(r: Random): WindowsSays {
  const user = r.pick(PEOPLE);
  const n = r.next();
  if (n < 0.3) return says.logon(user, deskOf(user), r.pick(["3", "3", "3", "10"]));
  if (n < 0.5) return says.logoff(user);
  if (n < 0.64) return says.ticket(user, deskOf(user));
  if (n < 0.7) return says.privileges(user);
  if (n < 0.72) return says.refused(user, deskOf(user));
  if (n < 0.86)
    return says.process(
      user,
      r.pick([
        "C:\\Program Files\\Tickets\\tickets.exe",
        "C:\\Windows\\System32\\taskhostw.exe",
        "C:\\Program Files\\Ledger\\ledger.exe",
      ]),
    );
  if (n < 0.97)
    return says.serviceState(
      r.pick(["Print Spooler", "Windows Update", "Orvane Timetable"]),
      r.pick(["running", "stopped"]),
    );
  return says.component();
}

const escapeXml = (text: string): string =>
  text.replace(/[&<>"]/g, (c) => ({ "&": "&amp;", "<": "&lt;", ">": "&gt;", '"': "&quot;" })[c]!);

/** Event XML as a forwarder sends it. @param recordId counts up on each host */
export function eventXml(device: Device, event: WindowsSays, atUs: number, recordId: number): string {
  const time = `${formatUs(atUs).slice(0, 26)}0Z`;
  const security = event.provider === SECURITY;
  return `<Event xmlns="http://schemas.microsoft.com/win/2004/08/events/event"><System><Provider Name="${event.provider}"/><EventID>${event.id}</EventID><Version>0</Version><Level>${event.level}</Level><Task>0</Task><Opcode>0</Opcode><Keywords>${security ? (event.failed ? FAILURE : SUCCESS) : "0x8080000000000000"}</Keywords><TimeCreated SystemTime="${time}"/><EventRecordID>${recordId}</EventRecordID><Execution ProcessID="${security ? 640 : 4}" ThreadID="72"/><Channel>${event.log}</Channel><Computer>${device.name}.orvane.example</Computer><Security/></System><EventData>${event.data.map(([name, value]) => `<Data Name="${name}">${escapeXml(value)}</Data>`).join("")}</EventData></Event>`;
}
