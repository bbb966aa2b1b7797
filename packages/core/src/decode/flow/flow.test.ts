import fc from "fast-check";
import { DecodeError } from "../../base/bytes/index.js";
import { bytes } from "../../testing/bytes.js";
import { flowSet, ipfixMessage, templateBody, v9Message } from "../../testing/flow-bytes.js";
import { effort } from "../../testing/node/effort.js";
import { withoutStacks } from "../../testing/without-stacks.js";
import { emptyFlow } from "./flow-record.js";
import { FlowDecoder, readStream } from "./index.js";
import { readSampledHeader } from "./sampled-header.js";

const S = 1_000_000;
const EXPORTER = "10.20.1.14";
const AT = 1_700_000_000;
const NOW = AT * S;
const decodeOne = (input: Uint8Array, d = new FlowDecoder()) => d.decode(input, EXPORTER, NOW);

function netFlow5(records: number, sampling = 0, sequence = 7): Uint8Array {
  const out = bytes().u16(5, records).u32(100_000, AT, 500_000_000, sequence).u8(0, 1).u16(sampling);
  for (let i = 0; i < records; i++)
    out
      .ip("10.20.1.5")
      .ip("192.0.2.9")
      .ip("10.20.1.1")
      .u16(3, 4)
      .u32(10, 5_000, 90_000, 99_000)
      .u16(51_000, 443)
      .u8(0, 0x1b, 6, 184)
      .u16(65_001, 65_002)
      .u8(24, 16)
      .u16(0);
  return out.done();
}

describe("NetFlow v5 (field layout: common practice, published by its vendor)", () => {
  test("every field; times from uptime; DSCP 46 from ToS 184", () => {
    const { records, protocol, domain } = decodeOne(netFlow5(1));
    expect([protocol, domain]).toEqual(["NetFlow v5", 1]);
    expect(records[0]).toMatchObject({
      src: "10.20.1.5",
      dst: "192.0.2.9",
      nextHop: "10.20.1.1",
      ingress: 3,
      egress: 4,
      packets: 10,
      bytes: 5_000,
      startUs: NOW + 500_000 - 10 * S,
      endUs: NOW + 500_000 - 1 * S,
      srcPort: 51_000,
      dstPort: 443,
      tcpFlags: 0x1b,
      protocol: 6,
      tos: 184,
      srcAs: 65_001,
      dstMask: 16,
      samplingRate: 1,
    });
    expect(records[0]!.tos! >> 2).toBe(46);
  });
  test("sampling: the low 14 bits are the interval; counters become estimates", () => {
    expect(decodeOne(netFlow5(1, 0x4000 | 100)).records[0]).toMatchObject({
      samplingRate: 100,
      packets: 1_000,
      bytes: 500_000,
    });
  });
  test("uptime that wrapped since the flow began", () => {
    const input = netFlow5(1);
    const view = new DataView(input.buffer);
    view.setUint32(4, 2_000); // sysUptime just after the wrap
    view.setUint32(24 + 24, 0xffff_ffff - 999); // first: a second before it
    expect(decodeOne(input).records[0]!.startUs).toBe(NOW + 500_000 - 3 * S);
  });
  test("sequence counts flows: a gap is told once, a number behind is out of order", () => {
    const d = new FlowDecoder();
    expect(decodeOne(netFlow5(2, 0, 100), d).missed).toBe(0);
    expect(decodeOne(netFlow5(1, 0, 112), d).missed).toBe(10);
    expect(decodeOne(netFlow5(1, 0, 113), d).missed).toBe(0);
    expect(decodeOne(netFlow5(1, 0, 105), d).missed).toBe(0);
    expect(d.gaps()).toEqual([{ exporter: `${EXPORTER} NetFlow v5 1`, missed: 10, outOfOrder: 1 }]);
  });
  test.each([0, 31])("a count of %i is refused", (n) => {
    const input = netFlow5(1);
    new DataView(input.buffer).setUint16(2, n);
    expect(() => decodeOne(input)).toThrow(DecodeError);
  });
});

