import type { SenderJson } from "@halvik/contract";
import { SenderDirectory } from "@halvik/core/model/senders";

/** The senders as the filter language knows them. */
export const toDirectory = (senders: readonly SenderJson[]): SenderDirectory =>
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
      zone: s.zone,
      reachedThrough: null,
      expectedEverySeconds: s.expectedEverySeconds,
      keepDays: s.keepDays,
      notes: s.notes,
      firstSeenUs: null,
    })),
  );
