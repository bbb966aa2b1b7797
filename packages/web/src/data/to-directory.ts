import type { Lists } from "@halvik/contract/lists";
import type { SenderJson } from "@halvik/contract/senders";
import { NamedLists } from "@halvik/core/model/lists";
import { SenderDirectory } from "@halvik/core/model/senders";

/** The senders as the filter language knows them. */
export const toDirectory = (senders: readonly SenderJson[], lists: Lists["lists"]): SenderDirectory =>
  new SenderDirectory(
    senders.map((s) => ({
      id: s.id,
      name: s.name,
      state: s.state,
      addresses: s.addresses,
      relay: s.relay,
      viaRelay: null,
      relayHost: s.relayHost,
      site: s.site,
      groups: s.groups,
      role: s.role,
      tags: s.tags,
      formerNames: s.formerNames,
      formerAddresses: s.formerAddresses,
      zone: s.zone,
      reachedThrough: null,
      expectedEverySeconds: s.expectedEverySeconds,
      keepDays: s.keepDays,
      notes: s.notes,
      firstSeenUs: null,
    })),
    undefined,
    undefined,
    undefined,
    // what is in them is the server's to know: here names are checked and completed
    new NamedLists(lists.map((l) => ({ name: l.name, kind: l.kind, values: [] }))),
  );
