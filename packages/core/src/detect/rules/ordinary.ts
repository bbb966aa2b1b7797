import type { RuleInput } from "../rule.js";
import { decision, flow, letIn, notified, refused, says, windows } from "./samples.js";

type Ordinary = NonNullable<RuleInput["tests"]>[number];
const DAY = 86_400;
const HOME = "198.51.100.23";
const DESK = "10.20.3.17";
const CONTROL = { provider: "Service Control Manager", log: "System" };

const noise = (name: string, ...records: Ordinary["records"]): Ordinary => ({
  name: `ordinary: ${name}`,
  raises: 0,
  records,
});
const own = (event: string, outcome: "success" | "unknown", text: string): Ordinary["records"][number] => ({
  at: 0,
  times: 20,
  every: 300,
  fields: { kind: "halvik", event, outcome, host: "collector", text },
});

/** A working day at an office: people mistype, log on, and use their rights. */
const WORK = [
  refused({ at: 0, times: 2, every: 4 }, DESK, "r.moe", "files"),
  letIn(15, DESK, "r.moe", "files"),
  letIn({ at: 600, times: 30, every: 900 }, DESK, "r.moe", "files"),
  windows(
    { at: 700, times: 20, every: 1_200 },
    4624,
    { TargetUserName: "r.moe", LogonType: "3", IpAddress: DESK },
    "dc",
  ),
  windows({ at: 701, times: 20, every: 1_200 }, 4672, { SubjectUserName: "r.moe" }, "dc"),
];
/** What any address on the Internet meets: knocks that are refused, slowly, and pages that are read. */
const INTERNET = [
  decision({ at: 0, times: 200, every: 40 }, "deny", "203.0.113.{n}", "198.51.100.4", 23),
  decision({ at: 5, times: 300, every: 30 }, "accept", "192.0.2.{n}", "198.51.100.4", 443),
];

/**
 * What each rule sees in an ordinary time and must not mind: records like those it looks for, of a day on which nothing is wrong. Beside the
 * case it raises on and the near miss, the third test of every shipped rule.
 */
