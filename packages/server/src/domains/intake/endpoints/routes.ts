import { EntityId } from "@halvik/contract/common";
import {
  AdmitCommunity,
  CommunityParams,
  EndpointChange,
  EndpointList,
  type EndpointSettings,
  NewEndpoint,
  NewSnmpUser,
  SnmpUserList,
} from "@halvik/contract/kinds";
import { type Likeness, looksLike } from "@halvik/core/assure";
import { canonicalAddress } from "@halvik/core/base/net";
import { formatUs } from "@halvik/core/base/time";
import { usmUser } from "@halvik/core/decode/snmp";
import * as z from "zod";
import type { Actor } from "../../../kernel/actor.js";
import type { Config } from "../../../kernel/config/config.js";
import type { Models } from "../../../kernel/db/models.js";
import type { Pool } from "../../../kernel/db/pool.js";
import { inAct } from "../../../kernel/db/unit-of-work.js";
import { AppError } from "../../../kernel/http/errors.js";
import { route } from "../../../kernel/http/route.js";
import { nodeSnmpCrypto } from "../../../kernel/snmp-crypto.js";
import { fingerprintOf } from "../../../kernel/tls/tls-identity.js";
import { admitCommunity, communityDigest, maskCommunity, shownCommunities, takeOutCommunity } from "./communities.js";
import { refusedCommunity } from "./communities-repository.js";
import {
  addEndpoint,
  changeEndpoint,
  EndpointConflict,
  endpointName,
  endpointStates,
  listSnmpUsers,
  loadEndpoints,
  portSettings,
  removeEndpoint,
  removeSnmpUser,
  saveSnmpUser,
  undecodableSamples,
} from "./repository.js";
import { tryEndpoint } from "./try-endpoint.js";
import { WINDOWS_SCRIPT, windowsScript, windowsScriptHash } from "./windows-script.js";

const params = z.object({ id: EntityId });

/** Settings fit for eyes: a community is what SNMP v1 and v2c have for a password. */
const withoutSecrets = ({ communities: _, admittedCommunities: __, ...settings }: EndpointSettings): EndpointSettings =>
  settings;

/** What these routes work with. */
interface Needs {
  readonly models: Models;
  readonly db: Pool;
  readonly config: Config;
  /** What TLS syslog, HTTPS intake and the interface show (PEM). */
  readonly certificate: string | null;
}

