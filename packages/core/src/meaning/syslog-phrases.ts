import type { Category, Outcome, Severity } from "../model/record/index.js";

/**
 * What common syslog messages mean. A message has the meaning of the first row whose `phrase` it holds (exact case) and
 * whose `apps` name its app, if any are given. The other columns say after which words a value stands.
 * Phrases of widely used open-source daemons and of network devices in general (common practice, no source).
 */
export interface SyslogPhrase {
  readonly apps?: readonly string[];
  readonly phrase: string;
  readonly category: Category;
  readonly outcome: Outcome;
  /** Instead of what the message says; a person's choice only. */
  readonly severity?: Severity | null;
  readonly user?: readonly string[];
  readonly src?: readonly string[];
  readonly srcPort?: readonly string[];
  readonly interface?: readonly string[];
}

const ssh = {
  apps: ["sshd", "sshd-session"],
  user: ["invalid user ", "user ", " for "],
  src: [" from ", "rhost="],
  srcPort: [" port "],
};

export const SYSLOG_PHRASES: readonly SyslogPhrase[] = [
  { ...ssh, phrase: "Failed ", category: "logon", outcome: "failure" },
  { ...ssh, phrase: "Invalid user ", category: "logon", outcome: "failure", user: ["Invalid user "] },
  { ...ssh, phrase: "Accepted ", category: "logon", outcome: "success" },
  { ...ssh, phrase: "session opened for user ", category: "logon", outcome: "success", user: ["for user "] },
  { ...ssh, phrase: "session closed for user ", category: "logon", outcome: "unknown", user: ["for user "] },
  { ...ssh, phrase: "Disconnected from ", category: "logon", outcome: "unknown" },
  {
    apps: ["sudo"],
    phrase: "authentication failure",
    category: "privilege",
    outcome: "failure",
    user: [" user=", "ruser="],
  },
  { apps: ["sudo"], phrase: "user NOT in sudoers", category: "privilege", outcome: "failure", user: [""] },
  { apps: ["sudo"], phrase: "COMMAND=", category: "privilege", outcome: "success", user: [""] },
  { apps: ["su"], phrase: "failed", category: "privilege", outcome: "failure", user: [" for ", "user "] },
  { apps: ["su"], phrase: "session opened for user ", category: "privilege", outcome: "success", user: ["for user "] },
  { apps: ["useradd"], phrase: "new user", category: "account", outcome: "success", user: ["name="] },
  { apps: ["userdel"], phrase: "delete user", category: "account", outcome: "success", user: ["delete user '"] },
  { apps: ["usermod"], phrase: "add '", category: "account", outcome: "success", user: ["add '"] },
  {
    apps: ["passwd"],
    phrase: "password changed for ",
    category: "account",
    outcome: "success",
    user: ["changed for "],
  },
  {
    phrase: "authentication failure",
    category: "logon",
    outcome: "failure",
    user: [" for user ", " for ", " user="],
    src: [" from ", "rhost="],
    srcPort: [" port "],
  },
  { phrase: "login failed", category: "logon", outcome: "failure", user: [" user "], src: [" from "] },
  { phrase: "Login failed", category: "logon", outcome: "failure", user: [" user ", " for "], src: [" from "] },
  { phrase: "login succeeded", category: "logon", outcome: "success", user: [" user "], src: [" from "] },
  {
    phrase: "session opened for user ",
    category: "logon",
    outcome: "success",
    user: ["for user "],
    src: [" from "],
    srcPort: [" port "],
  },
  { phrase: "changed state to down", category: "link", outcome: "failure", interface: ["Interface ", "interface "] },
  { phrase: "changed state to up", category: "link", outcome: "success", interface: ["Interface ", "interface "] },
  { phrase: "link is down", category: "link", outcome: "failure", interface: ["Interface ", "interface "] },
  { phrase: "link is up", category: "link", outcome: "success", interface: ["Interface ", "interface "] },
  { phrase: "Link is Down", category: "link", outcome: "failure" },
  { phrase: "Link is Up", category: "link", outcome: "success" },
  { phrase: "adjacency", category: "routing", outcome: "unknown" },
  { phrase: "neighbor", category: "routing", outcome: "unknown" },
  { phrase: "configuration changed", category: "configuration", outcome: "success", user: [" by "], src: [" from "] },
  { phrase: "configuration saved", category: "configuration", outcome: "success", user: [" by "], src: [" from "] },
  { apps: ["systemd"], phrase: "Failed to start ", category: "service", outcome: "failure" },
  { apps: ["systemd"], phrase: "Started ", category: "service", outcome: "success" },
  { apps: ["systemd"], phrase: "Stopped ", category: "service", outcome: "unknown" },
  { apps: ["systemd"], phrase: "entered failed state", category: "service", outcome: "failure" },
  { apps: ["kernel"], phrase: "Out of memory", category: "system health", outcome: "failure" },
  { apps: ["kernel"], phrase: "I/O error", category: "system health", outcome: "failure" },
  { apps: ["cron", "CRON", "crond"], phrase: "CMD", category: "process", outcome: "unknown", user: ["("] },
  { phrase: "log file cleared", category: "log tampering", outcome: "success", user: [" by "] },
  { phrase: "temperature", category: "system health", outcome: "unknown" },
  { phrase: "on battery", category: "system health", outcome: "failure" },
];

const APPS = /^([\w.-]+(?:, [\w.-]+)*): (?=.)/s;

/** How a phrase is called where people see it: its apps, if any, and the phrase itself. */
export const phraseCode = ({ apps, phrase }: Pick<SyslogPhrase, "apps" | "phrase">): string =>
  apps === undefined ? phrase : `${apps.join(", ")}: ${phrase}`;

/** A phrase by what it is called. */
export function readPhraseCode(code: string): Pick<SyslogPhrase, "apps" | "phrase"> {
  const apps = APPS.exec(code);
  return apps === null ? { phrase: code } : { apps: apps[1]!.split(", "), phrase: code.slice(apps[0].length) };
}
