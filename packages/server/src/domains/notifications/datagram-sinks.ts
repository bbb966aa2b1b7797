import { createSocket } from "node:dgram";
import { createServer } from "node:net";
import { hexOf } from "@halvik/core/decode/snmp";
import { syslogRecord } from "@halvik/core/normalise";
import { MIB_ROOT } from "@halvik/core/respond/notify";
import snmp, { type User } from "net-snmp";
import { nowUs } from "../../kernel/clock.js";

/** What a stand-in receiver got: the message's id, what it tells, and the rest in words. */
export interface Heard {
  readonly id: string;
  readonly tells: string;
  readonly text: string;
}

interface Sink {
  readonly port: number;
  readonly stop: () => Promise<void>;
}

const FRAME_MOST = 65_536;
const SNMP_TRAP_OID = "1.3.6.1.6.3.1.1.4.1.0";
const NOTIFICATIONS = ["raise", "update", "clear", "reminder", "escalation", "test", "report"];

/** A stand-in receiver of syslog on loopback, over UDP and, counted in octets, over TCP (RFC 5426, RFC 6587). It sends nothing on. */
export async function startSyslogSink(port: number, onHeard: (heard: Heard) => void): Promise<Sink> {
  const hear = (line: Buffer) => {
    const { content } = syslogRecord(line, { receivedUs: nowUs(), zone: "UTC", clockOffsetUs: 0 });
    const id = content.data.find(([name]) => name.endsWith(" id") || name === "id")?.[1] ?? "";
    onHeard({ id, tells: content.event ?? "", text: content.text });
  };
  const tcp = createServer((socket) => {
    let waiting = Buffer.alloc(0);
    socket.on("error", () => undefined);
    socket.on("data", (part) => {
      waiting = Buffer.concat([waiting, part]);
      for (;;) {
        const counted = /^(\d{1,5}) /.exec(waiting.subarray(0, 6).toString("latin1"));
        const length = Number(counted?.[1] ?? 0);
        if (counted === null ? waiting.length > 6 : length > FRAME_MOST) return void socket.destroy();
        if (counted === null || waiting.length < counted[0].length + length) return;
        hear(waiting.subarray(counted[0].length, counted[0].length + length));
        waiting = waiting.subarray(counted[0].length + length);
      }
    });
    socket.on("end", () => socket.end());
  });
  await new Promise<void>((ready, failed) => tcp.once("error", failed).listen(port, "127.0.0.1", ready));
  const bound = (tcp.address() as { port: number }).port;
  const udp = createSocket("udp4").on("message", hear);
  await new Promise<void>((ready, failed) => udp.once("error", failed).bind(bound, "127.0.0.1", ready));
  return {
    port: bound,
    stop: async () => {
      udp.close();
      await new Promise<void>((done) => tcp.close(() => done()));
    },
  };
}

/** What a stand-in receiver of SNMP takes: messages of a community, or of a user of v3. */
export type SnmpAccess = { readonly community: string } | { readonly user: User };

/** A stand-in receiver of SNMP notifications on loopback: takes traps, answers informs, and sends nothing on. */
export function startSnmpSink(
  port: number,
  access: SnmpAccess,
  onHeard: (heard: Heard) => void,
  onRefused: (why: string) => void,
): Sink {
  const receiver = snmp.createReceiver({ port, address: "127.0.0.1" }, (failed, got) => {
    if (failed) return onRefused(failed.message);
    const said = got.pdu.varbinds.map((v) => [v.oid, textOf(v.value)] as const);
    const values = new Map(said);
    const number = Number((values.get(SNMP_TRAP_OID) ?? "").slice(`${MIB_ROOT}.0.`.length));
    onHeard({
      id: values.get(`${MIB_ROOT}.1.1.0`) ?? "",
      tells: NOTIFICATIONS[number - 1] ?? values.get(SNMP_TRAP_OID) ?? "",
      text: said.map(([oid, value]) => `${oid}=${value}`).join(" "),
    });
  });
  if ("community" in access) receiver.getAuthorizer().addCommunity(access.community);
  else receiver.getAuthorizer().addUser(access.user);
  return { port, stop: () => new Promise((done) => receiver.close(done)) };
}

/** Octets as text, where they are one. */
function textOf(value: unknown): string {
  if (!Buffer.isBuffer(value)) return String(value);
  const text = value.toString("utf8");
  return text.includes("\ufffd") ? hexOf(value) : text;
}
