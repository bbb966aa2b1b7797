import { type EndpointKind, PacketSettings } from "@halvik/contract/kinds";
import { JsonMapping } from "@halvik/core/decode/json";
import { AUTH_PROTOCOLS, PRIV_PROTOCOLS, usmUser } from "@halvik/core/decode/snmp";
import { Command, Option } from "commander";
import {
  addEndpoint,
  changeEndpoint,
  ENDPOINT_KINDS,
  listSnmpUsers,
  loadEndpoints,
  removeEndpoint,
  removeSnmpUser,
  saveSnmpUser,
} from "../domains/intake/endpoints/repository.js";
import { nodeSnmpCrypto } from "../kernel/snmp-crypto.js";
import { withAct, withDb } from "./context.js";

interface EndpointOptions {
  readonly kind?: EndpointKind;
  readonly host?: string;
  readonly port?: string;
  readonly community?: string[];
  readonly client?: string[];
  readonly clientsOnly?: boolean;
  readonly mapping?: string;
  readonly interface?: string;
  readonly filter?: string;
  readonly mirror?: boolean;
  readonly as?: string;
}

const change = (name: string, what: Parameters<typeof changeEndpoint>[2], said: string) =>
  withAct(async (act) => {
    await changeEndpoint(act.db, name, what);
    await act.audit(`endpoint ${said}`, { name });
  });

export const endpointsCommand = (): Command =>
  new Command("endpoints")
    .addCommand(
      new Command("list").description("list the endpoints").action(() =>
        withDb(async (db, config) => {
          for (const e of await loadEndpoints(db, config))
            console.log([e.name, e.kind, `${e.host}:${e.port}`, e.enabled ? "enabled" : "stopped"].join("\t"));
        }),
      ),
    )
    .addCommand(
      withSettings(new Command("add").description("add an endpoint").argument("<name>"))
        .addOption(new Option("--kind <kind>", "kind of endpoint").choices(ENDPOINT_KINDS).makeOptionMandatory())
        .action((name: string, o: EndpointOptions) =>
          withAct(async (act) => {
            if (o.kind === "packets" && o.interface === undefined)
              throw new Error("--interface: name the interface whose packets are read");
            if (o.kind !== "packets" && o.port === undefined) throw new Error("--port: name the port to listen on");
            await addEndpoint(act.db, {
              name,
              kind: o.kind!,
              host: o.host ?? null,
              port: o.port === undefined ? 0 : readPort(o.port),
              settings: settingsOf(o),
            });
            await act.audit("endpoint added", { name, kind: o.kind });
          }),
        ),
    )
    .addCommand(
      withSettings(new Command("set").description("change an endpoint").argument("<name>")).action(
        (name: string, o: EndpointOptions) =>
          change(
            name,
            {
              ...(o.port === undefined ? {} : { port: readPort(o.port) }),
              ...(o.host === undefined ? {} : { host: o.host }),
              settings: settingsOf(o),
            },
            "changed",
          ),
      ),
    )
    .addCommand(
      new Command("stop")
        .description("stop listening")
        .argument("<name>")
        .action((name: string) => change(name, { enabled: false }, "stopped")),
    )
    .addCommand(
      new Command("start")
        .description("listen again")
        .argument("<name>")
        .action((name: string) => change(name, { enabled: true }, "started")),
    )
    .addCommand(
      new Command("remove")
        .description("delete an endpoint")
        .argument("<name>")
        .action((name: string) =>
          withAct(async (act) => {
            await removeEndpoint(act.db, name);
            await act.audit("endpoint removed", { name });
          }),
        ),
    );

function withSettings(command: Command): Command {
  return command
    .option("--host <address>", "address to listen on (default: HALVIK_LISTEN_HOST)")
    .option("--port <n>", "port to listen on")
    .option("--community <text...>", "SNMP: communities that may speak")
    .option("--client <fingerprint=address...>", "syslog over TLS: which sender a certificate is, by its SHA-256")
    .option("--clients-only", "syslog over TLS: refuse peers without such a certificate")
    .option("--interface <name>", "packets: the interface whose packets are read")
    .option("--filter <expression>", "packets: which, as pcap-filter(7) says it")
    .option("--mirror", "packets: those to others too, at a port of a switch that mirrors")
    .option("--as <address>", "packets: the sender of their records (default: 127.0.0.1)")
    .option("--mapping <json>", 'HTTPS: what JSON values become, such as {"src":"client.ip"}');
}

