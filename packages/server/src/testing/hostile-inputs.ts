import {
  DEVICES,
  eventXml,
  FlowWriter,
  NotificationWriter,
  notify,
  ordinaryEvent,
  ordinaryFlow,
  Random,
  USM,
} from "@halvik/simulator";
import { flowSet, ipfixMessage, templateBody, v9Message } from "../../../core/src/testing/flow-bytes.js";
import type { Protocol } from "../domains/intake/arrivals/arrival.js";
import { nodeSnmpCrypto } from "../kernel/snmp-crypto.js";

export { USM };

export interface HostileInput {
  readonly protocol: Protocol;
  readonly bytes: Uint8Array;
}

/** Elements whose values become columns of a flow, with the lengths any exporter might give them. */
const ELEMENTS = [
  1, 2, 4, 5, 6, 7, 8, 9, 10, 11, 12, 13, 14, 15, 16, 17, 21, 22, 27, 28, 32, 34, 48, 50, 58, 61, 82, 85, 86, 95, 96,
  139,
]
  .concat([
    150, 151, 152, 153, 154, 155, 156, 157, 158, 159, 160, 161, 162, 195, 225, 226, 227, 228, 233, 302, 305, 306, 309,
    310,
  ])
  .concat([25, 56, 371, 460, 999]);
const LENGTHS = [1, 2, 3, 4, 4, 4, 5, 6, 7, 8, 8, 8, 9, 16, 20];

/** Of nine octets one is any, the others sit at the edges of what numbers, booleans and protocols hold. */
const OCTETS = Array.from({ length: 9 * 256 }, (_, i) => [0, 0, 1, 6, 127, 128, 255, 255, Math.floor(i / 9)][i % 9]!);

/** What breaks stores and parsers: put into texts of every kind. */
const TOKENS = [
  "\\u0000",
  "\\ud800",
  "\\udc00x",
  "\u0000",
  "&#0;",
  "&#xD800;",
  "&#1114112;",
  "99999999999999999999",
  "9223372036854775808",
  "9007199254740993",
  "-1",
  "1e999",
  "0x7fffffffffffffff",
  "2099-12-31T23:59:59Z",
  "1601-01-01T00:00:00Z",
  "0000-01-01T00:00:00Z",
  "::ffff:1.2.3.4",
  "fe80::1%eth0",
  "🚢".repeat(200),
  "å".repeat(5_000),
  "h".repeat(3_200),
  '"',
  "\\",
  "]",
  "\n",
  "\t",
  "\u202e",
  "{}",
  "[[[[[[[[[[[[[[[[[[[[[[[[",
];

const HEADERS = [
  "version account-id interface-id srcaddr dstaddr srcport dstport protocol packets bytes start end action log-status",
  "time,src,dst,srcport,dstport,proto,action,bytes,packets",
];

/** Inputs no honest sender sends, the same for the same seed: damaged ones, and well-formed ones with absurd values. */
export class HostileInputs {
  private readonly random: Random;
  private readonly text = new TextEncoder();
  private readonly valid: readonly (readonly [Protocol, readonly Uint8Array[]])[];
  private sequence = 0;

  constructor(
    seed: number,
    private readonly atUs: number,
  ) {
    const r = new Random(seed, "hostile");
    this.random = r;
    const device = (name: string) => DEVICES.find((d) => d.name === name)!;
    const flows = new FlowWriter();
    const notifications = new NotificationWriter(nodeSnmpCrypto);
    const texts = (...lines: readonly string[]) => lines.map((l) => this.text.encode(l));
    this.valid = [
      [
        "flow",
        ["rt-orvane", "core-orvane", "rt-lysgrund", "sw-orvane-1"].flatMap((name) =>
          Array.from({ length: 10 }, (_, i) =>
            flows.write(
              device(name),
              Array.from({ length: 4 }, () => ordinaryFlow(device(name), r, atUs)),
              atUs + i * 60e6,
            ),
          ).flat(),
        ),
      ],
      [
        "snmp",
        [
          ...["ups-torvika", "sw-orvane-2"].map((n) => notifications.write(device(n), notify.onBattery(9, 9), atUs)),
          notifications.write(device("rt-orvane"), notify.bgpLost("10.0.0.1"), atUs),
        ],
      ],
      [
        "windows",
        Array.from({ length: 10 }, (_, i) => this.text.encode(eventXml(device("dc-1"), ordinaryEvent(r), atUs, i))),
      ],
      [
        "syslog",
        texts(
          '<34>1 2026-11-24T10:00:00.003Z h app 1 ID [a@32473 b="c\\""] text 10.0.0.1',
          "<13>Nov 24 10:00:00 h app[1]: Failed password for root from 192.0.2.1 port 22 ssh2",
          "<4>Nov 24 10:00:00 fw kernel: ACCEPT IN=eth0 OUT= SRC=10.0.0.1 DST=10.0.0.2 LEN=60 PROTO=TCP SPT=1 DPT=2 SYN",
          "<134>fw filterlog: rule 12/0(match): block in on em0: 203.0.113.9.51234 > 192.0.2.1.22: Flags [S]",
          '<134>fw x: action=deny srcip=10.0.0.1 dstip=10.0.0.2 user="a b" sentbyte=100 rcvdbyte=200',
        ),
      ],
      [
        "json",
        texts(
          '{"message":"a","time":"2026-11-24T10:00:00Z","src":"10.0.0.1","bytes":17,"host":"h","user":"u","n":[1,{"x":null}]}',
          '{"severity":"err","app":"a","process":"1","event":"e","interface":"i","packets":"5","dstPort":"80","protocol":"6"}',
        ),
      ],
      [
        "packet",
        texts(
          '{"what":"dns","timeUs":1764331200000000,"event":"NOERROR","outcome":"success","src":"10.0.0.1","dst":"10.0.0.53","srcPort":40000,"dstPort":53,"protocol":17,"addresses":["203.0.113.9"],"values":[["question","x.example"],["answer time","10"]]}',
          '{"what":"http","timeUs":1764331200000000,"event":"GET","outcome":"failure","src":"10.0.0.1","dst":"10.0.0.53","srcPort":1,"dstPort":80,"protocol":6,"addresses":[],"values":[["request bytes","9223372036854775807"],["answer bytes","9"]]}',
        ),
      ],
      [
        "columns",
        texts(
          `${HEADERS[0]}\n2 1 eni-1 10.0.0.1 10.0.0.2 1 2 6 10 840 1732442400 1732442460 ACCEPT OK`,
          `${HEADERS[1]}\n1732442400,10.0.0.1,10.0.0.2,1,2,6,deny,10,2`,
        ),
      ],
    ];
  }

