import type { EpochUs } from "../../base/time/index.js";
import type { Ends, StreamContent, Tell } from "./ends.js";
import { type HttpHead, HttpReader } from "./http-reader.js";
import { between } from "./observation.js";

/** A request line: method, target, version (RFC 9112 section 3). The method is a word of capitals, to tell it from other protocols. */
const REQUEST = /^([A-Z][A-Z-]{1,19}) (\S{1,8000}) HTTP\/1\.[01]$/;
const STATUS = /^HTTP\/1\.[01] (\d{3})(?: |$)/;
const MOST_OPEN = 100;
const MOST_TEXT = 500;
const TCP = 6;

interface Request {
  readonly beganUs: EpochUs;
  readonly method: string;
  readonly host: string;
  readonly path: string;
  readonly agent: string;
  sentUs: EpochUs;
  bytes: number;
}

interface Response {
  readonly status: number;
  readonly beganUs: EpochUs;
  readonly type: string;
}

/** The requests of one HTTP/1 connection with their responses, in order (RFC 9112 section 9.3). */
export class HttpExchanges implements StreamContent {
  private readonly requests: Request[] = [];
  private response: Response | null = null;
  private readonly asks = new HttpReader({
    head: (head, beganUs, timeUs) => this.request(head, beganUs, timeUs),
    done: (bytes, timeUs) => {
      const last = this.requests.at(-1);
      if (last) Object.assign(last, { bytes, sentUs: timeUs });
    },
  });
  private readonly answers = new HttpReader({
    head: (head, beganUs) => this.status(head, beganUs),
    done: (bytes, timeUs) => this.answered(bytes, timeUs),
  });

  constructor(
    private readonly client: Ends,
    private readonly keepsQueries: boolean,
    private readonly tell: Tell,
  ) {}

  get isOver(): boolean {
    return this.asks.isOver && this.answers.isOver;
  }

  get held(): number {
    return this.asks.heldBytes + this.answers.heldBytes + this.requests.reduce((n, r) => n + 200 + r.path.length, 0);
  }

  push(timeUs: EpochUs, fromClient: boolean, bytes: Uint8Array): void {
    (fromClient ? this.asks : this.answers).push(timeUs, bytes);
  }

  miss(timeUs: EpochUs, fromClient: boolean, octets: number): void {
    (fromClient ? this.asks : this.answers).miss(timeUs, octets);
  }

  /** The connection has ended. */
  end(timeUs: EpochUs, bothWays: boolean): void {
    this.answers.end(timeUs);
    for (const r of this.requests.splice(0)) this.tellOf(r, null, 0, timeUs, bothWays ? "failure" : "unknown");
  }

  private request({ first, fields }: HttpHead, beganUs: EpochUs, timeUs: EpochUs): "body" | "over" {
    const found = REQUEST.exec(first);
    if (found === null || this.requests.length >= MOST_OPEN) return "over";
    const [, method = "", target = ""] = found;
    this.requests.push({
      beganUs,
      method,
      ...placeOf(target, fields.get("host") ?? "", this.keepsQueries),
      agent: fields.get("user-agent") ?? "",
      sentUs: timeUs,
      bytes: 0,
    });
    return "body";
  }

  private status({ first, fields }: HttpHead, beganUs: EpochUs): "body" | "no body" | "over" {
    const status = Number(STATUS.exec(first)?.[1] ?? 0);
    if (status === 0) return "over";
    this.response = { status, beganUs, type: (fields.get("content-type") ?? "").split(";")[0]!.trim() };
    const [request] = this.requests;
    // RFC 9112 section 6.3: without a body whatever the fields say; after these two, something else than HTTP follows
    if (status === 101 || (request?.method === "CONNECT" && status >= 200 && status < 300)) {
      this.answered(0, beganUs);
      return "over";
    }
    return status < 200 || status === 204 || status === 304 || request?.method === "HEAD" ? "no body" : "body";
  }

  private answered(bytes: number, timeUs: EpochUs): void {
    const { response } = this;
    this.response = null;
    // 100 and its like only announce the answer (RFC 9110 section 15.2)
    if (response === null || (response.status < 200 && response.status !== 101)) return;
    const request = this.requests.shift();
    if (request !== undefined) this.tellOf(request, response, bytes, timeUs);
  }

  private tellOf(
    r: Request,
    response: Response | null,
    bytes: number,
    timeUs: EpochUs,
    without: "failure" | "unknown" = "failure",
  ): void {
    const text = (name: string, value: string) => (value === "" ? [] : [[name, value.slice(0, MOST_TEXT)] as const]);
    this.tell({
      what: "http",
      timeUs: r.beganUs,
      event: r.method,
      outcome: response === null ? without : response.status < 400 ? "success" : "failure",
      ...this.client,
      protocol: TCP,
      addresses: [],
      values: [
        ...text("server name", r.host),
        ...text("path", r.path),
        ...(response === null
          ? []
          : [
              ["status", String(response.status)] as const,
              ["answer time", between(r.sentUs, response.beganUs)] as const,
              ["taken", between(r.beganUs, timeUs)] as const,
              ...text("content type", response.type),
            ]),
        ["request bytes", String(r.bytes)],
        ["answer bytes", String(bytes)],
        ...text("agent", r.agent),
      ],
    });
  }
}

/** Host and path of a target in any of its forms (RFC 9112 section 3.2); a query holds what people typed and is left out unless it is wanted. */
function placeOf(target: string, field: string, keepsQueries: boolean): { host: string; path: string } {
  const absolute = /^[a-z]{2,10}:\/\/([^/?#]{1,300})(.*)$/is.exec(target);
  const path = absolute === null ? target : absolute[2]! || "/";
  const host = (absolute?.[1] ?? field).replace(/^[^@]*@/, "").toLowerCase();
  const query = path.indexOf("?");
  return { host, path: keepsQueries || query < 0 ? path : `${path.slice(0, query)}?…` };
}