describe("IPFIX (RFC 7011)", () => {
  // RFC 7011 appendix A.2: template 256 with five elements
  const APPENDIX_A2 = templateBody(256, [
    [8, 4],
    [12, 4],
    [15, 4],
    [2, 4],
    [1, 4],
  ]);
  // appendix A.3 (values): three records
  const APPENDIX_A3 = bytes()
    .ip("192.0.2.12")
    .ip("192.0.2.254")
    .ip("192.0.2.1")
    .u32(5_009, 5_344_385)
    .ip("192.0.2.27")
    .ip("192.0.2.23")
    .ip("192.0.2.2")
    .u32(748, 388_934)
    .ip("192.0.2.56")
    .ip("192.0.2.65")
    .ip("192.0.2.3")
    .u32(5, 6_534)
    .done();
  const head = (sequence: number) => ({ exportSeconds: AT, sequence, domain: 1 });

  test("appendix A.2 and A.3: a template and three records", () => {
    const { records } = decodeOne(ipfixMessage(head(0), flowSet(2, APPENDIX_A2), flowSet(256, APPENDIX_A3)));
    expect(records.map((r) => [r.src, r.dst, r.nextHop, r.packets, r.bytes])).toEqual([
      ["192.0.2.12", "192.0.2.254", "192.0.2.1", 5_009, 5_344_385],
      ["192.0.2.27", "192.0.2.23", "192.0.2.2", 748, 388_934],
      ["192.0.2.56", "192.0.2.65", "192.0.2.3", 5, 6_534],
    ]);
  });

  test("data before its template is held and read when that comes, with its own arrival", () => {
    const d = new FlowDecoder();
    expect(d.decode(ipfixMessage(head(0), flowSet(256, APPENDIX_A3)), EXPORTER, NOW - 5 * S)).toMatchObject({
      held: 1,
      records: [],
    });
    // another exporter's template is another template
    d.decode(ipfixMessage(head(0), flowSet(2, APPENDIX_A2)), "10.20.1.99", NOW);
    expect(d.heldSets).toBe(1);
    const { released } = decodeOne(ipfixMessage(head(3), flowSet(2, APPENDIX_A2)), d);
    expect(released).toMatchObject([{ receivedUs: NOW - 5 * S, records: [{ packets: 5_009 }, {}, {}] }]);
    expect(d.heldSets).toBe(0);
  });

  test("a batch that was not stored is decoded again with the same result", () => {
    const d = new FlowDecoder();
    decodeOne(ipfixMessage(head(0), flowSet(256, APPENDIX_A3)), d);
    d.begin();
    const message = ipfixMessage(head(9), flowSet(2, APPENDIX_A2));
    const first = decodeOne(message, d);
    d.rollback();
    d.begin();
    // the template is known now, so the set is released only through the held ones
    const again = decodeOne(message, d);
    expect(again.released).toEqual(first.released);
    expect(d.gaps()).toEqual([]);
  });

  test("of each template: when it came, how often it was read by; what waits for one", () => {
    const d = new FlowDecoder();
    const at = (us: number, ...sets: Uint8Array[]) => d.decode(ipfixMessage(head(0), ...sets), "10.0.0.1", us);
    at(1_000, flowSet(256, APPENDIX_A3));
    at(2_000, flowSet(256, APPENDIX_A3));
    expect(d.waiting()).toEqual([
      { stream: "10.0.0.1 IPFIX 1", template: 256, sets: 2, octets: 2 * APPENDIX_A3.length, sinceUs: 1_000 },
    ]);
    at(3_000, flowSet(2, APPENDIX_A2));
    expect(d.waiting()).toEqual([]);
    at(4_000, flowSet(2, APPENDIX_A2), flowSet(256, APPENDIX_A3));
    const use = () => new Map(d.takeUses(61_000_000)[0]?.uses).get(256);
    expect(use()).toEqual({ learntUs: 3_000, toldUs: 4_000, usedUs: 4_000, records: 3 });
    // uses alone are kept every minute
    at(61_000_000, flowSet(256, APPENDIX_A3));
    expect(d.takeUses(61_000_001)).toEqual([]);
    const [again] = d.takeUses(121_000_001);
    const later = new FlowDecoder();
    later.restore(again!.key, d.takeChanged()[0]!.saved, JSON.parse(JSON.stringify(again!.uses)));
    later.decode(ipfixMessage(head(0), flowSet(256, APPENDIX_A3)), "10.0.0.1", 200_000_000);
    expect(new Map(later.takeUses(200_000_001)[0]!.uses).get(256)).toMatchObject({ learntUs: 3_000, records: 9 });
    expect(readStream("10.0.0.1 IPFIX 1")).toEqual({ exporter: "10.0.0.1", protocol: "IPFIX", domain: 1 });
    expect(readStream("10.0.0.1 192.0.2.7 sFlow v5 2")).toMatchObject({
      exporter: "10.0.0.1",
      protocol: "sFlow v5",
      domain: 2,
    });
  });

  test("templates outlive a restart", () => {
    const d = new FlowDecoder();
    decodeOne(ipfixMessage(head(0), flowSet(2, APPENDIX_A2)), d);
    const later = new FlowDecoder();
    for (const { key, saved } of d.takeChanged()) later.restore(key, JSON.parse(JSON.stringify(saved)));
    expect(d.takeChanged()).toEqual([]);
    expect(decodeOne(ipfixMessage(head(0), flowSet(256, APPENDIX_A3)), later).records).toHaveLength(3);
  });

  test("withdrawal (section 8.1): of one, and of all", () => {
    for (const id of [256, 2]) {
      const d = new FlowDecoder();
      decodeOne(ipfixMessage(head(0), flowSet(2, APPENDIX_A2)), d);
      decodeOne(ipfixMessage(head(0), flowSet(2, bytes().u16(id, 0).done())), d);
      expect(decodeOne(ipfixMessage(head(0), flowSet(256, APPENDIX_A3)), d)).toMatchObject({ held: 1, records: [] });
    }
  });

  test("variable length (section 7), short and long form; enterprise elements are not the IANA ones of that number", () => {
    const template = templateBody(300, [
      [8, 4],
      [1, 65_535, 32_473],
      [371, 65_535],
      [7, 2],
    ]);
    const long = "x".repeat(300);
    const data = bytes().ip("10.0.0.1").u8(3).text("abc").u8(255).u16(300).text(long).u16(80).done();
    const { records } = decodeOne(ipfixMessage(head(0), flowSet(2, template), flowSet(300, data)));
    expect(records).toMatchObject([
      {
        src: "10.0.0.1",
        bytes: null,
        srcPort: 80,
        extra: [
          ["enterprise 32473 element 1", "6382179"],
          ["userName", long],
        ],
      },
    ]);
  });

  test("names of interfaces in a flow itself are text, however short (RFC 7012: interfaceName is a string)", () => {
    const template = templateBody(302, [
      [8, 4],
      [82, 8],
      [83, 65_535],
    ]);
    const data = bytes().ip("10.0.0.1").text("ge0/1\0\0\0").u8(3).text("dmz").done();
    const { records } = decodeOne(ipfixMessage(head(0), flowSet(2, template), flowSet(302, data)));
    expect(records[0]!.extra).toEqual([
      ["interfaceName", "ge0/1"],
      ["interfaceDescription", "dmz"],
    ]);
  });

  test("reverse elements (RFC 5103) do not overwrite forward counters; reduced-size counters of 3 and 5 octets (section 6.2)", () => {
    const template = templateBody(301, [
      [1, 3],
      [1, 5, 29_305],
      [2, 1],
      [6, 2],
    ]);
    const data = bytes().u8(0, 1, 0).u8(0, 0, 0, 2, 0).u8(9).u16(0x12).done();
    const { records } = decodeOne(ipfixMessage(head(0), flowSet(2, template), flowSet(301, data, 2)));
    expect(records).toMatchObject([{ bytes: 256, reverseBytes: 512, packets: 9, tcpFlags: 0x12 }]);
  });

  test("times: milliseconds, and NTP seconds and fraction (section 6.1.9)", () => {
    const template = templateBody(302, [
      [152, 8],
      [155, 8],
    ]);
    const data = bytes()
      .u64(BigInt(AT) * 1000n + 250n)
      .u32(AT + 2_208_988_800, 0x8000_0000)
      .done();
    expect(decodeOne(ipfixMessage(head(0), flowSet(2, template), flowSet(302, data))).records).toMatchObject([
      { startUs: NOW + 250_000, endUs: NOW + 500_000 },
    ]);
  });

  test("sequence counts data records; sets that cannot be counted forgive it", () => {
    const d = new FlowDecoder();
    decodeOne(ipfixMessage(head(0), flowSet(2, APPENDIX_A2), flowSet(256, APPENDIX_A3)), d);
    expect(decodeOne(ipfixMessage(head(3), flowSet(256, APPENDIX_A3)), d).missed).toBe(0);
    expect(decodeOne(ipfixMessage(head(10), flowSet(256, APPENDIX_A3)), d).missed).toBe(4);
    expect(decodeOne(ipfixMessage(head(13), flowSet(999, APPENDIX_A3)), d).missed).toBe(0);
    expect(decodeOne(ipfixMessage(head(77), flowSet(256, APPENDIX_A3)), d).missed).toBe(0);
  });

  test("when the exporter booted (160) goes for flows before it in the same message, and a later boot replaces it (section 3.5)", () => {
    const d = new FlowDecoder();
    const uptimes = templateBody(256, [
      [22, 4],
      [21, 4],
      [1, 4],
    ]);
    // an options template: two fields, the first of them the scope
    const boot = bytes().u16(270, 2, 1, 149, 4, 160, 8).done();
    const booted = (ms: number) => flowSet(270, bytes().u32(1).u64(BigInt(ms)).done());
    const flow = flowSet(256, bytes().u32(1_000, 2_000, 99).done());
    const starts = (...sets: readonly Uint8Array[]) =>
      decodeOne(ipfixMessage(head(0), ...sets), d).records.map((r) => [r.startUs, r.endUs]);
    const first = (AT - 100) * 1_000;
    expect(starts(flowSet(2, uptimes), flowSet(3, boot), flow, booted(first))).toEqual([
      [first * 1_000 + S, first * 1_000 + 2 * S],
    ]);
    const second = (AT - 10) * 1_000;
    expect(starts(flow, booted(second))).toEqual([[second * 1_000 + S, second * 1_000 + 2 * S]]);
    expect(starts(flow)).toEqual([[second * 1_000 + S, second * 1_000 + 2 * S]]);
  });

  test("flows held for their template take the boot told since", () => {
    const d = new FlowDecoder();
    decodeOne(ipfixMessage(head(0), flowSet(256, bytes().u32(1_000, 2_000).done())), d);
    const { released } = decodeOne(
      ipfixMessage(
        head(1),
        flowSet(3, bytes().u16(270, 2, 1, 149, 4, 160, 8).done()),
        flowSet(
          270,
          bytes()
            .u32(1)
            .u64(BigInt((AT - 10) * 1_000))
            .done(),
        ),
        flowSet(
          2,
          templateBody(256, [
            [22, 4],
            [21, 4],
          ]),
        ),
      ),
      d,
    );
    expect(released[0]?.records.map((r) => r.startUs)).toEqual([(AT - 9) * S]);
  });

  test("one bad set does not take the others with it", () => {
    const { records, problems } = decodeOne(
      ipfixMessage(head(0), flowSet(2, templateBody(17, [[8, 4]])), flowSet(2, APPENDIX_A2), flowSet(256, APPENDIX_A3)),
    );
    expect([records.length, problems.map((p) => p.code)]).toEqual([3, ["BAD_VALUE"]]);
  });
});