export const ORDINARY: Readonly<Record<string, Ordinary>> = {
  "refused-logons": noise(
    "many people mistype, each once or twice",
    refused({ at: 0, times: 60, every: 400 }, "10.20.3.{n}", "user{n}"),
    ...WORK,
  ),
  "guessed-then-in": noise(
    "people who mistype and then are let in, and a scanner that is not",
    refused({ at: 0, times: 6, every: 500 }, HOME, "k.lind"),
    letIn({ at: 20, times: 6, every: 500 }, HOME, "k.lind"),
    refused({ at: 0, times: 30, every: 30 }, "203.0.113.77", "oracle"),
  ),
  "guessed-in-privileged": noise(
    "an account everybody guesses, used from home as ever",
    refused({ at: 0, times: 40, every: 120 }, "203.0.113.{n}", "k.lind"),
    letIn({ at: 300, times: 4, every: 1_200 }, HOME, "k.lind"),
    windows({ at: 330, times: 4, every: 1_200 }, 4672, { SubjectUserName: "k.lind" }),
  ),
  "one-account-many-addresses": noise(
    "one person at desk, telephone and home",
    refused({ at: 0, times: 2 }, DESK, "k.lind"),
    refused(300, HOME, "k.lind"),
    refused(500, "10.20.8.9", "k.lind"),
  ),
  "one-address-many-accounts": noise(
    "a terminal server on which five people mistype",
    refused({ at: 0, times: 5, every: 150 }, "10.20.9.5", "user{n}"),
    letIn({ at: 5, times: 5, every: 150 }, "10.20.9.5", "user{n}"),
  ),
  "one-account-in-from-many": noise(
    "desk, telephone, home, and a machine account everywhere",
    letIn({ at: 0, times: 10, every: 300 }, DESK, "k.lind"),
    letIn({ at: 60, times: 3, every: 900 }, HOME, "k.lind"),
    letIn(200, "10.20.8.9", "k.lind"),
    windows({ at: 0, times: 12, every: 200 }, 4624, {
      TargetUserName: "WS-7$",
      LogonType: "3",
      IpAddress: "10.20.3.{n}",
    }),
  ),
  "new-place-for-account": noise(
    "from home every day, and inside everywhere",
    letIn({ at: 0, times: 14, every: DAY }, HOME, "k.lind"),
    letIn({ at: 8 * DAY, times: 20, every: 600 }, "10.20.3.{n}", "k.lind"),
  ),
  "privilege-refused": noise(
    "once mistyped a day, and rights used well",
    says({ at: 0, times: 5, every: DAY }, "<34>su: 'su root' failed for t.vik on /dev/pts/1", "gate"),
    windows({ at: 30, times: 20, every: 600 }, 4672, { SubjectUserName: "t.vik" }),
  ),
  "snmp-refused": noise(
    "a station that asks wrongly once an hour",
    notified(
      { at: 0, times: 20, every: 3_600 },
      "1.3.6.1.6.3.1.1.5.5",
      { category: "logon", outcome: "failure" },
      "switch",
    ),
  ),
  "log-cleared": noise(
    "logs that roll over, restart and fill up",
    windows({ at: 0, times: 3, every: DAY }, 1105),
    windows({ at: 50, times: 3, every: DAY }, 1104),
    windows(90, 6005, {}, "server", { provider: "EventLog", log: "System" }),
  ),
  "audit-policy-changed": noise(
    "other policies change, and rights are used",
    windows({ at: 0, times: 4, every: 900 }, 4739, { SubjectUserName: "admin" }),
    windows({ at: 5, times: 4, every: 900 }, 4672, { SubjectUserName: "admin" }),
  ),
  "log-stopped-not-back": noise(
    "a night of restarts after updates",
    windows({ at: 0, times: 3, every: 1_800 }, 1100),
    windows({ at: 200, times: 3, every: 1_800 }, 4608),
  ),
  "account-made-privileged-used": noise(
    "five new people on Monday, used the next day",
    windows({ at: 0, times: 5, every: 300 }, 4720, { TargetUserName: "new{n}", SubjectUserName: "admin" }, "dc"),
    windows({ at: DAY, times: 5, every: 600 }, 4624, { TargetUserName: "new{n}", LogonType: "3" }, "files"),
    // what a database that is installed does
    says(0, "<86>useradd[70]: new user: name=postgres, UID=112, GID=118, home=/var/lib/postgresql, shell=/bin/bash"),
    says(1, "<86>usermod[71]: add 'postgres' to group 'ssl-cert'"),
    says(9, "<86>su[72]: pam_unix(su:session): session opened for user postgres(uid=112) by (uid=0)"),
  ),
  "group-joined": noise(
    "people leave groups, and groups are made; of Linux those that give no rights",
    says(5, "<86>usermod[71]: add 'postgres' to group 'ssl-cert'"),
    says(6, "<86>groupadd[72]: new group: name=sudo-old, GID=1003"),
    windows({ at: 0, times: 5, every: 300 }, 4729, { SubjectUserName: "admin" }),
    windows({ at: 9, times: 2, every: 300 }, 4731, { SubjectUserName: "admin" }),
  ),
  "service-installed": noise(
    "services start, stop and change how they start",
    windows({ at: 0, times: 20, every: 200 }, 7036, { param1: "Windows Update" }, "files", CONTROL),
    windows({ at: 5, times: 5, every: 200 }, 7040, { param1: "BITS" }, "files", CONTROL),
  ),
  "remote-logon-then-service": noise(
    "remote desktop all day, and services that start",
    windows({ at: 0, times: 20, every: 900 }, 4624, { TargetUserName: "admin", LogonType: "10", IpAddress: DESK }),
    windows({ at: 60, times: 20, every: 900 }, 7036, { param1: "BITS" }, "server", CONTROL),
  ),
  "accounts-locked": noise(
    "three people after the holidays",
    windows({ at: 0, times: 3, every: 250 }, 4740, { TargetUserName: "user{n}" }),
    windows({ at: 3_000, times: 2, every: 200 }, 4767, { TargetUserName: "user{n}" }),
  ),
  "task-scheduled": noise(
    "tasks run, change and end",
    windows({ at: 0, times: 10, every: 600 }, 4702, { SubjectUserName: "svc", TaskName: "\\x" }),
    windows({ at: 9, times: 3, every: 600 }, 4699, { SubjectUserName: "svc", TaskName: "\\y" }),
  ),
  "kerberos-refused": noise(
    "tickets granted, and a few clocks and passwords that are off",
    windows({ at: 0, times: 90, every: 30 }, 4769, { TargetUserName: "u{n}", IpAddress: DESK, Status: "0x0" }),
    windows({ at: 3, times: 10, every: 300 }, 4771, { TargetUserName: "u{n}", IpAddress: DESK, Status: "0x18" }),
  ),
  "clock-set": noise(
    "the time service sets it",
    windows({ at: 0, times: 24, every: 3_600 }, 4616, { SubjectUserName: "LOCAL SERVICE" }),
    windows({ at: 9, times: 24, every: 3_600 }, 4616, { SubjectUserName: "WS-7$" }),
  ),
  "interface-flapping": noise(
    "computers that are switched on and off",
    notified({ at: 0, times: 2, every: 240 }, "1.3.6.1.6.3.1.1.5.3", {
      category: "link",
      outcome: "failure",
      interface: "ge0/3",
    }),
    notified({ at: 60, times: 2, every: 240 }, "1.3.6.1.6.3.1.1.5.4", {
      category: "link",
      outcome: "success",
      interface: "ge0/3",
    }),
  ),
  "uplink-down": noise(
    "ports of computers go down in the evening, an uplink is restarted",
    notified({ at: 0, times: 1 }, "1.3.6.1.6.3.1.1.5.3", { category: "link", outcome: "failure", interface: "ge0/3" }),
    says(100, "<187>Interface te1/30, changed state to down"),
    says(160, "<189>Interface te1/30, changed state to up"),
  ),
  "adjacency-lost": noise(
    "neighbours that come up, and hellos",
    says({ at: 0, times: 3, every: 60 }, "<189>ospf: adjacency with 10.0.0.{n} went from loading to full"),
    says({ at: 9, times: 20, every: 60 }, "<190>ospf: hello from 10.0.0.3"),
  ),
  "change-then-outage": noise(
    "changes, and computers switched off hours later",
    says({ at: 0, times: 3, every: 7_200 }, "<189>configuration changed by r.moe from 10.1.1.1"),
    says(30_000, "<187>Interface ge0/1, changed state to down"),
  ),
  restarting: noise(
    "an upgrade with two restarts, and another device once",
    notified(
      { at: 0, times: 2, every: 900 },
      "1.3.6.1.6.3.1.1.5.1",
      { category: "system health", outcome: "success" },
      "a",
    ),
    notified(60, "1.3.6.1.6.3.1.1.5.2", { category: "system health", outcome: "success" }, "b"),
  ),
  "clock-jump": noise(
    "small steps of a clock that is disciplined",
    says({ at: 0, times: 30, every: 600 }, "<30>chronyd[9]: Frequency 12.3 +/- 0.1 ppm"),
    says({ at: 9, times: 5, every: 600 }, "<30>ntpd[9]: synchronized to 10.1.1.1, stratum 2"),
  ),
  "message-storm": noise(
    "a chatty program, well under one a second",
    says({ at: 0, times: 300, every: 4 }, "<28>sensor: value out of range ({n})", "camera"),
    says({ at: 1, times: 600, every: 1 }, "<30>sensor: all well ({n})", "camera"),
  ),
  "on-battery": noise(
    "tests of the battery, and power that is back",
    notified({ at: 0, times: 3, every: DAY }, "1.3.6.1.2.1.33.2.0.2", {
      category: "system health",
      outcome: "success",
    }),
    notified(60, "1.3.6.1.2.1.33.2.0.4", { category: "system health", outcome: "success" }),
  ),
  "disk-errors": noise(
    "an empty drive that is looked at now and then",
    says({ at: 0, times: 12, every: 3_600 }, "<3>kernel: blk_update_request: I/O error, dev sr0, sector 0"),
    says({ at: 9, times: 30, every: 600 }, "<6>kernel: sda: write cache enabled"),
  ),
  "disk-full": noise(
    "checks that find room",
    says({ at: 0, times: 24, every: 3_600 }, "<14>check: disk full test passed, 41 % used"),
    says({ at: 9, times: 3, every: 3_600 }, "<12>df: /var is 91 % full"),
  ),
  "out-of-memory": noise(
    "memory that is freed and swapped",
    says({ at: 0, times: 20, every: 300 }, "<6>kernel: Freeing unused memory: 2048K"),
    says({ at: 9, times: 5, every: 300 }, "<12>java: memory is 80 % used"),
  ),
  "too-hot": noise(
    "readings with their thresholds",
    says({ at: 0, times: 48, every: 600 }, "<190>temperature of inlet is 31 C, high threshold 60 C, critical 70 C"),
  ),
  "fan-failed": noise(
    "a report of all fans",
    says({ at: 0, times: 24, every: 3_600 }, "<190>fan report: 4 ok, 0 failed"),
    says({ at: 9, times: 24, every: 3_600 }, "<190>Fan 2 in tray 1 turns at 4200 rpm"),
  ),
  "power-lost": noise(
    "self-tests that find no fault",
    says({ at: 0, times: 24, every: 3_600 }, "<190>power supply self-test: no fault found"),
  ),
  "service-restarting": noise(
    "restarts after an update, and one that fails once",
    says({ at: 0, times: 12, every: 20 }, "<30>systemd[1]: Started unit{n}.service - Unit."),
    says(100, "<27>systemd[1]: Failed to start tickets.service - Ticket sales."),
    says(130, "<30>systemd[1]: Started tickets.service - Ticket sales."),
  ),
  "service-not-back": noise(
    "a nightly service that fails and is started again",
    says({ at: 0, times: 3, every: DAY }, "<27>systemd[1]: Failed to start mail.service - Mail."),
    says({ at: 90, times: 3, every: DAY }, "<30>systemd[1]: Started mail.service - Mail."),
  ),
  "certificate-trouble": noise(
    "renewals, and lists of what is revoked",
    says({ at: 0, times: 10, every: 60 }, "<30>acme: certificate renewed for tickets.example"),
    says({ at: 9, times: 10, every: 60 }, "<30>ocsp: list of revoked certificates updated, certificate revoked: 0"),
    says(500, "<28>nginx: certificate has expired, 10.1.1.9"),
  ),
  "tls-handshakes-fail": noise(
    "scanners that try old protocols",
    says({ at: 0, times: 100, every: 60 }, "<28>stunnel: TLS unsupported protocol from 203.0.113.{n}"),
  ),
  "names-not-resolved": noise(
    "names that do not exist, and one zone that is lame",
    says({ at: 0, times: 200, every: 5 }, "<30>unbound: NXDOMAIN for host{n}.example", "dns"),
    says({ at: 9, times: 20, every: 60 }, "<28>unbound: SERVFAIL for lame{n}.example", "dns"),
  ),
  "marks-stopped": noise(
    "hosts that never mark the time",
    says({ at: 0, times: 100, every: 600 }, "<46>cron[7]: (root) CMD (run-parts)"),
  ),
  "many-refusals": noise("knocks of the Internet, one address after another", ...INTERNET),
  "port-scan": noise(
    "knocks of the Internet, each at one port",
    ...INTERNET,
    decision({ at: 0, times: 60, every: 20 }, "deny", DESK, "10.1.2.3", 445),
  ),
  "host-sweep": noise(
    "a printer search that finds little",
    ...INTERNET,
    decision({ at: 0, times: 12, every: 10 }, "deny", DESK, "10.20.4.{n}", 9_100),
  ),
  "scan-then-accepted": noise(
    "visitors of whom a packet is refused now and then",
    ...INTERNET,
    decision({ at: 0, times: 4, every: 60 }, "deny", HOME, "198.51.100.4", 80),
    decision({ at: 2, times: 40, every: 60 }, "accept", HOME, "198.51.100.4", 443),
  ),
  "refused-then-allowed": noise(
    "what is refused stays refused",
    decision({ at: 0, times: 50, every: 300 }, "deny", DESK, "10.2.2.2", 3_306),
    decision({ at: 9, times: 50, every: 300 }, "accept", DESK, "10.2.2.2", 443),
  ),
  "mostly-refused": noise(
    "a working day at the edge",
    decision({ at: 0, times: 600, every: 1 }, "accept", DESK, "192.0.2.80", 443),
    decision({ at: 0, times: 500, every: 1.2 }, "deny", "203.0.113.{n}", "198.51.100.4", 23),
  ),
  "new-remote-access": noise(
    "the administrators' usual ways, and the web",
    decision({ at: 0, times: 20, every: DAY / 2 }, "accept", "10.1.1.1", "10.2.2.2", 22),
    decision({ at: 9 * DAY, times: 30, every: 60 }, "accept", "10.1.1.9", "10.2.2.{n}", 443),
  ),
  "names-asked-everywhere": noise(
    "three resolvers, all day",
    decision({ at: 0, times: 200, every: 20 }, "accept", DESK, "203.0.113.1", 53),
    decision({ at: 3, times: 200, every: 20 }, "accept", DESK, "203.0.113.2", 53),
    decision({ at: 5, times: 200, every: 20 }, "accept", DESK, "203.0.113.3", 53),
  ),
  "outbound-unusual": noise(
    "mornings like any other, a little more or less",
    flow({ at: 100, times: 12, every: DAY }, DESK, "203.0.113.5", 443, 220e6),
    flow({ at: 900, times: 6, every: 2 * DAY }, DESK, "203.0.113.5", 443, 30e6),
  ),
  "bulk-upload": noise(
    "films, calls and mail",
    flow({ at: 0, times: 60, every: 60 }, DESK, "203.0.113.5", 443, 40e6),
    flow({ at: 5, times: 60, every: 60 }, DESK, "203.0.113.6", 443, 5e6),
  ),
  beaconing: noise(
    "names and time are asked by the clock",
    flow({ at: 0, times: 60, every: 64 }, DESK, "203.0.113.9", 123, 90),
    flow({ at: 3, times: 60, every: 60 }, DESK, "203.0.113.8", 53, 120),
  ),
  "flow-sweep": noise(
    "a server that answers all its clients",
    flow({ at: 0, times: 200, every: 1 }, "10.1.1.7", "10.1.2.{n}", 445, 60_000),
    flow({ at: 0, times: 40, every: 5 }, "10.1.1.7", "10.1.3.{n}", 53, 120),
  ),
  "flows-fell-away": noise(
    "a device that carries little, and less at night",
    flow({ at: 0, times: 300, every: 3_600 }, DESK, "203.0.113.5", 443, 8e6),
  ),
  "halvik-sender-silent": noise("senders that are heard again", own("sender-heard", "success", "gate sends again.")),
  "halvik-sender-new": noise("senders that are heard again", own("sender-heard", "success", "gate sends again.")),
  "halvik-records-lost": noise("gaps of flow exporters", own("flow-gaps", "unknown", "34 datagrams are missing.")),
  "halvik-spool": noise("the store answers slowly", own("store-slow", "unknown", "The store was slow.")),
  "halvik-disk": noise("old segments go as they should", own("segment-expired", "success", "A day was dropped.")),
  "halvik-shed": noise("old segments go as they should", own("segment-expired", "success", "A day was dropped.")),
  "halvik-role": noise("roles that are back", own("role-back", "success", "The engine is back.")),
  "halvik-engine-behind": noise("roles that are back", own("role-back", "success", "The engine is back.")),
  "halvik-capped": noise("gaps of flow exporters", own("flow-gaps", "unknown", "34 datagrams are missing.")),
  "halvik-quarantine": noise("the store answers slowly", own("store-slow", "unknown", "The store was slow.")),
  "halvik-spool-damaged": noise("the spool is used and emptied", own("spool-in-use", "success", "The spool is empty.")),
  "halvik-forward": noise("a collector that is back", own("role-back", "success", "The collector is back.")),
  "halvik-rule-failing": noise("roles that are back", own("role-back", "success", "The engine is back.")),
  "halvik-clock": noise("roles that are back", own("role-back", "success", "The engine is back.")),
  "halvik-database": noise("the store answers slowly", own("store-slow", "unknown", "The store was slow.")),
  "halvik-sign-in": noise("somebody mistypes twice a day", {
    at: 0,
    times: 6,
    every: 43_200,
    fields: { kind: "halvik", event: "sign-in-refused", outcome: "failure", host: "owner" },
  }),
};