  next(): HostileInput {
    const r = this.random;
    if (r.int(0, 4) === 0) return { protocol: "flow", bytes: this.absurdFlow() };
    const [protocol, valid] = r.pick(this.valid);
    const input = r.pick(valid);
    const isText = protocol !== "flow" && protocol !== "snmp";
    return { protocol, bytes: isText && r.int(0, 2) > 0 ? this.spliced(input) : this.damaged(input) };
  }

  /** A datagram that describes data with any lengths, and holds any values. */
  private absurdFlow(): Uint8Array {
    const r = this.random;
    const fields = Array.from({ length: r.int(1, 12) }, () => [r.pick(ELEMENTS), r.pick(LENGTHS)]);
    const isOption = r.int(0, 3) === 0;
    const octets = fields.reduce((sum, [, length]) => sum + length!, 0);
    const data = new Uint8Array(octets * r.int(1, 3));
    for (let i = 0; i < data.length; i++) data[i] = r.pick(OCTETS);
    const id = r.int(256, 300);
    const head = { exportSeconds: Math.floor(this.atUs / 1e6), sequence: this.sequence++, domain: r.int(0, 3) };
    if (r.int(0, 1) === 0) {
      const template = isOption ? optionsOf9(id, fields) : flowSet(0, templateBody(id, fields));
      return v9Message({ ...head, uptimeMs: r.pick([0, 4_294_967_295, 100_000]) }, template, flowSet(id, data));
    }
    const template = isOption ? optionsOf10(id, fields) : flowSet(2, templateBody(id, fields));
    return ipfixMessage(head, template, flowSet(id, data));
  }

  /** A text with things put in, or in place of a part. */
  private spliced(valid: Uint8Array): Uint8Array {
    const r = this.random;
    let text = new TextDecoder().decode(valid);
    for (let i = r.int(1, 3); i > 0; i--) {
      const at = r.int(0, text.length);
      text = text.slice(0, at) + r.pick(TOKENS) + text.slice(at + r.pick([0, 0, 1, 5, 20]));
    }
    return this.text.encode(text);
  }

  /** Cut, bits flipped, octets put in, noise. */
  damaged(valid: Uint8Array): Uint8Array {
    const r = this.random;
    const kind = r.int(0, 9);
    if (kind === 0) return Uint8Array.from({ length: r.int(0, 200) }, () => r.int(0, 255));
    if (kind < 4) return valid.slice(0, r.int(0, valid.length));
    const out = valid.slice();
    for (let i = r.int(1, 6); i > 0; i--) out[r.int(0, out.length - 1)]! ^= 1 << r.int(0, 7);
    if (kind <= 7) return out;
    const at = r.int(0, out.length);
    return Uint8Array.from([
      ...out.subarray(0, at),
      ...Array.from({ length: r.int(1, 8) }, () => r.int(0, 255)),
      ...out.subarray(at),
    ]);
  }
}

/** RFC 3954 section 6.1: scope and option lengths are octets of the template. */
function optionsOf9(id: number, fields: readonly (readonly number[])[]): Uint8Array {
  const body = templateBody(id, fields).subarray(4);
  return flowSet(1, Uint8Array.from([id >> 8, id & 255, 0, 4, 0, body.length - 4, ...body]));
}

/** RFC 7011 section 3.4.2.2: the count of scope fields follows the count of fields. */
function optionsOf10(id: number, fields: readonly (readonly number[])[]): Uint8Array {
  const body = templateBody(id, fields).subarray(4);
  return flowSet(3, Uint8Array.from([id >> 8, id & 255, 0, fields.length, 0, 1, ...body]));
}
