import { LogHistogram } from "../base/statistics/index.js";
import type { EpochUs } from "../base/time/index.js";
import { dataValues, type HalvikRecord } from "../model/record/index.js";

/** What servers are asked for. */
export const ANSWERED_SERVICES = ["dns", "http", "tls"] as const;
export type AnsweredService = (typeof ANSWERED_SERVICES)[number];

/** How it ended, in the few words a chart has room for; in the order they are drawn. */
export const ANSWER_CLASSES = {
  dns: ["answered", "no such name", "failed", "no answer"],
  http: ["2xx", "3xx", "4xx", "5xx", "no answer"],
  tls: ["TLS 1.3", "TLS 1.2", "older", "failed"],
} as const satisfies Record<AnsweredService, readonly string[]>;

/** Which records tell of it, in the words of the filter language: packets, flows with elements of HTTP, and logs of web servers. */
export const TELLS_ANSWER =
  '(kind is packet and app is dns, http, tls) or data "httpStatusCode" present or (kind is syslog and text has "HTTP/1")';

/** One server's answer. */
export interface ServerAnswer {
  readonly service: AnsweredService;
  /** By its name where it was asked by name, else its address. */
  readonly server: string;
  readonly answer: string;
  readonly is: string;
  readonly isFailure: boolean;
  /** Milliseconds until it answered; null: not told. */
  readonly ms: number | null;
}

/** A line of the log that web servers have in common: the request in quotes and its status (NCSA's, W3C's note on logging). */
const ACCESS = /"[A-Z]{3,20} \S{1,4000} HTTP\/[\d.]{1,3}" (\d{3})(?: |$)/;

/** What a record tells of a server's answer. @param senderName whose log it is @returns null: nothing */
export function serverAnswer(r: HalvikRecord, senderName: string): ServerAnswer | null {
  const value = (name: string): string | undefined => dataValues(r, name)[0];
  const time = Number(value("answer time") ?? Number.NaN);
  const ms = Number.isFinite(time) ? time : null;
  const named = value("server name") ?? r.dst ?? "";
  if (r.kind === "packet")
    switch (r.app) {
      case "dns": {
        const answer = r.event ?? "";
        const is =
          answer === "NOERROR"
            ? "answered"
            : answer === "NXDOMAIN"
              ? "no such name"
              : answer === "no answer"
                ? answer
                : "failed";
        const isFailure = is === "failed" || is === "no answer";
        return { service: "dns", server: r.dst ?? "", answer, is, isFailure, ms };
      }
      case "http":
        // one way of it was captured: how it was answered nobody saw
        if (r.outcome === "unknown") return null;
        return web(named, value("status"), ms);
      case "tls": {
        if (r.outcome === "unknown") return null;
        const version = value("version") ?? "";
        const failed = r.outcome === "failure";
        return {
          service: "tls",
          server: named,
          answer: failed ? (value("alert") ?? r.event ?? "failed") : version,
          is: failed ? "failed" : version === "TLS 1.3" || version === "TLS 1.2" ? version : "older",
          isFailure: failed,
          ms: null,
        };
      }
      default:
        return null;
    }
  if (r.kind === "flow") {
    const status = value("httpStatusCode");
    return status === undefined ? null : web(value("httpRequestHost") ?? r.dst ?? "", status, null);
  }
  const status = ACCESS.exec(r.text)?.[1];
  return status === undefined ? null : web(senderName, status, null);
}

function web(server: string, status: string | undefined, ms: number | null): ServerAnswer {
  const is = status === undefined ? "no answer" : `${status[0]}xx`;
  return {
    service: "http",
    server,
    answer: status ?? "no answer",
    is,
    isFailure: status === undefined || status >= "500",
    ms,
  };
}

/** Servers that are told apart, of each service; what further ones answered counts with all. */
const MOST_SERVERS = 2_000;
const MOST_ANSWERS = 12;

class Tally {
  count = 0;
  failures = 0;
  readonly answers = new Map<string, number>();
  readonly times = new LogHistogram();

  add(a: ServerAnswer): void {
    this.count++;
    if (a.isFailure) this.failures++;
    if (this.answers.has(a.answer) || this.answers.size < MOST_ANSWERS)
      this.answers.set(a.answer, (this.answers.get(a.answer) ?? 0) + 1);
    if (a.ms !== null) this.times.add(a.ms);
  }
}

class Step {
  readonly by = new Map<string, number>();
  readonly times = new LogHistogram();
}

/** How the servers of a service answered: counts, quantiles of the time they took (±2.5 %), the course. */
export interface ServiceAnswers {
  readonly service: AnsweredService;
  readonly count: number;
  readonly failures: number;
  readonly p50: number | null;
  readonly p95: number | null;
  /** Counts by class, in the order of `ANSWER_CLASSES`. Steps in which nothing was answered are missing. */
  readonly steps: readonly {
    readonly atUs: EpochUs;
    readonly counts: readonly number[];
    readonly p50: number | null;
    readonly p95: number | null;
  }[];
  /** Those with the most failures, and then the most answers, first. */
  readonly servers: readonly {
    readonly server: string;
    readonly count: number;
    readonly failures: number;
    readonly p50: number | null;
    readonly p95: number | null;
    readonly answers: readonly (readonly [answer: string, count: number])[];
  }[];
  /** There are more servers than are told apart. */
  readonly isCut: boolean;
}

/** Adds up how servers answered. */
export class ServerAnswers {
  private readonly services = new Map<
    AnsweredService,
    { all: Tally; servers: Map<string, Tally>; steps: Map<number, Step>; isCut: boolean }
  >();

  /** @param stepUs width of the steps of the course, from the epoch on */
  constructor(private readonly stepUs: number) {}

  add(timeUs: EpochUs, a: ServerAnswer): void {
    let of = this.services.get(a.service);
    if (of === undefined) {
      of = { all: new Tally(), servers: new Map(), steps: new Map(), isCut: false };
      this.services.set(a.service, of);
    }
    of.all.add(a);
    let server = of.servers.get(a.server);
    if (server === undefined && of.servers.size < MOST_SERVERS) {
      server = new Tally();
      of.servers.set(a.server, server);
    }
    if (server === undefined) of.isCut = true;
    else server.add(a);
    const number = Math.floor(timeUs / this.stepUs);
    let step = of.steps.get(number);
    if (step === undefined) {
      step = new Step();
      of.steps.set(number, step);
    }
    step.by.set(a.is, (step.by.get(a.is) ?? 0) + 1);
    if (a.ms !== null) step.times.add(a.ms);
  }

  result(): ServiceAnswers[] {
    return ANSWERED_SERVICES.flatMap((service) => {
      const of = this.services.get(service);
      if (of === undefined) return [];
      const quantiles = (times: LogHistogram) => ({ p50: times.quantile(0.5), p95: times.quantile(0.95) });
      return [
        {
          service,
          count: of.all.count,
          failures: of.all.failures,
          ...quantiles(of.all.times),
          steps: [...of.steps]
            .sort((x, y) => x[0] - y[0])
            .map(([number, { by, times }]) => ({
              atUs: number * this.stepUs,
              counts: ANSWER_CLASSES[service].map((c) => by.get(c) ?? 0),
              ...quantiles(times),
            })),
          servers: [...of.servers]
            .map(([server, t]) => ({
              server,
              count: t.count,
              failures: t.failures,
              ...quantiles(t.times),
              answers: [...t.answers].sort((x, y) => y[1] - x[1]),
            }))
            .sort((x, y) => y.failures - x.failures || y.count - x.count || (x.server < y.server ? -1 : 1)),
          isCut: of.isCut,
        },
      ];
    });
  }
}
