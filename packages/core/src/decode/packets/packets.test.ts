import { bytes, fromHex } from "../../testing/bytes.js";
import { effort } from "../../testing/node/effort.js";
import { dns, dnsName, ETHERNET, FLAG, ipv4, RAW_IP, TestConnection, tcp, udp } from "../../testing/packets.js";
import { withoutStacks } from "../../testing/without-stacks.js";
import { readDns } from "./dns-message.js";
import { type Observation, PacketReader, readObservation, writeObservation } from "./index.js";

const S = 1e6;
const T = 1_764_331_200 * S;
const CLIENT = "10.20.1.20";
const SERVER = "203.0.113.9";
const RESOLVER = "10.20.1.1";
const { syn, ack, fin, rst } = FLAG;

/** Reads packets, each 10 ms after the one before it unless it says otherwise, and gives what they told, in the order it was told. */
function told(packets: readonly (Uint8Array | readonly [atUs: number, packet: Uint8Array])[], keepsQueries = false) {
  const reader = new PacketReader({ keepsQueries });
  const out: Observation[] = [];
  let at = T;
  for (const p of packets) {
    const [timeUs, packet] = p instanceof Uint8Array ? [at, p] : [T + p[0], p[1]];
    reader.add(timeUs, RAW_IP, packet);
    at = timeUs + 10_000;
    out.push(...reader.take());
  }
  return [...out, ...reader.end()];
}
const valuesOf = (o: Observation | undefined) => Object.fromEntries(o?.values ?? []);
const of = (what: Observation["what"], all: readonly Observation[]) => all.filter((o) => o.what === what);

