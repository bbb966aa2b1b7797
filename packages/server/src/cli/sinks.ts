import { SNMP_HASHES } from "@halvik/core/respond/notify";
import { Command, InvalidArgumentError, Option } from "commander";
import snmp from "net-snmp";
import { type Heard, startSnmpSink, startSyslogSink } from "../domains/notifications/datagram-sinks.js";
import { startHookSink } from "../domains/notifications/hook-sink.js";

/** Stand-in receivers of notifications, one a command, that print what comes. */

const portOf =
  (least: number) =>
  (text: string): number => {
    const port = Number(text);
    if (!Number.isInteger(port) || port < least || port > 65_535) throw new InvalidArgumentError("expected a port");
    return port;
  };

/** What anybody may have sent, without what a terminal would obey. */
const shown = (text: string): string =>
  text.replace(/[\p{Cc}\p{Cf}]/gu, (c) => `\\u${c.codePointAt(0)!.toString(16).padStart(4, "0")}`);
const print = (...parts: readonly string[]) => console.log(parts.map(shown).filter(Boolean).join(" "));
const printHeard = ({ id, tells, text }: Heard) => print(id, tells, text);

/** Until somebody ends it. */
function stopAtEnd(stop: () => Promise<void>): void {
  const end = () => void stop().then(() => process.exit(0));
  process.once("SIGTERM", end);
  process.once("SIGINT", end);
}

export const hookSinkCommand = (): Command =>
  new Command("hook-sink")
    .option("--port <port>", "where it listens on loopback; 0: any", portOf(0), 8_482)
    .option("--secret <secret>", "checks signatures made with it", "")
    .action(async ({ port, secret }: { port: number; secret: string }) => {
      const sink = await startHookSink(port, secret, ({ id, body, wrong }) =>
        print(id, wrong !== "" ? `refused: ${wrong}` : secret === "" ? "" : "signed", body),
      );
      console.log(`Takes notifications at http://127.0.0.1:${sink.port}/ and prints them`);
      stopAtEnd(sink.stop);
    });

export const syslogSinkCommand = (): Command =>
  new Command("syslog-sink")
    .option("--port <port>", "where it listens on loopback, UDP and TCP; 0: any", portOf(0), 8_514)
    .action(async ({ port }: { port: number }) => {
      const sink = await startSyslogSink(port, printHeard);
      console.log(`Takes syslog at 127.0.0.1:${sink.port}, UDP and TCP, and prints it`);
      stopAtEnd(sink.stop);
    });

interface SnmpOptions {
  readonly port: number;
  readonly community: string;
  readonly user?: string;
  readonly hash: (typeof SNMP_HASHES)[number];
  readonly auth?: string;
  readonly privacy?: string;
}

export const snmpSinkCommand = (): Command =>
  new Command("snmp-sink")
    .option("--port <port>", "where it listens on loopback", portOf(1), 8_162)
    .option("--community <community>", "takes v2c messages of it", "public")
    .option("--user <name>", "takes v3 messages of this user instead")
    .addOption(new Option("--hash <hash>", "that they are authenticated with").choices(SNMP_HASHES).default("sha256"))
    .option("--auth <phrase>", "the user's authentication pass phrase")
    .option("--privacy <phrase>", "the user's privacy pass phrase (AES-128)")
    .action((o: SnmpOptions) => {
      const level = o.auth === undefined ? "noAuthNoPriv" : o.privacy === undefined ? "authNoPriv" : "authPriv";
      const { SecurityLevel, AuthProtocols, PrivProtocols } = snmp;
      const user = {
        name: o.user ?? "",
        level: SecurityLevel[level],
        ...(o.auth === undefined
          ? {}
          : { authProtocol: AuthProtocols[o.hash === "sha1" ? "sha" : o.hash], authKey: o.auth }),
        ...(level === "authPriv" ? { privProtocol: PrivProtocols.aes, privKey: o.privacy! } : {}),
      };
      const access = o.user === undefined ? { community: o.community } : { user };
      const sink = startSnmpSink(o.port, access, printHeard, (why) => print("refused:", why));
      console.log(`Takes SNMP notifications at 127.0.0.1:${sink.port} and prints them`);
      stopAtEnd(sink.stop);
    });
