import { SenderDirectory } from "../model/senders/index.js";
import { compileFilter, parseFilter } from "../query/filter/index.js";
import { testRecord } from "../testing/record.js";
import { ANSWER_CLASSES, ServerAnswers, serverAnswer, TELLS_ANSWER } from "./index.js";

const S = 1e6;
const T = 1_764_331_200 * S;
const packet = (app: string, event: string, data: [string, string][], outcome: "success" | "failure" = "success") =>
  testRecord({ kind: "packet", app, event, outcome, src: "10.0.0.1", dst: "10.0.0.53", data });
const LINE = '10.0.0.1 - k.lind [29/Nov/2026:02:00:00 +0000] "GET /a?b=1 HTTP/1.1" 503 17';

const read = parseFilter(TELLS_ANSWER, { zone: "UTC" });
if (!read.ok) throw new Error(read.error.message);
const tells = compileFilter(read.filter, { directory: new SenderDirectory([]), nowUs: 0 });

test.each<[string, ReturnType<typeof testRecord>, object]>([
  [
    "an answer of DNS",
    packet("dns", "NOERROR", [["answer time", "12.5"]]),
    { service: "dns", server: "10.0.0.53", answer: "NOERROR", is: "answered", isFailure: false, ms: 12.5 },
  ],
  [
    "no such name is an answer",
    packet("dns", "NXDOMAIN", [], "failure"),
    { is: "no such name", isFailure: false, ms: null },
  ],
  ["a resolver that cannot", packet("dns", "SERVFAIL", [], "failure"), { is: "failed", isFailure: true }],
  ["no answer", packet("dns", "no answer", [], "failure"), { is: "no answer", isFailure: true }],
  [
    "a request",
    packet("http", "GET", [
      ["server name", "www.orvane.example"],
      ["status", "404"],
      ["answer time", "3"],
    ]),
    { service: "http", server: "www.orvane.example", answer: "404", is: "4xx", isFailure: false, ms: 3 },
  ],
  [
    "a request nobody answered",
    packet("http", "GET", [], "failure"),
    { server: "10.0.0.53", is: "no answer", isFailure: true },
  ],
  [
    "a handshake",
    packet("tls", "agreed", [["version", "TLS 1.2"]]),
    { service: "tls", answer: "TLS 1.2", is: "TLS 1.2", isFailure: false },
  ],
  ["an old one", packet("tls", "agreed", [["version", "TLS 1.0"]]), { is: "older", isFailure: false }],
  [
    "one that failed",
    packet(
      "tls",
      "failed",
      [
        ["version", "TLS 1.2"],
        ["alert", "unknown ca, by the client"],
      ],
      "failure",
    ),
    { answer: "unknown ca, by the client", is: "failed", isFailure: true },
  ],
  [
    "a flow with elements of HTTP",
    testRecord({
      kind: "flow",
      dst: "10.0.0.9",
      data: [
        ["httpStatusCode", "502"],
        ["httpRequestHost", "h.example"],
      ],
    }),
    { service: "http", server: "h.example", answer: "502", is: "5xx", isFailure: true, ms: null },
  ],
  [
    "a line of a web server's log",
    testRecord({ kind: "syslog", text: LINE }),
    { service: "http", server: "web-1", answer: "503", isFailure: true },
  ],
])("%s", (_, record, expected) => {
  expect(serverAnswer(record, "web-1")).toMatchObject(expected);
  expect(tells(record)).toBe(true);
  expect(ANSWER_CLASSES[serverAnswer(record, "web-1")!.service] as readonly string[]).toContain(
    serverAnswer(record, "web-1")!.is,
  );
});

test.each([
  ["a connection", packet("tcp", "closed", [])],
  ["a flow without them", testRecord({ kind: "flow", dst: "10.0.0.9" })],
  ["a message that only mentions it", testRecord({ kind: "syslog", text: 'speaks "HTTP/1.1" now' })],
])("%s tells nothing", (_, record) => {
  expect(serverAnswer(record, "web-1")).toBeNull();
});

test("by service, by step, by server: those that fail first; times in quantiles", () => {
  const sums = new ServerAnswers(60 * S);
  for (let i = 0; i < 100; i++) {
    const server = i % 4 === 0 ? "10.0.0.54" : "10.0.0.53";
    const fails = i % 8 === 0;
    sums.add(T + i * S, {
      service: "dns",
      server,
      answer: fails ? "SERVFAIL" : "NOERROR",
      is: fails ? "failed" : "answered",
      isFailure: fails,
      ms: i + 1,
    });
  }
  const [dns, ...others] = sums.result();
  expect(others).toEqual([]);
  expect(dns).toMatchObject({ service: "dns", count: 100, failures: 13, isCut: false });
  expect(dns!.servers.map((s) => [s.server, s.count, s.failures])).toEqual([
    ["10.0.0.54", 25, 13],
    ["10.0.0.53", 75, 0],
  ]);
  expect(dns!.steps.map((s) => [s.atUs, s.counts])).toEqual([
    [T, [52, 0, 8, 0]],
    [T + 60 * S, [35, 0, 5, 0]],
  ]);
  expect(Math.abs(dns!.p50! / 50 - 1)).toBeLessThan(0.026);
  expect(Math.abs(dns!.p95! / 95 - 1)).toBeLessThan(0.026);
});

test("more servers than are told apart count with all, and that is said", () => {
  const sums = new ServerAnswers(60 * S);
  for (let i = 0; i < 2_500; i++)
    sums.add(T, { service: "http", server: `h${i}.example`, answer: "200", is: "2xx", isFailure: false, ms: null });
  const [http] = sums.result();
  expect(http).toMatchObject({ count: 2_500, isCut: true, p50: null });
  expect(http!.servers).toHaveLength(2_000);
});
