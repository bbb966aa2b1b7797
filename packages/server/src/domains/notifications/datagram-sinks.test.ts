import { Channel, type SnmpChannel, type SyslogChannel } from "@halvik/core/respond/notify";
import snmp from "net-snmp";
import { nowUs } from "../../kernel/clock.js";
import { type Heard, startSnmpSink, startSyslogSink } from "./datagram-sinks.js";
import { sendSnmp } from "./ways/snmp.js";
import { sendSyslog } from "./ways/syslog.js";
import type { Outgoing } from "./ways/way.js";

const message: Outgoing = {
  id: "6f0c0000-0000-4000-8000-000000000002",
  tells: "clear",
  notification: "duty",
  write: () => ({ subject: "over: a ] quoted “thing”", text: "", html: "", language: "en" }),
  about: [],
  thread: null,
  acknowledgeUrl: null,
  reached: [],
};
const allowed = ["127.0.0.1"];
const until = async (heard: readonly Heard[], n: number) => {
  for (let i = 0; i < 200 && heard.length < n; i++) await new Promise((r) => setTimeout(r, 10));
};

test("the stand-in receiver of syslog reads what is sent over UDP and TCP", async () => {
  const heard: Heard[] = [];
  const sink = await startSyslogSink(0, (h) => heard.push(h));
  for (const transport of ["udp", "tcp"]) {
    const channel = { kind: "syslog", name: "logs", host: "127.0.0.1", port: sink.port, transport };
    const sending = { channel: Channel.parse(channel) as SyslogChannel, allowed, nowUs };
    expect(await sendSyslog(sending, message)).toEqual({ ok: true });
  }
  await until(heard, 2);
  await sink.stop();
  const one = { id: message.id, tells: "clear", text: "over: a ] quoted “thing”" };
  expect(heard).toEqual([one, one]);
});

test("the stand-in receiver of SNMP takes what is its own, and says what it refuses", async () => {
  const heard: Heard[] = [];
  const refused: string[] = [];
  const port = 20_000 + (process.pid % 20_000);
  const user = {
    name: "duty",
    level: snmp.SecurityLevel.authPriv,
    authProtocol: snmp.AuthProtocols.sha256,
    authKey: "harbour wall",
    privProtocol: snmp.PrivProtocols.aes,
    privKey: "tide table",
  };
  const sink = startSnmpSink(
    port,
    { user },
    (h) => heard.push(h),
    (why) => refused.push(why),
  );
  const send = (secret: string) =>
    sendSnmp(
      {
        channel: Channel.parse({
          kind: "snmp",
          name: "nms",
          host: "127.0.0.1",
          port,
          version: "v3",
          user: "duty",
        }) as SnmpChannel,
        secret,
        privacySecret: "tide table",
        allowed,
        node: "one",
        nowUs,
      },
      message,
    );
  await send("harbour wall");
  await until(heard, 1);
  await send("another wall");
  for (let i = 0; i < 200 && refused.length === 0; i++) await new Promise((r) => setTimeout(r, 10));
  await sink.stop();
  expect(heard).toMatchObject([{ id: message.id, tells: "clear" }]);
  expect(heard[0]!.text).toContain("over: a ] quoted “thing”");
  expect(refused.length).toBe(1);
});