describe("DNS", () => {
  test("names share their ends (the example of RFC 1035 section 4.1.4)", () => {
    // F.ISI.ARPA at 20, FOO.F.ISI.ARPA at 40, ARPA at 64, the root at 92; here each is the name of a question of its own
    const example = new Uint8Array(100);
    example.set(bytes().u8(1).text("F").u8(3).text("ISI").u8(4).text("ARPA").u8(0).done(), 20);
    example.set(
      bytes()
        .u8(3)
        .text("FOO")
        .u16(0xc000 | 20)
        .done(),
      40,
    );
    example.set(
      bytes()
        .u16(0xc000 | 26)
        .done(),
      64,
    );
    example.set([0], 92);
    const nameAt = (at: number) => {
      const message = new Uint8Array(100 + 6);
      message.set(example);
      message.set(bytes().u16(7, 0, 1, 0, 0, 0).done());
      // the question points to the name that is asked about
      const before = message.slice(12, 18);
      message.set(
        bytes()
          .u16(0xc000 | (at + 6), 1, 1)
          .done(),
        12,
      );
      message.set(example.subarray(12), 18);
      expect(before.length).toBe(6);
      return message;
    };
    // pointers may only go back: a question before its name is refused
    expect(() => readDns(nameAt(20))).toThrow(/what came before/);
    // so the names are read as answers behind them
    const answers = bytes().u16(7, 0x8180, 1, 3, 0, 0);
    answers.u8(1).text("F").u8(3).text("ISI").u8(4).text("ARPA").u8(0).u16(5, 1);
    const cname = (target: Uint8Array) => answers.u16(0xc00c, 5, 1).u32(60).u16(target.length).raw(target);
    cname(
      bytes()
        .u8(3)
        .text("FOO")
        .u16(0xc000 | 12)
        .done(),
    );
    cname(
      bytes()
        .u16(0xc000 | 18)
        .done(),
    );
    cname(bytes().u8(0).done());
    expect(readDns(answers.done())).toMatchObject({
      question: { name: "f.isi.arpa", type: "CNAME" },
      answers: [{ value: "foo.f.isi.arpa" }, { value: "arpa" }, { value: "." }],
    });
  });

  test.each<[string, number, Uint8Array, string]>([
    ["A", 1, bytes().ip("203.0.113.9").done(), "203.0.113.9"],
    ["AAAA", 28, fromHex("20010db8000000000000000000000001"), "2001:db8::1"],
    ["MX", 15, bytes().u16(10).raw(dnsName("mail.orvane.example")).done(), "10 mail.orvane.example"],
    ["SRV", 33, bytes().u16(1, 2, 5060).raw(dnsName("sip.orvane.example")).done(), "1 2 5060 sip.orvane.example"],
    ["TXT", 16, bytes().u8(5).text("v=spf").done(), "v=spf"],
    ["a type without a name (RFC 3597)", 65_280, bytes().u8(1).done(), "TYPE65280"],
    ["octets that are no letters (RFC 1035 section 5.1)", 12, bytes().u8(3, 0, 46, 200).u8(0).done(), "\\000\\.\\200"],
  ])("%s", (_, type, data, value) => {
    const { answers } = readDns(dns({ id: 1, name: "x.example", type, code: 0, answers: [{ type, data }] }));
    expect(answers.map((a) => a.value)).toEqual([value]);
  });

  const ask = (id: number, name: string) => ipv4(CLIENT, RESOLVER, 17, udp(40_000, 53, dns({ id, name })));
  const answer = (id: number, name: string, code: number, ...addresses: string[]) => {
    const answers = addresses.map((a) => ({ type: 1, data: bytes().ip(a).done() }));
    return ipv4(RESOLVER, CLIENT, 17, udp(53, 40_000, dns({ id, name, code, answers })));
  };

  test("a question and its answer, with the time between, whatever the case of its letters (RFC 4343)", () => {
    const [o, ...rest] = told([
      ask(7, "WwW.Orvane.Example"),
      answer(7, "wWw.oRvane.example", 0, SERVER, "203.0.113.10"),
    ]);
    expect(rest).toEqual([]);
    expect(o).toMatchObject({
      what: "dns",
      timeUs: T,
      event: "NOERROR",
      outcome: "success",
      src: CLIENT,
      dst: RESOLVER,
      dstPort: 53,
      protocol: 17,
      addresses: [SERVER, "203.0.113.10"],
    });
    expect(o?.values).toEqual([
      ["question", "www.orvane.example"],
      ["question type", "A"],
      ["answer time", "10"],
      ["answer", SERVER],
      ["answer", "203.0.113.10"],
    ]);
  });
  test("asked three times before there is an answer: one exchange, from the first question on", () => {
    const [o, ...rest] = told([
      ask(7, "x.example"),
      ask(7, "x.example"),
      ask(7, "x.example"),
      answer(7, "x.example", 2),
    ]);
    expect(rest).toEqual([]);
    expect(valuesOf(o)).toMatchObject({ "answer time": "30", asked: "3" });
    expect(o).toMatchObject({ event: "SERVFAIL", outcome: "failure" });
  });
  test("no answer is told after ten seconds, and what is open when nothing more comes", () => {
    const all = told([ask(1, "a.example"), [11 * S, ask(2, "b.example")]]);
    expect(all.map((o) => [o.event, valuesOf(o).question])).toEqual([
      ["no answer", "a.example"],
      ["no answer", "b.example"],
    ]);
  });
  test("the answer to another question is none of this one", () => {
    const all = told([ask(1, "a.example"), answer(2, "a.example", 0), answer(1, "b.example", 3)]);
    expect(all.map((o) => o.event)).toEqual(["NOERROR", "NXDOMAIN", "no answer"]);
    expect(all.slice(0, 2).every((o) => valuesOf(o)["answer time"] === undefined)).toBe(true);
  });
  test("over TCP, behind its length, cut anywhere (RFC 1035 section 4.2.2)", () => {
    const c = new TestConnection({ address: CLIENT, port: 40_000 }, { address: RESOLVER, port: 53 });
    const framed = (m: Uint8Array) => bytes().u16(m.length).raw(m).done();
    const question = framed(dns({ id: 9, name: "big.example", type: 16 }));
    const reply = framed(dns({ id: 9, name: "big.example", type: 16, code: 0 }));
    const all = told([
      ...c.handshake(),
      c.send("client", ack, question.subarray(0, 1)),
      c.send("client", ack, question.subarray(1)),
      c.send("server", ack, reply.subarray(0, 20)),
      c.send("server", ack, reply.subarray(20)),
      ...c.goodbye(),
    ]);
    expect(all.map((o) => [o.what, o.event, o.protocol])).toEqual([
      ["dns", "NOERROR", 6],
      ["tcp", "closed", 6],
    ]);
  });
});

