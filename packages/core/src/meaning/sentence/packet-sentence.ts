import { protocolName } from "../../model/applications/index.js";
import { dataValues, type HalvikRecord, readCount } from "../../model/record/index.js";
import { bytesText, endText } from "./quantities.js";

/** What packets told, in one sentence; null: the record could not be read. */
export function packetSentence(r: HalvikRecord): string | null {
  switch (r.app) {
    case "dns":
      return dns(r);
    case "http":
      return http(r);
    case "tls":
      return tls(r);
    case "tcp":
      return tcp(r);
    case "icmp":
      return icmp(r);
    case "neighbour":
      return neighbour(r);
    default:
      return null;
  }
}

const value = (r: HalvikRecord, name: string): string | undefined => dataValues(r, name)[0];
/** A value that is told only where it is there. */
const told = (text: string | undefined, say: (text: string) => string): string => (text === undefined ? "" : say(text));
/** Milliseconds as a person reads them. */
const ms = (text: string): string =>
  Number(text) >= 1_000 ? `${(Number(text) / 1_000).toFixed(1)} s` : `${Number(Number(text).toPrecision(3))} ms`;

function dns(r: HalvikRecord): string {
  const asked = `${r.src} asked ${r.dst} for ${value(r, "question type") ?? "?"} of ${value(r, "question") ?? "?"}`;
  const answers = dataValues(r, "answer");
  const said =
    r.event === "no answer"
      ? "there was no answer"
      : r.event === "NOERROR"
        ? answers.length === 0
          ? "there is none"
          : answers.length > 3
            ? `${answers.slice(0, 3).join(", ")} and more`
            : answers.join(", ")
        : r.event === "NXDOMAIN"
          ? "there is no such name"
          : `answered ${r.event}`;
  return `${asked}: ${said}${told(value(r, "answer time"), (t) => `, after ${ms(t)}`)}`;
}

function http(r: HalvikRecord): string {
  const place = `${value(r, "server name") ?? endText(r.dst, r.dstPort)}${value(r, "path") ?? ""}`;
  const status = value(r, "status");
  const size = readCount(value(r, "answer bytes") ?? "");
  return [
    `${r.src} asked for ${r.event} ${place}`,
    status !== undefined ? `: ${status}` : r.outcome === "failure" ? ": there was no answer" : "",
    told(value(r, "answer time"), (t) => ` after ${ms(t)}`),
    status === undefined || size === null || size === 0 ? "" : `, ${bytesText(size)}`,
  ].join("");
}

function tls(r: HalvikRecord): string {
  const name = value(r, "server name");
  const server = name === undefined ? endText(r.dst, r.dstPort) : `${name} (${endText(r.dst, r.dstPort)})`;
  const version = value(r, "version");
  switch (r.event) {
    case "agreed":
      return `${r.src} and ${server} agreed on ${version ?? "TLS"}${told(value(r, "taken"), (t) => ` in ${ms(t)}`)}`;
    case "no answer":
      return `${r.src} offered ${value(r, "version offered") ?? "TLS"} to ${server}: there was no answer`;
    case "failed":
      return `${r.src} and ${server} did not agree on ${version ?? "TLS"}${told(value(r, "alert"), (a) => `: ${a}`)}`;
    case "given up":
      return `${r.src} and ${server} gave up agreeing on ${version ?? "TLS"}`;
    default:
      return `${r.src} began to agree on ${version ?? "TLS"} with ${server}; the rest was not seen`;
  }
}

const ENDS: Readonly<Record<string, string>> = {
  closed: "closed",
  reset: "was reset",
  open: "is open",
  quiet: "fell quiet",
};

function tcp(r: HalvikRecord): string {
  const [from, to] = [endText(r.src, r.srcPort), endText(r.dst, r.dstPort)];
  if (r.event === "refused") return `${to} refused a connection of ${from}`;
  if (r.event === "no answer") return `${to} did not answer ${from}`;
  return [
    `the connection of ${from} to ${to} ${ENDS[r.event ?? ""] ?? "was seen"}`,
    told(value(r, "by"), (by) => ` by ${by}`),
    told(value(r, "taken"), (t) => ` after ${ms(t)}`),
    told(value(r, "connect time"), (t) => `, made in ${ms(t)}`),
  ].join("");
}

function icmp(r: HalvikRecord): string {
  const port = value(r, "destination port");
  const carried = value(r, "carried");
  const what = carried === undefined ? "packets" : (protocolName(Number(carried)) ?? "packets");
  const to = told(value(r, "destination"), (d) => ` to ${endText(d, port === undefined ? null : Number(port))}`);
  return `${r.src} told ${r.dst} that its ${what}${to} failed: ${r.event}${told(value(r, "times"), (n) => `, ${n} times`)}`;
}

function neighbour(r: HalvikRecord): string {
  const mac = value(r, "mac") ?? "?";
  return r.event === "changed"
    ? `${r.src} moved from ${value(r, "mac before") ?? "?"} to ${mac}`
    : `${r.src} is at ${mac}`;
}
