import {
  EndpointChange,
  EndpointList,
  type EndpointSettings,
  EntityId,
  NewEndpoint,
  NewSnmpUser,
  SnmpUserList,
} from "@halvik/contract";
import { canonicalAddress } from "@halvik/core/base/net";
import { formatUs } from "@halvik/core/base/time";
import { usmUser } from "@halvik/core/decode/snmp";
import { z } from "zod";
import type { Deps } from "../../../edges/http/deps.js";
import { AppError } from "../../../edges/http/errors.js";
import { route } from "../../../edges/http/route.js";
import { inAct } from "../../../kernel/db/unit-of-work.js";
import { fingerprintOf } from "../../../kernel/files/tls-identity.js";
import type { Actor } from "../../people/people.js";
import { nodeSnmpCrypto } from "../pipeline/snmp-crypto.js";
import {
  addEndpoint,
  changeEndpoint,
  EndpointConflict,
  loadEndpoints,
  removeEndpoint,
  saveSnmpUser,
} from "./repository.js";

const params = z.object({ id: EntityId });

/** Settings fit for everyone's eyes: a community is what SNMP v1 and v2c have for a password. */
const withoutSecrets = (settings: EndpointSettings): EndpointSettings =>
  settings.communities === undefined ? settings : { ...settings, communities: settings.communities.map(() => "•••") };