describe("HTTP/1", () => {
  const connection = () => new TestConnection({ address: CLIENT, port: 40_001 }, { address: SERVER, port: 8080 });
  // RFC 9110 section 3.9, from memory; the length is that of its text
  const REQUEST =
    "GET /hello.txt HTTP/1.1\r\nUser-Agent: curl/7.64.1\r\nHost: www.example.com\r\nAccept-Language: en, mi\r\n\r\n";
  const ANSWER =
    "HTTP/1.1 200 OK\r\nDate: Mon, 27 Jul 2009 12:28:53 GMT\r\nServer: Apache\r\nContent-Length: 51\r\nVary: Accept-Encoding\r\nContent-Type: text/plain\r\n\r\nHello World! My content includes a trailing CRLF.\r\n";

  test("the exchange of RFC 9110 section 3.9", () => {
    const c = connection();
    const [http, connected] = told([
      ...c.handshake(),
      c.send("client", ack, REQUEST),
      c.send("server", ack, ANSWER),
      ...c.goodbye(),
    ]);
    expect(http).toMatchObject({
      what: "http",
      event: "GET",
      outcome: "success",
      src: CLIENT,
      dst: SERVER,
      dstPort: 8080,
    });
    expect(valuesOf(http)).toEqual({
      "server name": "www.example.com",
      path: "/hello.txt",
      status: "200",
      "answer time": "10",
      taken: "10",
      "content type": "text/plain",
      "request bytes": "0",
      "answer bytes": "51",
      agent: "curl/7.64.1",
    });
    expect(connected).toMatchObject({ what: "tcp", event: "closed", outcome: "success", timeUs: T });
    expect(valuesOf(connected)).toMatchObject({ "connect time": "10", "answer bytes": String(ANSWER.length) });
  });

  test.each<[string, string, Record<string, string>]>([
    [
      "chunked (RFC 9112 section 7.1)",
      "HTTP/1.1 200 OK\r\nTransfer-Encoding: chunked\r\n\r\n4\r\nWiki\r\n5;a=b\r\npedia\r\n0\r\nX: y\r\n\r\n",
      { "answer bytes": "9" },
    ],
    [
      "announced first (RFC 9110 section 15.2)",
      "HTTP/1.1 100 Continue\r\n\r\nHTTP/1.1 503 Busy\r\nContent-Length: 2\r\n\r\nno",
      { status: "503" },
    ],
    [
      "without a body",
      "HTTP/1.1 304 Not Modified\r\nContent-Length: 1000\r\n\r\n",
      { status: "304", "answer bytes": "0" },
    ],
    ["lines that end in LF alone", "HTTP/1.0 404 Nothing\nContent-Length: 0\n\n", { status: "404" }],
    ["until the connection ends", "HTTP/1.0 200 OK\r\n\r\nall of this", { "answer bytes": "11" }],
  ])("an answer %s, however it is cut", (_, answer, values) => {
    for (const step of [1, 7, 1_000]) {
      const c = connection();
      const parts = answer.match(new RegExp(`[^]{1,${step}}`, "g")) ?? [];
      const all = told([
        ...c.handshake(),
        c.send("client", ack, REQUEST),
        ...parts.map((p) => c.send("server", ack, p)),
        ...c.goodbye(),
      ]);
      expect(of("http", all)).toHaveLength(1);
      expect(valuesOf(of("http", all)[0])).toMatchObject(values);
    }
  });

  test("several requests ahead of their answers, the answer to HEAD without its body, a query left out", () => {
    const c = connection();
    const packets = [
      ...c.handshake(),
      c.send(
        "client",
        ack,
        "HEAD /a?user=k.lind HTTP/1.1\r\nHost: h.example\r\n\r\nPOST /b HTTP/1.1\r\nHost: h.example\r\nContent-Length: 3\r\n\r\nabc",
      ),
      c.send(
        "server",
        ack,
        "HTTP/1.1 200 OK\r\nContent-Length: 900\r\n\r\nHTTP/1.1 403 No\r\nContent-Length: 0\r\n\r\n",
      ),
      ...c.goodbye(),
    ];
    const list = (all: readonly Observation[]) =>
      of("http", all).map((o) => [
        o.event,
        valuesOf(o).path,
        valuesOf(o).status,
        valuesOf(o)["request bytes"],
        o.outcome,
      ]);
    expect(list(told(packets))).toEqual([
      ["HEAD", "/a?…", "200", "0", "success"],
      ["POST", "/b", "403", "3", "failure"],
    ]);
    expect(list(told(packets, true))[0]?.[1]).toBe("/a?user=k.lind");
  });

  test("a segment that comes twice, out of order, or was cut when it was captured", () => {
    const body = "x".repeat(3_000);
    const c = connection();
    c.handshake();
    const head = c.send("server", ack, "HTTP/1.1 200 OK\r\nContent-Length: 6000\r\n\r\n");
    const first = c.send("server", ack, body);
    const second = c.send("server", ack, body);
    const c2 = connection();
    const start = [...c2.handshake(), c2.send("client", ack, REQUEST)];
    const next = [c.send("server", ack, "HTTP/1.1 204 Done\r\n\r\n")];
    const again = c2.send("client", ack, "DELETE /x HTTP/1.1\r\nHost: h.example\r\n\r\n");
    const whole = of("http", told([...start, second, head, first, first, again, ...next]));
    expect(whole.map((o) => valuesOf(o)["answer bytes"])).toEqual(["6000", "0"]);
    const cut = of("http", told([...start, head, first.subarray(0, 100), second.subarray(0, 100), again, ...next]));
    expect(cut.map((o) => [o.event, valuesOf(o).status, valuesOf(o)["answer bytes"]])).toEqual([
      ["GET", "200", "6000"],
      ["DELETE", "204", "0"],
    ]);
  });

  test("headers that were cut when they were captured are no problem; ones that are wrong are", () => {
    const reader = new PacketReader({ keepsQueries: false });
    const [opening] = connection().handshake();
    expect(() => reader.add(T, RAW_IP, opening!.subarray(0, 30))).not.toThrow();
    const wrong = ipv4(CLIENT, SERVER, 6, new Uint8Array(8));
    expect(() => reader.add(T, RAW_IP, wrong)).toThrow(/TCP/);
  });
  test("of a connection met in its middle the next request is read, whoever it looked as if asked", () => {
    const c = connection();
    const all = told([
      c.send("server", ack, "the end of some answer"),
      c.send("client", ack, REQUEST),
      c.send("server", ack, ANSWER),
    ]);
    expect(all).toMatchObject([{ what: "http", src: CLIENT, dst: SERVER, srcPort: 40_001, dstPort: 8080 }]);
  });
  test("what follows an upgrade is not HTTP", () => {
    const c = connection();
    const all = told([
      ...c.handshake(),
      c.send("client", ack, REQUEST),
      c.send("server", ack, "HTTP/1.1 101 Switching Protocols\r\n\r\nHTTP/1.1 200 OK\r\n\r\n"),
      ...c.goodbye(),
    ]);
    expect(of("http", all).map((o) => valuesOf(o).status)).toEqual(["101"]);
  });
});

