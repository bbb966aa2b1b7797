import { JsonMapping } from "@halvik/core/decode/json";
import { AUTH_PROTOCOLS, PRIV_PROTOCOLS } from "@halvik/core/decode/snmp";
import { DOMAIN } from "@halvik/core/model/entity";
import { CATEGORIES, OUTCOMES } from "@halvik/core/model/record";
import * as z from "zod";
import { EntityId, TimeText } from "./common.js";

const Port = z.int().min(0).max(65_535);
const Name = z.string().trim().min(1, "a name is needed").max(80);

export const EndpointKind = z.enum(["syslog-udp", "syslog-tcp", "syslog-tls", "snmp", "flow", "https", "packets"]);
export type EndpointKind = z.infer<typeof EndpointKind>;
/** Those that a test message is sent to from Intake; what comes over HTTPS needs a token, packets come by themselves. */
export const TRIED_KINDS: readonly EndpointKind[] = ["syslog-udp", "syslog-tcp", "syslog-tls", "snmp", "flow"];

/** Which packets of this machine an endpoint reads, and how. */
export const PacketSettings = z.object({
  interface: z.string().regex(/^[A-Za-z0-9][A-Za-z0-9._:@-]{0,31}$/, "expected the name of an interface, such as eth0"),
  /** An expression of pcap-filter(7); empty: everything. */
  filter: z.string().trim().max(1_000).default(""),
  /** Octets of each packet that are read. */
  snap: z.int().min(64).max(262_144).default(2_048),
  /** Packets to others too: the interface is at a port of a switch that mirrors. */
  mirror: z.boolean().default(false),
  /** What stands behind the ? of requests is kept. */
  keepQueries: z.boolean().default(false),
  /** The sender that what they tell is heard from. */
  as: z.ipv4().or(z.ipv6()).default("127.0.0.1"),
});

const CommunityDigest = z.string().regex(/^[0-9a-f]{32}$/, "expected what a community is known by");
/** A community that shall be admitted: one that was refused, by what it is known by, or by itself. */
export const AdmitCommunity = z.union([
  z.strictObject({ digest: CommunityDigest }),
  z.strictObject({ community: z.string().min(1).max(200) }),
]);
export const CommunityParams = z.object({ id: EntityId, digest: CommunityDigest });

/** What a kind of endpoint can be told beyond address and port. */
export const EndpointSettings = z.object({
  /** SNMP: who may speak by v1 and v2c. Of an empty list nobody; without a list, as of endpoints from before there were any, everybody. */
  communities: z.array(z.string().min(1).max(200)).max(100).optional(),
  /** SNMP: communities that were admitted on Intake, by what they are known by, and their first letter. */
  admittedCommunities: z
    .array(z.object({ digest: CommunityDigest, mask: z.string().max(16) }))
    .max(100)
    .optional(),
  /** Syslog over TLS: sender addresses by the SHA-256 fingerprint of their certificate. */
  clients: z.record(z.string().regex(/^[0-9a-f]{64}$/, "expected a SHA-256 fingerprint in hex"), z.string()).optional(),
  clientsOnly: z.boolean().optional(),
  /** HTTPS: what JSON values become. */
  mapping: JsonMapping.optional(),
  packets: PacketSettings.optional(),
});
export type EndpointSettings = z.infer<typeof EndpointSettings>;

export const EndpointJson = z
  .object({
    id: z.int(),
    name: z.string(),
    kind: EndpointKind,
    host: z.string(),
    port: Port,
    /** Its port is the configuration's until someone sets another. */
    portSetting: z.string().nullable(),
    enabled: z.boolean(),
    settings: EndpointSettings,
    state: z.string(),
    detail: z.string(),
    counters: z.record(z.string(), z.number()),
    /** SNMP: who may speak by v1 and v2c; null: anybody. A community is never shown whole. */
    communities: z.array(z.object({ digest: z.string().nullable(), mask: z.string() })).nullable(),
    /** SNMP: communities nobody admitted, the latest first. */
    refused: z.array(
      z.object({
        /** What admits it; null for whoever may not. */
        digest: z.string().nullable(),
        /** Its first letter. */
        mask: z.string(),
        /** Who spoke by it last, how often anybody did, and when. */
        peer: z.string(),
        count: z.int(),
        at: TimeText,
      }),
    ),
    /** The last things that could not be read. */
    samples: z.array(
      z.object({
        at: TimeText,
        peer: z.string(),
        code: z.string(),
        message: z.string(),
        offset: z.int(),
        hex: z.string(),
        /** What it probably is, and by which kind of endpoint such is heard. */
        looksLike: z.object({ what: z.string(), way: EndpointKind.nullable() }).nullable(),
      }),
    ),
  })
  .meta({ id: "Endpoint" });
export type EndpointJson = z.infer<typeof EndpointJson>;

export const EndpointList = z.object({
  endpoints: z.array(EndpointJson),
  /** SHA-256 of the certificate of TLS syslog and HTTPS, for senders to expect; null before the first start. */
  fingerprint: z.string().nullable(),
  /** SHA-256 of the script that sends the events of a Windows computer. */
  windowsScript: z.string(),
});
export type EndpointList = z.infer<typeof EndpointList>;

