import { dataValues, type HalvikRecord } from "../record/index.js";
import { NO_OWN_NAMES, type OwnNames } from "./own-names.js";

export const ENTITY_KINDS = ["address", "host", "user", "interface", "process", "port"] as const;
export type EntityKind = (typeof ENTITY_KINDS)[number];

export const ENTITY_ROLES = ["source", "destination", "actor", "target", "reporter", "mentioned"] as const;
export type EntityRole = (typeof ENTITY_ROLES)[number];

/** A thing a record names. Two are the same when kind and `value` are; `original` is how it was written. */
export interface Entity {
  readonly kind: EntityKind;
  readonly role: EntityRole;
  readonly value: string;
  readonly original: string;
}

/** The things a record is about, by their roles, most telling first; each once per role. */
export function entitiesOf(r: HalvikRecord, senderName: string, ours: OwnNames = NO_OWN_NAMES): Entity[] {
  const out: Entity[] = [];
  const add = (kind: EntityKind, role: EntityRole, original: string | null, value = original) => {
    if (original === null || value === null || original === "") return;
    if (!out.some((e) => e.kind === kind && e.role === role && e.value === value))
      out.push({ kind, role, value, original });
  };
  add("address", "source", r.src);
  add("address", "destination", r.dst);
  for (const address of r.otherAddresses) add("address", "mentioned", address);
  const actors = new Set(
    [...dataValues(r, "SubjectUserName"), ...dataValues(r, "user")].map((u) => ours.canonical("user", u)),
  );
  for (const user of r.users) {
    const value = ours.canonical("user", user);
    // an event about an account that another one changed: who did it, where that is said, and to whom
    const isDoneTo = (r.users.length > 1 || r.category === "account") && !actors.has(value);
    add("user", isDoneTo ? "target" : "actor", user, value);
  }
  const reporter = ours.canonical("host", senderName);
  add("host", "reporter", senderName, reporter);
  if (r.host !== null && ours.canonical("host", r.host) !== reporter)
    add("host", "mentioned", r.host, ours.canonical("host", r.host));
  add("interface", "target", r.interface);
  if (r.flow) {
    add("interface", "source", r.flow.ingress === null ? null : String(r.flow.ingress));
    add("interface", "destination", r.flow.egress === null ? null : String(r.flow.egress));
  }
  // what packets are called by is a protocol and no program; the name that was asked for is of a machine
  if (r.kind === "packet") {
    const named = (dataValues(r, "server name")[0] ?? dataValues(r, "question")[0])?.replace(/:\d{1,5}$/, "");
    if (named !== undefined) add("host", "mentioned", named, ours.canonical("host", named));
  } else add("process", "actor", r.app ?? r.process);
  add("port", "source", r.srcPort === null ? null : String(r.srcPort));
  add("port", "destination", r.dstPort === null ? null : String(r.dstPort));
  return out;
}
