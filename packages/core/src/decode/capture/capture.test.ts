import { civilToUs } from "../../base/time/index.js";
import { type CapturedMessage, CaptureMessages, isCapture, pcapDatagram, pcapHeader } from "./index.js";

const encode = (text: string) => new TextEncoder().encode(text);
const T0 = civilToUs(2026, 11, 24, 2, 0, 0, 123_456);

function read(...chunks: readonly Uint8Array[]): CapturedMessage[] {
  const messages = new CaptureMessages();
  return [...chunks.flatMap((c) => [...messages.push(c)]), ...messages.end()];
}
const texts = (messages: readonly CapturedMessage[]) =>
  messages.map((m) => (m.type === "message" ? new TextDecoder().decode(m.bytes) : `!${m.problem.code}`));

/** Big-endian bytes, for building captures by hand. */
const b = (...parts: readonly (number | readonly [number, 2 | 4] | Uint8Array)[]): Uint8Array =>
  Buffer.concat(
    parts.map((p) => {
      if (typeof p === "number") return Buffer.from([p]);
      if (p instanceof Uint8Array) return p;
      const out = Buffer.alloc(p[1]);
      out.writeUIntBE(p[0], 0, p[1]);
      return out;
    }),
  );
const ipv4 = (protocol: number, payload: Uint8Array, { id = 1, offset = 0, more = false, options = 0 } = {}) =>
  b(
    0x45 + options,
    0,
    [20 + options * 4 + payload.length, 2],
    [id, 2],
    [(more ? 0x2000 : 0) | (offset / 8), 2],
    64,
    protocol,
    0,
    0,
    Uint8Array.of(192, 0, 2, 7),
    Uint8Array.of(192, 0, 2, 1),
    new Uint8Array(options * 4),
    payload,
  );
const udp = (payload: Uint8Array) => b([514, 2], [514, 2], [8 + payload.length, 2], 0, 0, payload);
const tcp = (sequence: number, flags: number, data: string) =>
  b([40000, 2], [514, 2], [sequence, 4], [0, 4], 0x50, flags, 0, 0, 0, 0, 0, 0, encode(data));
const ethernet = (packet: Uint8Array, tags: readonly number[] = []) =>
  b(
    new Uint8Array(12),
    ...tags.flatMap(
      (t) =>
        [
          [t, 2],
          [7, 2],
        ] as const,
    ),
    [0x0800, 2],
    packet,
  );
const bigEndianPcap = (linkType: number, frames: readonly Uint8Array[], nanoseconds = false) =>
  b(
    [nanoseconds ? 0xa1b23c4d : 0xa1b2c3d4, 4],
    [2, 2],
    [4, 2],
    [0, 4],
    [0, 4],
    [65535, 4],
    [linkType, 4],
    ...frames.flatMap(
      (f) => [[1000, 4], [nanoseconds ? 5_000_999 : 5_000, 4], [f.length, 4], [f.length, 4], f] as const,
    ),
  );

describe("pcap (the pcap capture file format)", () => {
  const file = Buffer.concat([
    pcapHeader(),
    pcapDatagram(T0, "192.0.2.7", 514, "192.0.2.1", 514, encode("<13>a: one")),
    pcapDatagram(T0 + 1, "192.0.2.8", 514, "192.0.2.1", 514, encode("<13>a: two")),
  ]);
  test("messages, times and peers; the same however it is cut", () => {
    const whole = read(file);
    expect(whole).toMatchObject([
      { frame: 1, timeUs: T0, src: "192.0.2.7", transport: "udp" },
      { frame: 2, timeUs: T0 + 1, src: "192.0.2.8" },
    ]);
    for (let cut = 1; cut < file.length; cut += 7)
      expect(texts(read(file.subarray(0, cut), file.subarray(cut)))).toEqual(texts(whole));
  });
  test.each([
    ["big-endian, Ethernet", 1, ethernet(ipv4(17, udp(encode("<13>x"))))],
    ["VLAN tags", 1, ethernet(ipv4(17, udp(encode("<13>x"))), [0x88a8, 0x8100])],
    ["raw IP", 101, ipv4(17, udp(encode("<13>x")))],
    ["loopback", 0, b(2, 0, 0, 0, ipv4(17, udp(encode("<13>x"))))],
    ["cooked", 113, b(new Uint8Array(14), [0x0800, 2], ipv4(17, udp(encode("<13>x"))))],
    ["cooked, version 2", 276, b([0x0800, 2], new Uint8Array(18), ipv4(17, udp(encode("<13>x"))))],
    ["IP options", 101, ipv4(17, udp(encode("<13>x")), { options: 2 })],
    [
      "Ethernet padding: the UDP length is trusted",
      1,
      Buffer.concat([ethernet(ipv4(17, udp(encode("<13>x")))), new Uint8Array(18)]),
    ],
  ])("%s", (_what, linkType, frame) => {
    expect(texts(read(bigEndianPcap(linkType, [frame])))).toEqual(["<13>x"]);
  });
  test("nanoseconds are cut to microseconds", () => {
    expect(read(bigEndianPcap(101, [ipv4(17, udp(encode("<13>x")))], true))).toMatchObject([{ timeUs: 1000_005_000 }]);
  });
  test("a file cut in the middle of a frame gives what was before, and says where it ends", () => {
    const messages = read(file.subarray(0, file.length - 3));
    expect(texts(messages)).toEqual(["<13>a: one", "!TRUNCATED"]);
    expect(messages[1]).toMatchObject({ frame: 2 });
  });
  test("a frame cut by its snap length is a problem of that frame only", () => {
    const cut = ethernet(ipv4(17, udp(encode("<13>long message")))).subarray(0, 50);
    expect(texts(read(bigEndianPcap(1, [cut, ethernet(ipv4(17, udp(encode("<13>x"))))])))).toEqual([
      "!TRUNCATED",
      "<13>x",
    ]);
  });
  test("a length beyond reason is refused before memory is taken", () => {
    const bad = Buffer.concat([
      pcapHeader(),
      Buffer.from([0, 0, 0, 0, 0, 0, 0, 0, 255, 255, 255, 127, 255, 255, 255, 127]),
    ]);
    const messages = new CaptureMessages();
    const got: CapturedMessage[] = [];
    expect(() => {
      for (const m of messages.push(bad)) got.push(m);
    }).toThrow(/at most/);
    expect(texts(got)).toEqual(["!BAD_LENGTH"]);
  });
});

