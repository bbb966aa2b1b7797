import type { NotifyWays } from "@halvik/contract/notify";

/** A channel as its form holds it: every kind's fields, numbers as what is typed. */
export interface Values {
  kind: string;
  name: string;
  url: string;
  format: string;
  secret: string;
  privacySecret: string;
  host: string;
  port: string;
  transport: string;
  message: string;
  version: string;
  user: string;
  hash: string;
  file: string;
  megabytes: string;
  keep: string;
  program: string;
  args: string;
}

const NEW: Values = {
  kind: "webhook",
  name: "",
  url: "",
  format: "json",
  secret: "",
  privacySecret: "",
  host: "",
  port: "",
  transport: "udp",
  message: "trap",
  version: "v2c",
  user: "",
  hash: "sha256",
  file: "incidents.log",
  megabytes: "10",
  keep: "5",
  program: "",
  args: "",
};

/** Ports that receivers have where nobody says another one (RFC 5426, RFC 3416 as registered by IANA). */
export const USUAL_PORT: Readonly<Record<string, number>> = { syslog: 514, snmp: 162 };

/** @param channel null: a new one */
export function valuesOf(channel: NotifyWays["channels"][number] | null): Values {
  if (channel === null) return NEW;
  const texts = Object.entries(channel).map(([field, value]) => [
    field,
    Array.isArray(value) ? value.join("\n") : String(value),
  ]);
  return { ...NEW, ...(Object.fromEntries(texts) as Partial<Values>) };
}

/** What is sent: checked by whoever reads it. @param changed which secrets were written; others stay as they are */
export function channelOf(
  { secret, privacySecret, port, megabytes, keep, args, ...values }: Values,
  changed: { readonly secret: boolean; readonly privacySecret: boolean },
) {
  return {
    channel: {
      ...values,
      port: port.trim() === "" ? USUAL_PORT[values.kind] : Number(port),
      megabytes: Number(megabytes),
      keep: Number(keep),
      args: args === "" ? [] : args.split("\n"),
    },
    secret: changed.secret ? secret : null,
    privacySecret: changed.privacySecret ? privacySecret : null,
  };
}
