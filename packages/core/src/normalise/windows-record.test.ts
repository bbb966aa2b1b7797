import { setFlagsFromString } from "node:v8";
import { runInNewContext } from "node:vm";
import { Meanings } from "../meaning/index.js";
import { AccountIds, windowsRecord } from "./index.js";

/** Events 4720, 4728 and 4732 and their data as Microsoft documents them (Audit User Account, Audit Security Group Management). */
const ID = "S-1-5-21-1004336348-1177238915-682003330-1105";
const NOW = Date.UTC(2026, 10, 24, 12) * 1_000;
const MEANINGS = new Meanings();
const ids = new AccountIds();

function usersOf(event: number, data: Record<string, string>, sender = 7): readonly string[] {
  const rows = Object.entries(data).map(([name, value]) => `<Data Name="${name}">${value}</Data>`);
  const xml = `<Event><System><Provider Name="Microsoft-Windows-Security-Auditing"/><EventID>${event}</EventID><Level>0</Level><TimeCreated SystemTime="2026-11-24T12:00:00Z"/><Channel>Security</Channel><Computer>files-1.orvane.example</Computer></System><EventData>${rows.join("")}</EventData></Event>`;
  return windowsRecord(new TextEncoder().encode(xml), {
    receivedUs: NOW,
    clockOffsetUs: 0,
    meanings: MEANINGS,
    accounts: { sender, ids },
  }).content.users;
}

test("a group is no user; its member is, by the distinguished name", () => {
  const data = { MemberName: "CN=n.berg,CN=Users,DC=orvane,DC=example", MemberSid: ID };
  expect(usersOf(4728, { ...data, TargetUserName: "Domain Admins", SubjectUserName: "t.vik" })).toEqual([
    "t.vik",
    "n.berg",
  ]);
  // of an account it is
  expect(usersOf(4725, { TargetUserName: "n.berg", SubjectUserName: "t.vik" })).toEqual(["n.berg", "t.vik"]);
});

test("a member of a local group has an identifier alone: its name is that of the event that made it", () => {
  const added = {
    MemberName: "-",
    MemberSid: ID,
    TargetUserName: "Administrators",
    TargetSid: "S-1-5-32-544",
    SubjectUserName: "t.vik",
  };
  expect(usersOf(4732, added)).toEqual(["t.vik"]);
  usersOf(4720, { TargetUserName: "svc-print", TargetSid: ID, SubjectUserName: "t.vik" });
  expect(usersOf(4732, added)).toEqual(["t.vik", "svc-print"]);
  // the account's own name stands before what the directory calls the person
  expect(usersOf(4728, { MemberName: "CN=Print Service,CN=Users", MemberSid: ID, TargetUserName: "Print" })).toEqual([
    "svc-print",
  ]);
  // renamed since
  usersOf(4624, { TargetUserName: "svc-scan", TargetUserSid: ID, LogonType: "3" });
  expect(usersOf(4733, added)).toEqual(["t.vik", "svc-scan"]);
  // what another sender says of the same identifier is its own
  usersOf(4720, { TargetUserName: "liar", TargetSid: ID }, 8);
  expect(usersOf(4732, added)).toEqual(["t.vik", "svc-scan"]);
  expect(usersOf(4732, added, 9)).toEqual(["t.vik"]);
});

test.each([
  ["a group that was made", 4727, { TargetUserName: "Staff", TargetSid: `${ID}1` }],
  ["one that is the same everywhere", 4624, { TargetUserName: "SYSTEM", TargetUserSid: "S-1-5-18" }],
  ["none", 4624, { TargetUserName: "-", TargetUserSid: `${ID}2` }],
])("nothing is learnt of %s", (_what, event, data) => {
  usersOf(event, data);
  const id = Object.values(data)[1]!;
  expect(usersOf(4732, { MemberSid: id, SubjectUserName: "t.vik", TargetUserName: "Users" })).toEqual(["t.vik"]);
});

test("what is learnt is bounded: the oldest is forgotten", () => {
  const bounded = new AccountIds();
  const id = (n: number): string => `S-1-5-21-1-2-3-${n}`;
  for (let n = 0; n <= 20_000; n++)
    bounded.learn(
      1,
      [
        ["TargetUserName", `u${n}`],
        ["TargetUserSid", id(n)],
      ],
      false,
    );
  expect(bounded.member(1, [["MemberSid", id(0)]])).toBeUndefined();
  expect(bounded.member(1, [["MemberSid", id(20_000)]])).toBe("u20000");
});

test("what is learnt keeps no event in memory that it was learnt from", () => {
  setFlagsFromString("--expose-gc");
  const collect = runInNewContext("gc") as () => void;
  const kept = (): number => {
    collect();
    return process.memoryUsage().heapUsed;
  };
  const before = kept();
  for (let n = 0; n < 2_000; n++)
    usersOf(4720, {
      TargetUserName: `long.name.of.somebody.${n}`,
      TargetSid: `S-1-5-21-4-5-6-${n}`,
      Said: `${n}`.padEnd(20_000, "x"),
    });
  // 40 MB went through; of an account some hundred bytes stay
  expect(kept() - before).toBeLessThan(4_000_000);
  expect(usersOf(4732, { MemberSid: "S-1-5-21-4-5-6-1999" })).toEqual(["long.name.of.somebody.1999"]);
});