describe("NetFlow v9 (RFC 3954)", () => {
  const head = (sequence: number) => ({ uptimeMs: 60_000, exportSeconds: AT, sequence, domain: 5 });
  const TEMPLATE = templateBody(260, [
    [27, 16],
    [28, 16],
    [4, 1],
    [7, 2],
    [11, 2],
    [1, 8],
    [2, 4],
    [21, 4],
    [22, 4],
    [95, 4],
  ]);
  const v6 = (last: number) => bytes().u16(0x2001, 0xdb8, 0, 0, 0, 0, 0, last).done();
  const flow = (application: number) =>
    bytes().raw(v6(1)).raw(v6(2)).u8(17).u16(5_353, 53).u64(1_500n).u32(3, 59_000, 50_000, application).done();

  test("addresses, uptime times, unpadded and padded sets", () => {
    for (const pad of [0, 3]) {
      const { records } = decodeOne(v9Message(head(0), flowSet(0, TEMPLATE), flowSet(260, flow(1), pad)));
      expect(records).toMatchObject([
        {
          src: "2001:db8::1",
          dst: "2001:db8::2",
          protocol: 17,
          dstPort: 53,
          bytes: 1_500,
          endUs: NOW - 1 * S,
          startUs: NOW - 10 * S,
        },
      ]);
    }
  });

  test("options: sampling (34), names of interfaces (82) and applications (96) by their scope", () => {
    const d = new FlowDecoder();
    const options = (id: number, scope: readonly number[], fields: readonly (readonly number[])[]) => {
      const out = bytes()
        .u16(id, 4, fields.length * 4)
        .u16(...scope);
      for (const f of fields) out.u16(...f);
      return out.done();
    };
    decodeOne(
      v9Message(
        head(0),
        flowSet(0, TEMPLATE),
        flowSet(
          1,
          options(
            270,
            [1, 4],
            [
              [34, 4],
              [35, 1],
            ],
          ),
        ),
        flowSet(1, options(271, [2, 4], [[82, 8]])),
        flowSet(
          1,
          options(
            272,
            [1, 4],
            [
              [95, 4],
              [96, 8],
            ],
          ),
        ),
        flowSet(270, bytes().u32(0, 64).u8(2).done(), 3),
        flowSet(271, bytes().u32(12).text("ge0/12\0\0").done()),
        flowSet(272, bytes().u32(0, 0x0d00_0035).text("dns\0\0\0\0\0").done()),
      ),
      d,
    );
    expect(decodeOne(v9Message(head(1), flowSet(260, flow(0x0d00_0035))), d).records).toMatchObject([
      { samplingRate: 64, bytes: 96_000, packets: 192, application: "dns" },
    ]);
    expect(d.interfaceNames().get(EXPORTER)?.get(12)).toBe("ge0/12");
  });

  // section 8: FLOW_SAMPLER_ID (48) and its interval (50); RFC 5477: selectorId (302)
  test.each([48, 302])("a sampler's rate goes for the flows that name it and for no others (element %i)", (id) => {
    const d = new FlowDecoder();
    const options = bytes().u16(270, 4, 8, 1, 4, id, 2, 50, 4).done();
    const flow = (sampler: number) => flowSet(261, bytes().u16(sampler).u32(1_000).done(), 2);
    const rates = (...sets: readonly Uint8Array[]) =>
      decodeOne(v9Message(head(0), ...sets), d).records.map((r) => [r.samplingRate, r.bytes]);
    const templates = flowSet(
      0,
      templateBody(261, [
        [id, 2],
        [1, 4],
      ]),
    );
    const sampler7 = flowSet(270, bytes().u32(0).u16(7).u32(100).done(), 2);
    expect(rates(templates, flowSet(1, options), sampler7, flow(7), flow(0), flow(8))).toEqual([
      [100, 100_000],
      [1, 1_000],
      [1, 1_000],
    ]);
    const unnamed = flowSet(0, templateBody(262, [[1, 4]]));
    expect(rates(unnamed, flowSet(262, bytes().u32(1_000).done()))).toEqual([[1, 1_000]]);
  });

  test("sequence counts datagrams (section 5.1)", () => {
    const d = new FlowDecoder();
    decodeOne(v9Message(head(10), flowSet(0, TEMPLATE)), d);
    expect(decodeOne(v9Message(head(14), flowSet(0, TEMPLATE)), d).missed).toBe(3);
  });

  test("the newest template of an id stands", () => {
    const d = new FlowDecoder();
    decodeOne(v9Message(head(0), flowSet(0, templateBody(256, [[7, 2]]))), d);
    decodeOne(v9Message(head(1), flowSet(0, templateBody(256, [[11, 2]]))), d);
    expect(decodeOne(v9Message(head(2), flowSet(256, bytes().u16(99).done(), 1)), d).records).toMatchObject([
      { dstPort: 99, srcPort: null },
    ]);
  });
});