describe("TLS", () => {
  const connection = () => new TestConnection({ address: CLIENT, port: 40_002 }, { address: SERVER, port: 443 });
  const record = (type: number, body: Uint8Array) => bytes().u8(type, 3, 3).u16(body.length).raw(body).done();
  // RFC 8448 section 3, from memory; the lengths inside agree
  const CLIENT_HELLO = fromHex(
    `010000c00303cb34ecb1e78163ba1c38c6dacb196a6dffa21a8d9912ec18a2ef6283024dece7000006130113031302010000910000000b0009000006736572766572ff01000100
     000a00140012001d0017001800190100010101020103010400230000003300260024001d002099381de560e4bd43d23d8e435a7dbafeb3c06e51c13cae4d5413691e529aaf2c
     002b0003020304000d0020001e040305030603020308040805080604010501060102010402050206020202002d00020101001c00024001`,
  );
  const SERVER_HELLO = fromHex(
    `020000560303a6af06a4121860dc5e6e60249cd34c95930c8ac5cb1434dac155772ed3e2692800130100002e00330024001d0020c9828876112095fe66762bdbf7c672e156d6cc
     253b833df1dd69b1b04e751f0f002b00020304`,
  );
  const FINISHED = record(23, new Uint8Array(53));

  test("the handshake of RFC 8448 section 3, in one piece and octet by octet", () => {
    expect(CLIENT_HELLO.length).toBe(196);
    expect(SERVER_HELLO.length).toBe(90);
    for (const step of [1, 10_000]) {
      const c = connection();
      const pieces = (from: "client" | "server", b: Uint8Array) =>
        Array.from({ length: Math.ceil(b.length / step) }, (_, i) =>
          c.send(from, ack, b.subarray(i * step, (i + 1) * step)),
        );
      const all = told([
        ...c.handshake(),
        ...pieces("client", record(22, CLIENT_HELLO)),
        ...pieces("server", record(22, SERVER_HELLO)),
        ...pieces("server", record(23, new Uint8Array(900))),
        ...pieces("client", FINISHED),
        ...c.goodbye(),
      ]);
      expect(of("tls", all)).toMatchObject([{ event: "agreed", outcome: "success", dst: SERVER }]);
      expect(valuesOf(of("tls", all)[0])).toMatchObject({
        "server name": "server",
        version: "TLS 1.3",
        "version offered": "TLS 1.3",
        cipher: "TLS_AES_128_GCM_SHA256",
      });
    }
  });

  test.each<[string, (c: TestConnection) => Uint8Array[], object, Record<string, string>]>([
    [
      "an alert in clear (RFC 8446 section 6.2)",
      (c) => [c.send("server", ack, record(21, Uint8Array.of(2, 40)))],
      { event: "failed", outcome: "failure" },
      { alert: "handshake failure, by the server" },
    ],
    [
      "an alert under encryption instead of the client's Finished",
      (c) => [c.send("server", ack, record(22, SERVER_HELLO)), c.send("client", ack, record(23, new Uint8Array(19)))],
      { event: "failed", outcome: "failure" },
      { alert: "encrypted, by the client", version: "TLS 1.3" },
    ],
    ["no answer", (c) => [c.send("server", rst)], { event: "no answer", outcome: "failure" }, {}],
    [
      "given up in the middle",
      (c) => [c.send("server", ack, record(22, SERVER_HELLO)), ...c.goodbye()],
      { event: "given up", outcome: "failure" },
      { version: "TLS 1.3" },
    ],
    [
      "something else instead of an answer",
      (c) => [c.send("server", ack, "HTTP/1.1 400 Bad Request\r\n\r\n")],
      { event: "not readable", outcome: "unknown" },
      {},
    ],
  ])("%s", (_, rest, expected, values) => {
    const c = connection();
    const all = told([...c.handshake(), c.send("client", ack, record(22, CLIENT_HELLO)), ...rest(c)]);
    expect(of("tls", all)).toMatchObject([expected]);
    expect(valuesOf(of("tls", all)[0])).toMatchObject(values);
  });
});

