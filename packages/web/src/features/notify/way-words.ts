import type { NotifyWays } from "@halvik/contract/notify";
import { formatDuration } from "@halvik/core/base/time";
import type { NotifyRoute } from "@halvik/core/respond/notify";

type Whom = Pick<NotifyRoute, "to" | "rotas" | "channels">;

/** Whom messages reach, and by what. */
export function whomText({ to, rotas, channels }: Whom, ways: NotifyWays): string {
  const duty = rotas.map((id) => `who is on duty by ${named(ways.rotas, id)}`);
  const mail = [...to, ...duty];
  return [
    ...(mail.length > 0 ? [`mail to ${mail.join(", ")}`] : []),
    ...channels.map((id) => `to ${named(ways.channels, id)}`),
  ]
    .join(" and ")
    .replace(/^./, (c) => c.toUpperCase());
}

/** What follows a raise, and when messages wait; empty: nothing does. */
export function laterText(route: NotifyRoute, ways: NotifyWays): string {
  const minutes = (n: number) => formatDuration(n * 60e6);
  const parts = [
    ...(route.repeatMinutes > 0 ? [`again every ${minutes(route.repeatMinutes)} until acknowledged`] : []),
    ...route.escalate.map(
      (e) => `after ${minutes(e.afterMinutes)} ${whomText(e, ways).replace(/^./, (c) => c.toLowerCase())}`,
    ),
    ...route.quiet.map((q) => `quiet from ${q.from} to ${q.to}`),
    ...(route.digestAt.length > 0 ? [`together at ${route.digestAt.join(", ")}`] : []),
  ];
  return parts.length === 0 ? "" : `; ${parts.join("; ")}`;
}

/** Where a channel leads, and by what. */
export function channelText(c: NotifyWays["channels"][number]): string {
  switch (c.kind) {
    case "webhook":
      return `${c.url}, ${c.format === "chat" ? "a line of text" : "JSON"}`;
    case "syslog":
      return `syslog over ${c.transport.toUpperCase()} to ${c.host}:${c.port}`;
    case "snmp":
      return `SNMP ${c.version} ${c.message}s to ${c.host}:${c.port}`;
    case "file":
      return `the log file ${c.file}`;
    case "command":
      return `runs ${[c.program, ...c.args].join(" ")}`;
  }
}

const named = (all: readonly { readonly id: number; readonly name: string }[], id: number): string => {
  const found = all.find((one) => one.id === id);
  return found === undefined ? "something that is gone" : `“${found.name}”`;
};