describe("sFlow version 5", () => {
  const sample = (format: number, body: Uint8Array) => bytes().u32(format, body.length).raw(body).done();
  const datagram = (sequence: number, ...samples: readonly Uint8Array[]) => {
    const out = bytes().u32(5, 1).ip("10.20.2.10").u32(0, sequence, 1_000, samples.length);
    for (const s of samples) out.raw(s);
    return out.done();
  };
  const frame = bytes()
    .raw([2, 0, 0, 0, 0, 1, 2, 0, 0, 0, 0, 2])
    .u16(0x8100, 30, 0x0800)
    .u8(0x45, 0xb8)
    .u16(60, 1, 0x4000)
    .u8(64, 6)
    .u16(0)
    .ip("10.20.2.30")
    .ip("198.51.100.7")
    .u16(40_000, 80)
    .u32(1, 2)
    .u8(0x50, 0x12)
    .done();
  const header = (octets: Uint8Array) => {
    const padded = Math.ceil(octets.length / 4) * 4;
    return bytes()
      .u32(1, 16 + padded, 1, 1_400, 4, octets.length)
      .raw(octets)
      .raw(new Uint8Array(padded - octets.length))
      .done();
  };
  const flowSample = (input: number, output: number, record: Uint8Array) =>
    sample(
      1,
      bytes()
        .u32(1, 7, 400, 4_000, 0, input, output, 2)
        .raw(bytes().u32(0x7fff_0001, 4, 0).done())
        .raw(record)
        .done(),
    );

  test("a sampled header: estimate is frame × rate; unknown records are skipped by length; tags", () => {
    const { records, agent } = decodeOne(datagram(1, flowSample(3, 0x3fff_ffff, header(frame))));
    expect(agent).toBe("10.20.2.10");
    expect(records).toMatchObject([
      {
        src: "10.20.2.30",
        dst: "198.51.100.7",
        srcPort: 40_000,
        dstPort: 80,
        protocol: 6,
        tcpFlags: 0x12,
        tos: 184,
        vlan: 30,
        ingress: 3,
        egress: null,
        samplingRate: 400,
        packets: 400,
        bytes: 560_000,
        endUs: null,
      },
    ]);
  });
  test("a header longer than its record is refused (section 5: XDR, RFC 4506 4.10)", () => {
    const lying = bytes().u32(1, 20, 1, 1_400, 4, 200).raw(frame.subarray(0, 4)).done();
    const { records, problems } = decodeOne(datagram(1, flowSample(3, 4, lying), flowSample(3, 4, header(frame))));
    expect([records.length, problems.map((p) => p.code)]).toEqual([1, ["TRUNCATED"]]);
  });
  test("several outputs (0x8000000N) name no interface", () => {
    expect(decodeOne(datagram(1, flowSample(3, 0x8000_0004, header(frame)))).records[0]).toMatchObject({
      egress: null,
    });
  });
  test("interface counters without loss", () => {
    const counters = bytes()
      .u32(1, 88, 12, 6)
      .u64(10_000_000_000n)
      .u32(1, 3)
      .u64(2n ** 60n)
      .u32(1, 2, 3, 4, 5, 6)
      .u64(77n)
      .u32(1, 1, 1, 8, 9, 0)
      .done();
    const { measures } = decodeOne(datagram(1, sample(2, bytes().u32(1, 12, 1).raw(counters).done())));
    expect(measures).toEqual([
      {
        interface: 12,
        type: 6,
        speed: 10_000_000_000n,
        status: 3,
        inOctets: 2n ** 60n,
        inPackets: 6,
        inDiscards: 4,
        inErrors: 5,
        outOctets: 77n,
        outPackets: 3,
        outDiscards: 8,
        outErrors: 9,
      },
    ]);
  });
  test("headers cut anywhere never fail; fragments after the first have no ports", () => {
    for (let n = 0; n <= frame.length; n++) readSampledHeader(1, frame.subarray(0, n), emptyFlow());
    const f = emptyFlow();
    const fragment = frame.slice();
    new DataView(fragment.buffer).setUint16(24, 0x2001);
    readSampledHeader(1, fragment, f);
    expect(f).toMatchObject({ src: "10.20.2.30", srcPort: null });
  });
});

