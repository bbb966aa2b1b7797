import { readTemplate } from "../../decode/lines/index.js";
import { syslogRecord } from "../../normalise/index.js";
import { DAEMON_SAID } from "../../testing/daemon-said.js";
import { findDaemonLine } from "./index.js";
import { LOGONS } from "./logons.js";
import { MACHINES } from "./machines.js";
import { SERVICES } from "./services.js";

const ALL = [...LOGONS, ...SERVICES, ...MACHINES];

test.each(ALL.map((l) => [l.template, l] as const))(
  "%s can be read, and its sentence names its own values",
  (template, { says }) => {
    const names = readTemplate(template).flatMap((p) => ("value" in p ? [p.value.name] : []));
    for (const [, name] of says.matchAll(/\{([^}]*)\}/g)) expect([...names, "sender"]).toContain(name);
  },
);

const said = (text: string, n: number): string => {
  let i = n;
  return text
    .replace(/#/g, () => String(1_000 + i++))
    .replace(/@(?=[\s:[\](){},;>-]|$)|(?<=[\s[(=:{])@/g, () => `10.20.${i % 8}.${i++ % 250}`)
    .replace(/%(?!ADJ|NOT)/g, () => `word${i++}`);
};
const record = (app: string, text: string) =>
  syslogRecord(new TextEncoder().encode(`<30>Nov 29 02:11:07 srv-1 ${app}[7]: ${text}`), {
    receivedUs: 1_795_918_267e6,
    zone: "UTC",
    clockOffsetUs: 0,
  }).content;

test("of lines that were put down apart from the table, two of three at least get values with types", () => {
  const known = DAEMON_SAID.filter(([app, text], i) => findDaemonLine(app, said(text, i).trim()) !== null);
  expect(known.length / DAEMON_SAID.length).toBeGreaterThan(0.66);
});

test.each<[string, string, object]>([
  [
    "sshd",
    "Failed password for invalid user moe from 203.0.113.9 port 4022 ssh2",
    {
      category: "logon",
      outcome: "failure",
      users: ["moe"],
      src: "203.0.113.9",
      srcPort: 4022,
      data: [["method", "password"]],
    },
  ],
  [
    "dhcpd",
    "DHCPACK on 10.20.4.109 to 02:00:5e:10:00:6d (desk-109) via eth1",
    {
      category: "service",
      outcome: "success",
      interface: "eth1",
      data: [
        ["leased", "10.20.4.109"],
        ["mac", "02:00:5e:10:00:6d"],
        ["client", "desk-109"],
      ],
    },
  ],
  [
    "sudo",
    "moe : TTY=pts/0 ; PWD=/home/moe ; USER=root ; COMMAND=/bin/cat /etc/shadow ; x",
    {
      category: "privilege",
      users: ["moe"],
      data: expect.arrayContaining([
        ["as", "root"],
        ["command", "/bin/cat /etc/shadow ; x"],
      ]),
    },
  ],
  // as it is really written: the user in a column of eight
  ["sudo", "   moe : TTY=pts/0 ; PWD=/ ; USER=root ; COMMAND=/bin/true", { category: "privilege", users: ["moe"] }],
  ...(
    [
      ["/usr/sbin/useradd -m -s /bin/bash svc-9", ["moe", "svc-9"]],
      ["/usr/sbin/usermod -aG sudo svc-9", ["moe", "svc-9"]],
      ["/usr/bin/passwd svc-9", ["moe", "svc-9"]],
      ["/usr/sbin/adduser svc-9 sudo", ["moe", "svc-9"]],
      ["/usr/sbin/adduser --disabled-password svc-9", ["moe", "svc-9"]],
      // the option may have a value of its own, which is no account
      ["/usr/sbin/adduser --home /srv svc-9", ["moe"]],
      ["/usr/sbin/useradd --help", ["moe"]],
      ["/usr/bin/passwd moe", ["moe"]],
      ["/tmp/useradd svc-9", ["moe"]],
      [`/usr/sbin/useradd ${"x ".repeat(400)}svc-9`, ["moe"]],
      ["/usr/bin/less /etc/passwd", ["moe"]],
    ] as const
  ).map(([command, users]): [string, string, object] => [
    "sudo",
    `moe : TTY=pts/0 ; PWD=/ ; USER=root ; COMMAND=${command}`,
    { users },
  ]),
  // who is refused does nothing to anybody
  [
    "sudo",
    "moe : user NOT in sudoers ; TTY=pts/0 ; PWD=/ ; USER=root ; COMMAND=/usr/sbin/useradd svc-9",
    { users: ["moe"], outcome: "failure" },
  ],
  [
    "postfix/smtp",
    "4F1A: to=<a@b.example>, relay=mx.b.example[203.0.113.7]:25, delay=2.1, dsn=4.4.1, status=deferred (timed out)",
    { category: "service", outcome: "failure", data: expect.arrayContaining([["reason", "timed out"]]) },
  ],
  [
    "hostapd",
    "wlan0: STA 02:00:5e:10:00:6d IEEE 802.11: disassociated due to inactivity",
    { data: expect.arrayContaining([["reason", "inactivity"]]) },
  ],
  [
    "kernel",
    "[12.5] e1000e 0000:00:1f.6 eth0: NIC Link is Down",
    { category: "link", outcome: "failure", interface: "eth0" },
  ],
  ["dhcpd", "something it never says", { category: "other", data: [] }],
  // another program's line is not read by this one's rows
  ["cron", "DHCPACK on 10.20.4.109 to 02:00:5e:10:00:6d via eth1", { category: "other", data: [] }],
])("%s: %s", (app, text, want) => expect(record(app, text)).toMatchObject(want));