describe("TCP", () => {
  const c = () => new TestConnection({ address: CLIENT, port: 40_003 }, { address: SERVER, port: 25 });
  test.each<[string, (c: TestConnection) => (Uint8Array | [number, Uint8Array])[], object, Record<string, string>]>([
    [
      "refused",
      (x) => [x.send("client", syn), x.send("server", rst | ack)],
      { event: "refused", outcome: "failure" },
      {},
    ],
    [
      "not answered, asked again",
      (x) => {
        const first = x.send("client", syn);
        return [
          first,
          [1 * S, first],
          [3 * S, first],
          [60 * S, ipv4(CLIENT, SERVER, 6, tcp(1, 2, 1, ack, new Uint8Array(0)))],
        ];
      },
      { event: "no answer", outcome: "failure" },
      { asked: "3" },
    ],
    [
      "reset by the server",
      (x) => [...x.handshake(), x.send("server", rst)],
      { event: "reset", outcome: "failure" },
      { by: "the server", "connect time": "10" },
    ],
    ["still open", (x) => x.handshake(), { event: "open", outcome: "unknown" }, {}],
    ["quiet", (x) => [...x.handshake(), [400 * S, x.send("client", fin)]], { event: "quiet", outcome: "unknown" }, {}],
  ])("%s", (_, packets, expected, values) => {
    const [o] = told(packets(c()));
    expect(o).toMatchObject({ what: "tcp", src: CLIENT, dst: SERVER, dstPort: 25, ...expected });
    expect(valuesOf(o)).toMatchObject(values);
  });
  test("of which one way was captured: what is missing says nothing", () => {
    const x = new TestConnection({ address: CLIENT, port: 40_009 }, { address: SERVER, port: 80 });
    const [first, , third] = x.handshake();
    const all = told([first!, third!, x.send("client", ack, "GET / HTTP/1.1\r\nHost: h.example\r\n\r\n")]);
    expect(all.map((o) => [o.what, o.event, o.outcome])).toEqual([
      ["http", "GET", "unknown"],
      ["tcp", "open", "unknown"],
    ]);
  });
  test("the same ports again are another connection", () => {
    const all = told([...c().handshake(), ...c().goodbye(), ...c().handshake()]);
    expect(all.map((o) => o.event)).toEqual(["closed", "open"]);
  });
});