export const NewEndpoint = z
  .object({
    name: Name,
    kind: EndpointKind,
    host: z.string().max(64).optional(),
    port: Port.optional(),
    settings: EndpointSettings.optional(),
  })
  .refine((e) => e.kind !== "packets" || e.settings?.packets !== undefined, {
    path: ["settings", "packets"],
    message: "name the interface whose packets are read",
  })
  .refine((e) => e.kind === "packets" || e.port !== undefined, { path: ["port"], message: "name a port" });
export const EndpointChange = z.object({
  host: z.string().min(1).max(64).optional(),
  port: Port.optional(),
  enabled: z.boolean().optional(),
  settings: EndpointSettings.optional(),
});

const password = z.string().min(8, "at least 8 characters (RFC 3414 section 11.2)").max(200);
export const NewSnmpUser = z
  .object({
    name: z.string().trim().min(1).max(32),
    authProtocol: z.enum(AUTH_PROTOCOLS).optional(),
    authPassword: password.optional(),
    privProtocol: z.enum(PRIV_PROTOCOLS).optional(),
    privPassword: password.optional(),
    /** The only sender that may be this user. */
    sender: z.string().trim().min(1).max(120).optional(),
  })
  .refine(
    (u) => (u.authProtocol === undefined) === (u.authPassword === undefined),
    "authentication needs protocol and password",
  )
  .refine(
    (u) => (u.privProtocol === undefined) === (u.privPassword === undefined),
    "privacy needs protocol and password",
  )
  .refine((u) => u.privProtocol === undefined || u.authProtocol !== undefined, "privacy needs authentication too");
export const SnmpUserList = z.object({
  users: z.array(
    z.object({
      name: z.string(),
      authProtocol: z.string().nullable(),
      privProtocol: z.string().nullable(),
      sender: z.string().nullable(),
    }),
  ),
});
export type SnmpUserList = z.infer<typeof SnmpUserList>;

const Severity = z.literal([0, 1, 2, 3, 4, 5, 6, 7]);
export const MeaningJson = z.object({
  kind: z.enum(["windows", "snmp", "syslog"]),
  code: z.string().min(1).max(300),
  severity: Severity.nullable(),
  category: z.enum(CATEGORIES),
  outcome: z.enum(OUTCOMES),
  sentence: z.string().max(500).nullable(),
  next: z.string().max(500).nullable(),
});
export const MeaningList = z.object({
  meanings: z.array(MeaningJson.extend({ own: z.boolean() })),
  severities: z.array(z.object({ kind: z.string(), original: z.string(), severity: Severity, own: z.boolean() })),
});
export type MeaningList = z.infer<typeof MeaningList>;
/** A kind's own word for a severity. */
export const SeverityWord = z.object({
  kind: z.enum(["windows", "firewall", "snmp", "json"]),
  original: z.string().min(1).max(80),
});
export const SeverityChange = SeverityWord.extend({ severity: Severity });

export const MibList = z.object({
  modules: z.array(
    z.object({
      name: z.string(),
      shipped: z.boolean(),
      addedBy: z.string().nullable(),
      problems: z.array(z.object({ code: z.string(), line: z.int(), column: z.int(), message: z.string() })),
    }),
  ),
  unnamed: z.array(z.object({ oid: z.string(), count: z.int(), last: TimeText, sender: z.string() })),
});
export type MibList = z.infer<typeof MibList>;
export const NewMib = z.object({ source: z.string().min(1).max(900_000) });

export const ApplicationJson = z.object({
  name: Name,
  protocol: z.int().min(0).max(255).nullable(),
  lowPort: Port.nullable(),
  highPort: Port.nullable(),
  network: z.string().max(64).nullable(),
});
export const ApplicationList = z.object({
  applications: z.array(ApplicationJson.extend({ id: z.int() })),
  /** The biggest traffic without a name, of the last seven days. */
  unnamed: z.array(z.object({ protocol: z.int(), port: z.int(), flows: z.int(), bytes: z.number() })),
});
export type ApplicationList = z.infer<typeof ApplicationList>;

/** A domain that is ours: names in it are ours without it too. */
export const DomainJson = z.object({
  domain: z.string().trim().regex(DOMAIN, "expected a domain such as orvane.example, or a short one such as ORVANE"),
});
export const DomainList = z.object({
  domains: z.array(z.object({ domain: z.string(), by: z.string(), at: TimeText })),
  /** What records of the last day write names in. */
  suggested: z.array(z.object({ domain: z.string(), names: z.int(), alsoBare: z.int(), example: z.string() })),
});
export type DomainList = z.infer<typeof DomainList>;

export const ImportList = z.object({
  imports: z.array(
    z.object({
      id: z.int(),
      name: z.string(),
      state: z.string(),
      done: z.int(),
      message: z.string(),
      started: TimeText,
    }),
  ),
});
export type ImportList = z.infer<typeof ImportList>;