/** What Halvik listens to: seen, added, changed, stopped; and the users of SNMPv3. */
export const endpointRoutes = ({ models, db, config, certificate }: Needs) => {
  const list = async (may: Actor["may"]) => {
    const configs = await loadEndpoints(db, config);
    const settings = await portSettings(db);
    const states = await endpointStates(db);
    const samples = await undecodableSamples(db);
    return {
      fingerprint: fingerprint(),
      windowsScript: windowsScriptHash(),
      endpoints: configs.map((c) => {
        const status = states.get(c.name);
        return {
          ...c,
          settings: withoutSecrets(c.settings),
          communities:
            c.kind === "snmp"
              ? (shownCommunities(c.settings)?.map(({ digest, mask }) => ({
                  digest: may === "act" ? digest : null,
                  mask,
                })) ?? null)
              : null,
          refused: (status?.refused ?? []).map(({ digest, atUs, ...r }) => ({
            ...r,
            digest: may === "act" ? digest : null,
            at: formatUs(atUs),
          })),
          portSetting: settings.get(c.id) ?? null,
          state: c.enabled ? (status?.state ?? "starting") : "stopped",
          detail: status?.detail ?? "",
          counters: status?.counters ?? {},
          samples: samples
            .filter((s) => s.endpoint === c.name)
            .slice(0, 10)
            .map((s) => ({
              at: formatUs(s.atUs),
              peer: s.peer,
              code: s.code,
              message: s.message,
              offset: s.offset,
              hex: s.sample.toString("hex"),
              looksLike: likenessOf(s.sample),
            })),
        };
      }),
    };
  };

  const fingerprint = (): string | null => certificate && fingerprintOf(certificate);

  const nameOf = async (id: number): Promise<string> => {
    const name = await endpointName(db, id);
    if (name === null) throw new AppError("NOT_FOUND", `there is no endpoint ${id}`);
    return name;
  };

  const users = async () => ({ users: await listSnmpUsers(db) });

  return [
    route({
      method: "get",
      path: "/endpoints",
      summary: "Endpoints, with counters and the latest samples of what could not be decoded",
      access: "read",
      answer: EndpointList,
      handle: ({ actor }) => list(actor.may),
    }),
    route({
      method: "get",
      path: `/${WINDOWS_SCRIPT}`,
      summary: "The PowerShell script that sends the events of a Windows computer; its SHA-256 is among the endpoints",
      access: "open",
      answer: { type: "text/plain" },
      handle: async ({ res }) => {
        res.type("text/plain").attachment(WINDOWS_SCRIPT).send(windowsScript());
        return undefined;
      },
    }),
    route({
      method: "post",
      path: "/endpoints/{id}/try",
      summary: "Sends one message to an endpoint, as a device would, from this machine",
      access: "act",
      params,
      answer: EndpointList,
      handle: async ({ params: p, actor }) => {
        const endpoint = (await loadEndpoints(db, config)).find((e) => e.id === p.id);
        if (endpoint === undefined) throw new AppError("NOT_FOUND", `there is no endpoint ${p.id}`);
        await tryEndpoint(endpoint, actor.name, certificate);
        await inAct(models, actor.name, (act) => act.audit("endpoint tried", { name: endpoint.name }));
        return list(actor.may);
      },
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
        await inAct(models, actor.name, async (act) => {
          await conflicts(() =>
            addEndpoint(act.db, { ...body, host, port: body.port ?? 0, settings: body.settings ?? {} }),
          );
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
        await inAct(models, actor.name, async (act) => {
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
      method: "post",
      path: "/endpoints/{id}/communities",
      summary: "Admits an SNMP community at an endpoint: one that was refused, or one that is written",
      access: "act",
      params,
      body: AdmitCommunity,
      answer: EndpointList,
      handle: async ({ params: { id }, body, actor }) => {
        await inAct(models, actor.name, async (act) => {
          const name = await nameOf(id);
          const community =
            "digest" in body
              ? await refusedCommunity(act.db, name, body.digest)
              : { digest: communityDigest(body.community), mask: maskCommunity(body.community) };
          if (community === null)
            throw new AppError("NOT_FOUND", `no such community was refused at “${name}” lately: write it instead`);
          await admitCommunity(act.db, name, community);
          await act.audit("community admitted", { name, community: community.digest.slice(0, 6) });
        });
        return list("act");
      },
    }),
    route({
      method: "delete",
      path: "/endpoints/{id}/communities/{digest}",
      summary: "Takes an SNMP community out again: who speaks by it is refused",
      access: "act",
      params: CommunityParams,
      answer: EndpointList,
      handle: async ({ params: { id, digest }, actor }) => {
        await inAct(models, actor.name, async (act) => {
          const name = await nameOf(id);
          if (!(await takeOutCommunity(act.db, name, digest)))
            throw new AppError("NOT_FOUND", `no such community is admitted at “${name}”`);
          await act.audit("community taken out", { name, community: digest.slice(0, 6) });
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
        await inAct(models, actor.name, async (act) => {
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
        await inAct(models, actor.name, async (act) => {
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
        await inAct(models, actor.name, async (act) => {
          await removeSnmpUser(act.db, name);
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

function likenessOf(sample: Uint8Array): { what: string; way: Likeness["way"] } | null {
  const likeness = looksLike(sample);
  return likeness === null ? null : { what: likeness.what, way: likeness.way };
}