test("an error of ICMP names what it is about, and how often it came (RFC 792)", () => {
  const lost = ipv4(CLIENT, SERVER, 17, udp(40_000, 161, new Uint8Array(4)));
  const unreachable = ipv4("10.20.1.254", CLIENT, 1, bytes().u8(3, 3).u16(0).u32(0).raw(lost.subarray(0, 28)).done());
  const echo = ipv4(CLIENT, SERVER, 1, bytes().u8(8, 0).u16(0).u32(0).done());
  const [o, ...rest] = told([unreachable, unreachable, echo]);
  expect(rest).toEqual([]);
  expect(o).toMatchObject({
    what: "icmp",
    event: "port unreachable",
    src: "10.20.1.254",
    dst: CLIENT,
    addresses: [SERVER],
  });
  expect(valuesOf(o)).toEqual({
    source: CLIENT,
    destination: SERVER,
    carried: "17",
    "destination port": "161",
    times: "2",
  });
});

test("who has an address is told when it is new and when it changes (RFC 826, RFC 4861)", () => {
  const mac = (last: number) => [2, 0, 0, 0, 0, last];
  const arp = (last: number) =>
    bytes()
      .raw(mac(255))
      .raw(mac(last))
      .u16(0x0806, 1, 0x0800)
      .u8(6, 4)
      .u16(2)
      .raw(mac(last))
      .ip(CLIENT)
      .raw(mac(1))
      .ip(RESOLVER)
      .done();
  const advertised = bytes()
    .raw(mac(255))
    .raw(mac(9))
    .u16(0x86dd)
    .u32(0x60000000)
    .u16(32)
    .u8(58, 255)
    .raw(fromHex("20010db8000000000000000000000009"))
    .raw(fromHex("20010db8000000000000000000000001"))
    .u8(136, 0)
    .u16(0)
    .u32(0)
    .raw(fromHex("20010db8000000000000000000000009"))
    .u8(2, 1)
    .raw(mac(9))
    .done();
  const reader = new PacketReader({ keepsQueries: false });
  for (const [i, frame] of [arp(1), arp(1), arp(2), advertised].entries()) reader.add(T + i, ETHERNET, frame);
  expect(reader.take().map((o) => [o.event, o.src, valuesOf(o).mac, valuesOf(o)["mac before"]])).toEqual([
    ["new", CLIENT, "02:00:00:00:00:01", undefined],
    ["changed", CLIENT, "02:00:00:00:00:02", "02:00:00:00:00:01"],
    ["new", "2001:db8::9", "02:00:00:00:00:09", undefined],
  ]);
});

test("what was told is kept as bytes and read again; other bytes are refused", () => {
  const [o] = told([ipv4(CLIENT, RESOLVER, 17, udp(40_000, 53, dns({ id: 7, name: "x.example" })))]);
  expect(readObservation(writeObservation(o!))).toEqual(o);
  expect(() => readObservation(new TextEncoder().encode("{"))).toThrow(/packet:/);
  expect(() => readObservation(new TextEncoder().encode('{"what":"dns"}'))).toThrow(/packet: timeUs/);
});