describe("malformed input: a reason or nothing, never a crash or a growing memory", () => {
  const whole = [
    netFlow5(2),
    ipfixMessage(
      { exportSeconds: AT, sequence: 0, domain: 1 },
      flowSet(
        2,
        templateBody(256, [
          [8, 4],
          [371, 65_535],
        ]),
      ),
      flowSet(256, bytes().ip("1.2.3.4").u8(2, 65, 66).done()),
    ),
    v9Message(
      { uptimeMs: 1, exportSeconds: AT, sequence: 0, domain: 1 },
      flowSet(0, templateBody(256, [[8, 4]])),
      flowSet(256, bytes().ip("1.2.3.4").done()),
    ),
  ];
  const quiet = (d: FlowDecoder, input: Uint8Array) => {
    try {
      d.decode(input, EXPORTER, NOW);
    } catch (e) {
      if (!(e instanceof DecodeError)) throw e;
    }
  };
  test("every prefix of every kind", () => {
    for (const input of whole) for (let n = 0; n < input.length; n++) quiet(new FlowDecoder(), input.subarray(0, n));
  });
  test("bits flipped, random bytes, one decoder for all", () => {
    const d = new FlowDecoder();
    const tries = fc.sample(
      fc.tuple(fc.nat(whole.length - 1), fc.array(fc.nat(600), { maxLength: 6 }), fc.uint8Array({ maxLength: 64 })),
      { seed: 2, numRuns: effort(5_000) },
    );
    for (const [which, flips, noise] of tries) {
      const input = whole[which]!.slice();
      for (const bit of flips) if (bit >> 3 < input.length) input[bit >> 3]! ^= 1 << (bit & 7);
      withoutStacks(() => {
        quiet(d, input);
        quiet(d, Uint8Array.from([0, [5, 9, 10][which]!, ...noise]));
      });
    }
    expect(d.heldSets).toBeLessThanOrEqual(20_000);
  });
});