/** What Halvik listens to: seen, added, changed, stopped; and the users of SNMPv3. */
export const endpointRoutes = ({ db, config, certificate }: Deps) => {
  const list = async (may: Actor["may"]) => {
    const configs = await loadEndpoints(db, config);
    const settings = await db.query<{ id: number; port_setting: string | null }>(
      "select id, case when port is null then port_setting end as port_setting from endpoint_config",
    );
    const live = await db.query<{ name: string; state: string; detail: string; counters: Record<string, number> }>(
      "select name, state, detail, counters from endpoint",
    );
    const samples = await db.query<{
      endpoint: string;
      at_us: number;
      peer: string;
      code: string;
      message: string;
      byte_offset: number;
      sample: Buffer;
    }>("select endpoint, at_us, peer, code, message, byte_offset, sample from undecodable order by id desc limit 400");
    return {
      fingerprint: fingerprint(),
      endpoints: configs.map((c) => {
        const status = live.rows.find((r) => r.name === c.name);
        return {
          ...c,
          settings: may === "act" ? c.settings : withoutSecrets(c.settings),
          portSetting: settings.rows.find((r) => r.id === c.id)?.port_setting ?? null,
          state: c.enabled ? (status?.state ?? "starting") : "stopped",
          detail: status?.detail ?? "",
          counters: status?.counters ?? {},
          samples: samples.rows
            .filter((s) => s.endpoint === c.name)
            .slice(0, 10)
            .map((s) => ({
              at: formatUs(s.at_us),
              peer: s.peer,
              code: s.code,
              message: s.message,
              offset: s.byte_offset,
              hex: s.sample.toString("hex"),
            })),
        };
      }),
    };
  };

  const fingerprint = (): string | null => certificate && fingerprintOf(certificate);

  const nameOf = async (id: number): Promise<string> => {
    const { rows } = await db.query<{ name: string }>("select name from endpoint_config where id = $1", [id]);
    if (!rows[0]) throw new AppError("NOT_FOUND", `there is no endpoint ${id}`);
    return rows[0].name;
  };

  const users = async () => {
    const { rows } = await db.query<{
      name: string;
      auth_protocol: string | null;
      priv_protocol: string | null;
      sender: string | null;
    }>(
      "select u.name, auth_protocol, priv_protocol, s.name as sender from snmp_user u left join sender s on s.id = u.sender order by u.name",
    );
    return {
      users: rows.map((u) => ({
        name: u.name,
        authProtocol: u.auth_protocol,
        privProtocol: u.priv_protocol,
        sender: u.sender,
      })),
    };
  };

  return [
    route({
      method: "get",
      path: "/endpoints",
      summary: "What Halvik listens to, with counters and the last samples of what could not be read",
      access: "read",
      answer: EndpointList,
      handle: ({ actor }) => list(actor.may),
    }),
    route({
      method: "get",
      path: "/certificate.pem",
      summary: "The certificate that TLS syslog, HTTPS intake and the interface show: what senders are to trust",
      access: "open",
      answer: { type: "application/x-pem-file" },
      handle: async ({ res }) => {
        if (certificate === null)
          throw new AppError("NOT_FOUND", "there is no certificate yet: it is made at the first start");
        res.type("application/x-pem-file").attachment("halvik.pem").send(certificate);
        return undefined;
      },
    }),
    route({
      method: "post",
      path: "/endpoints",
      summary: "Listens to something more",
      access: "act",
      body: NewEndpoint,
      answer: EndpointList,
      handle: async ({ body, actor }) => {
        const host = readHost(body.host);
        await inAct(db, actor.name, async (act) => {
          await conflicts(() => addEndpoint(act.db, { ...body, host, settings: body.settings ?? {} }));
          await act.audit("endpoint added", { name: body.name, kind: body.kind, port: body.port });
        });
        return list("act");
      },
    }),
    route({
      method: "patch",
      path: "/endpoints/{id}",
      summary: "Changes, stops or starts an endpoint; it takes effect within a second",
      access: "act",
      params,
      body: EndpointChange,
      answer: EndpointList,
      handle: async ({ params: { id }, body, actor }) => {
        await inAct(db, actor.name, async (act) => {
          const name = await nameOf(id);
          const { host, port, enabled, settings } = body;
          await changeEndpoint(act.db, name, {
            ...(host === undefined ? {} : { host: readHost(host)! }),
            ...(port === undefined ? {} : { port }),
            ...(enabled === undefined ? {} : { enabled }),
            ...(settings === undefined ? {} : { settings }),
          });
          await act.audit("endpoint changed", {
            name,
            ...body,
            ...(settings && { settings: withoutSecrets(settings) }),
          });
        });
        return list("act");
      },
    }),
    route({
      method: "delete",
      path: "/endpoints/{id}",
      summary: "Forgets an endpoint that someone added",
      access: "act",
      params,
      answer: EndpointList,
      handle: async ({ params: { id }, actor }) => {
        await inAct(db, actor.name, async (act) => {
          const name = await nameOf(id);
          await conflicts(() => removeEndpoint(act.db, name));
          await act.audit("endpoint removed", { name });
        });
        return list("act");
      },
    }),
    route({
      method: "get",
      path: "/snmp-users",
      summary: "Users of SNMPv3 notifications",
      access: "read",
      answer: SnmpUserList,
      handle: users,
    }),
    route({
      method: "post",
      path: "/snmp-users",
      summary: "Makes a user, or gives one new passwords; they become keys and are not kept",
      access: "act",
      body: NewSnmpUser,
      answer: SnmpUserList,
      handle: async ({ body, actor }) => {
        await inAct(db, actor.name, async (act) => {
          await conflicts(() => saveSnmpUser(act.db, usmUser(nodeSnmpCrypto, body), body.sender ?? null));
          await act.audit("SNMP user made", { name: body.name });
        });
        return users();
      },
    }),
    route({
      method: "delete",
      path: "/snmp-users/{name}",
      summary: "Forgets a user",
      access: "act",
      params: z.object({ name: z.string().min(1).max(32) }),
      answer: SnmpUserList,
      handle: async ({ params: { name }, actor }) => {
        await inAct(db, actor.name, async (act) => {
          await act.db.query("delete from snmp_user where name = $1", [name]);
          await act.audit("SNMP user removed", { name });
        });
        return users();
      },
    }),
  ];
};

function readHost(host: string | undefined): string | null {
  if (host === undefined || host === "") return null;
  const address = canonicalAddress(host);
  if (address === null && host !== "::" && host !== "localhost")
    throw new AppError("BAD_REQUEST", `host: expected an address to listen on, got “${host}”`, { field: "host" });
  return address ?? host;
}

async function conflicts(work: () => Promise<void>): Promise<void> {
  try {
    await work();
  } catch (e) {
    if (e instanceof EndpointConflict) throw new AppError("CONFLICT", e.message);
    throw e;
  }
}