describe("hostile packets", () => {
  /** The same packet of another sender. */
  const from = (packet: Uint8Array, n: number) => {
    const other = packet.slice();
    other.set([10, n >> 16, n >> 8, n], 12);
    return other;
  };
  const opening = ipv4(CLIENT, SERVER, 6, tcp(40_000, 80, 1, syn, new Uint8Array(0)));
  test("more questions and connections than fit: the oldest give way and are counted", () => {
    const reader = new PacketReader({ keepsQueries: false });
    const question = ipv4(CLIENT, RESOLVER, 17, udp(40_000, 53, dns({ id: 1, name: "x.example" })));
    let observations = 0;
    for (let i = 0; i < 25_000; i++) {
      reader.add(T + i, RAW_IP, from(question, i));
      reader.add(T + i, RAW_IP, from(opening, i));
      observations += reader.take().length;
    }
    expect(reader.evicted).toBe(10_000);
    expect(observations + reader.end().length).toBe(50_000);
  });
  test("octets that never become whole are held up to a bound", () => {
    const reader = new PacketReader({ keepsQueries: false });
    // the octet before it never comes
    const behind = ipv4(CLIENT, SERVER, 6, tcp(40_000, 80, 3, ack, new Uint8Array(60_000)));
    for (let i = 0; i < 1_500; i++) {
      reader.add(T + i, RAW_IP, from(opening, i));
      reader.add(T + i, RAW_IP, from(behind, i));
    }
    // 64 MiB hold 1,118 of them
    expect(reader.evicted).toBe(1_500 - 1_118);
  });
  test("tens of thousands of mutated packets neither end it nor fill it", () => {
    const reader = new PacketReader({ keepsQueries: false });
    let state = 11;
    const next = (most: number) => {
      state = (Math.imul(state, 1_103_515_245) + 12_345) >>> 0;
      return (state >>> 8) % most;
    };
    const c = new TestConnection({ address: CLIENT, port: 40_000 }, { address: SERVER, port: 80 });
    const seeds = [
      ...c.handshake(),
      c.send("client", ack, "GET / HTTP/1.1\r\nHost: a\r\n\r\n"),
      c.send("server", ack, "HTTP/1.1 200 OK\r\nTransfer-Encoding: chunked\r\n\r\n4\r\nWiki\r\n0\r\n\r\n"),
      c.send("client", ack, fromHex("160301000501000001")),
      ipv4(CLIENT, RESOLVER, 17, udp(40_000, 53, dns({ id: 7, name: "a.b.c" }))),
      ipv4(
        RESOLVER,
        CLIENT,
        17,
        udp(
          53,
          40_000,
          dns({ id: 7, name: "a.b.c", code: 0, answers: [{ type: 1, data: Uint8Array.of(1, 2, 3, 4) }] }),
        ),
      ),
      ipv4(SERVER, CLIENT, 1, bytes().u8(3, 3).u16(0).u32(0).raw(new Uint8Array(28)).done()),
    ];
    const TRIES = effort(20_000);
    let [read, observations] = [0, 0];
    for (let i = 0; i < TRIES; i++) {
      const frame = seeds[next(seeds.length)]!.slice();
      for (let n = next(4); n > 0; n--) frame[next(frame.length)] = next(256);
      const linkType = next(50) === 0 ? ETHERNET : RAW_IP;
      const cut = next(3) === 0 ? frame.slice(0, next(frame.length)) : frame;
      try {
        withoutStacks(() => reader.add(T + i * 1_000, linkType, cut));
        read++;
      } catch (e) {
        if ((e as { code?: string }).code === undefined) throw e;
      }
      for (const o of reader.take()) {
        observations++;
        const kept = writeObservation(o);
        if (Buffer.compare(writeObservation(readObservation(kept)), kept) !== 0) throw new Error(JSON.stringify(o));
      }
    }
    expect(read).toBeGreaterThan(0.3 * TRIES);
    expect(observations).toBeGreaterThan(1_000);
  });
});
