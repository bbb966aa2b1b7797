import type { Sender } from "@halvik/core/model/senders";
import { DEVICES, ZONE } from "./devices.js";

/** The devices as senders, fit for the list that `bin/halvik senders import` reads. */
export function roster(): Sender[] {
  const ids = new Map(DEVICES.map((d, i) => [d.name, i + 1]));
  return DEVICES.map((d, i) => ({
    id: i + 1,
    name: d.name,
    state: "admitted",
    addresses: [d.address, d.alias],
    relay: false,
    viaRelay: null,
    relayHost: null,
    site: d.site,
    groups: d.groups,
    role: d.role,
    tags: [],
    formerNames: [],
    formerAddresses: [],
    zone: ZONE,
    reachedThrough: d.reachedThrough === null ? null : (ids.get(d.reachedThrough) ?? null),
    expectedEverySeconds: null,
    keepDays: null,
    notes: "",
    firstSeenUs: null,
  }));
}

/** Its networks as lines of a list, each with the site it is at. */
export function networks(): string {
  const siteOf = new Map(DEVICES.map((d) => [`${d.address.slice(0, d.address.lastIndexOf("."))}.0/24`, d.site]));
  return ["value,note", ...[...siteOf].map(([block, site]) => `${block},${site}`)].join("\n").concat("\n");
}