function settingsOf(o: EndpointOptions) {
  const clients = o.client?.map((text) => {
    const equals = text.indexOf("=");
    if (equals < 1) throw new Error(`--client: expected FINGERPRINT=ADDRESS, got "${text}"`);
    return [text.slice(0, equals).replaceAll(":", "").toLowerCase(), text.slice(equals + 1)] as const;
  });
  return {
    ...(o.community ? { communities: o.community } : {}),
    ...(clients ? { clients: Object.fromEntries(clients) } : {}),
    ...(o.interface === undefined
      ? {}
      : {
          packets: PacketSettings.parse({
            interface: o.interface,
            ...(o.filter === undefined ? {} : { filter: o.filter }),
            ...(o.mirror ? { mirror: true } : {}),
            ...(o.as === undefined ? {} : { as: o.as }),
          }),
        }),
    ...(o.clientsOnly ? { clientsOnly: true } : {}),
    ...(o.mapping === undefined ? {} : { mapping: JsonMapping.parse(JSON.parse(o.mapping)) }),
  };
}

function readPort(text: string): number {
  const port = /^\d{1,5}$/.test(text) ? Number(text) : -1;
  if (port < 0 || port > 65_535) throw new Error(`--port: expected 0 to 65535, got "${text}"`);
  return port;
}

interface UserOptions {
  readonly auth?: (typeof AUTH_PROTOCOLS)[number];
  readonly authPassword?: string;
  readonly priv?: (typeof PRIV_PROTOCOLS)[number];
  readonly privPassword?: string;
  readonly sender?: string;
}

export const snmpUsersCommand = (): Command =>
  new Command("snmp-users")
    .addCommand(
      new Command("add")
        .description("make a user, or give one new passwords (at least 8 characters: RFC 3414 section 11.2)")
        .argument("<name>")
        .addOption(new Option("--auth <protocol>", "authentication").choices(AUTH_PROTOCOLS))
        .option("--auth-password <text>")
        .addOption(new Option("--priv <protocol>", "privacy").choices(PRIV_PROTOCOLS))
        .option("--priv-password <text>")
        .option("--sender <name>", "the only sender that may be this user")
        .action((name: string, o: UserOptions) =>
          withAct(async (act) => {
            for (const [flag, text] of [
              ["--auth-password", o.authPassword],
              ["--priv-password", o.privPassword],
            ] as const)
              if (text !== undefined && text.length < 8) throw new Error(`${flag}: expected at least 8 characters`);
            if (
              (o.auth === undefined) !== (o.authPassword === undefined) ||
              (o.priv === undefined) !== (o.privPassword === undefined)
            )
              throw new Error("a protocol and its password go together");
            if (o.priv !== undefined && o.auth === undefined)
              throw new Error("--priv: privacy needs authentication too");
            await saveSnmpUser(
              act.db,
              usmUser(nodeSnmpCrypto, {
                name,
                authProtocol: o.auth,
                authPassword: o.authPassword,
                privProtocol: o.priv,
                privPassword: o.privPassword,
              }),
              o.sender ?? null,
            );
            await act.audit("SNMP user made", { name });
          }),
        ),
    )
    .addCommand(
      new Command("remove")
        .description("delete a user")
        .argument("<name>")
        .action((name: string) =>
          withAct(async (act) => {
            if (!(await removeSnmpUser(act.db, name))) throw new Error(`there is no SNMP user “${name}”`);
            await act.audit("SNMP user removed", { name });
          }),
        ),
    )
    .addCommand(
      new Command("list").description("list the users").action(() =>
        withDb(async (db) => {
          for (const u of await listSnmpUsers(db))
            console.log([u.name, u.authProtocol ?? "no authentication", u.privProtocol ?? "no privacy"].join("\t"));
        }),
      ),
    );