test("pcapng: section, interface with its resolution, enhanced packet (the pcapng capture file format)", () => {
  const frame = ipv4(17, udp(encode("<13>x")));
  const padded = Buffer.concat([frame, new Uint8Array((4 - (frame.length % 4)) % 4)]);
  const block = (type: number, body: Uint8Array) => b([type, 4], [body.length + 12, 4], body, [body.length + 12, 4]);
  const ticks = 1_795_485_911_000_000_123n;
  const file = Buffer.concat([
    block(0x0a0d0d0a, b([0x1a2b3c4d, 4], [1, 2], [0, 2], [0xffffffff, 4], [0xffffffff, 4])),
    block(1, b([101, 2], [0, 2], [0, 4], [9, 2], [1, 2], 9, 0, 0, 0, [0, 4])),
    block(
      6,
      b(
        [0, 4],
        [Number(ticks >> 32n), 4],
        [Number(ticks & 0xffffffffn), 4],
        [frame.length, 4],
        [frame.length, 4],
        padded,
      ),
    ),
  ]);
  expect(isCapture(file)).toBe(true);
  expect(read(file)).toMatchObject([{ frame: 1, timeUs: 1_795_485_911_000_000 }]);
});

test("IP fragments are put together whatever their order (RFC 791 section 3.2)", () => {
  const payload = udp(encode(`<13>${"x".repeat(100)}`));
  const first = ipv4(17, payload.subarray(0, 48), { id: 9, more: true });
  const second = ipv4(17, payload.subarray(48), { id: 9, offset: 48 });
  for (const order of [
    [first, second],
    [second, first],
    [first, first, second],
  ])
    expect(texts(read(bigEndianPcap(101, order)))).toEqual([`<13>${"x".repeat(100)}`]);
  expect(texts(read(bigEndianPcap(101, [first])))).toEqual(["!TRUNCATED"]);
});

describe("TCP streams (RFC 9293)", () => {
  const ACK = 0x10;
  const streams = (segments: readonly Uint8Array[]) =>
    texts(
      read(
        bigEndianPcap(
          101,
          segments.map((s) => ipv4(6, s)),
        ),
      ),
    );
  const syn = tcp(99, 0x02, "");
  test("out of order, repeated and overlapping segments give the messages once", () => {
    expect(streams([syn, tcp(100, ACK, "7 <13>"), tcp(106, ACK, "abc7 <1"), tcp(113, ACK, "4>xyz")])).toEqual([
      "<13>abc",
      "<14>xyz",
    ]);
    expect(
      streams([
        syn,
        tcp(106, ACK, "abc7 <1"),
        tcp(100, ACK, "7 <13>"),
        tcp(103, ACK, "13>abc7 <1"),
        tcp(113, ACK, "4>xyz"),
      ]),
    ).toEqual(["<13>abc", "<14>xyz"]);
  });
  test("a connection joined in its middle is read from there", () => {
    expect(streams([tcp(5000, ACK, "<13>line\n")])).toEqual(["<13>line"]);
  });
  test("sequence numbers wrap round", () => {
    expect(streams([tcp(0xfffffffe, 0x02, ""), tcp(0xffffffff, ACK, "<1"), tcp(1, ACK, ">x\n")])).toEqual(["<1>x"]);
  });
  test("a message the capture does not finish is said", () => {
    expect(streams([syn, tcp(100, ACK, "30 <13>unfinished")])).toEqual(["!TRUNCATED"]);
  });
});

test("a TCP stream of something else is said once; a counted message that the stream's end cuts says so (RFC 6587 section 3.4.1)", () => {
  const stream = (...segments: readonly Uint8Array[]) =>
    bigEndianPcap(
      101,
      segments.map((s) => ipv4(6, s)),
    );
  expect(
    texts(read(stream(tcp(1, 0x02, ""), tcp(2, 0x18, "GET / HTTP/1.1\r\n\r\n"), tcp(20, 0x18, "and more")))),
  ).toEqual(["!UNKNOWN_KIND"]);
  const cut = read(stream(tcp(1, 0x02, ""), tcp(2, 0x18, "30 <13>host app: half"), tcp(23, 0x11, "")));
  expect(cut).toMatchObject([{ type: "message", cut: true }]);
});
test("content decides, not the port: other datagrams are problems with a reason", () => {
  expect(texts(read(bigEndianPcap(101, [ipv4(17, udp(Uint8Array.of(0, 9, 1, 2)))])))).toEqual(["!UNKNOWN_KIND"]);
});
