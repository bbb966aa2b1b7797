import type { PortraitKind } from "@halvik/contract/portrait";
import { canonicalAddress } from "@halvik/core/base/net";
import type { BoundThing } from "@halvik/core/model/entity";
import type { Sender, SenderDirectory } from "@halvik/core/model/senders";
import { quoteIfNeeded } from "@halvik/core/query/filter";
import { AppError } from "../../kernel/http/errors.js";

/** What a portrait is asked of. */
export interface PortraitAsked {
  readonly kind: PortraitKind;
  readonly value: string;
  readonly at?: string | undefined;
}

/** What a portrait is of, as records name it. */
export interface Subject {
  readonly kind: PortraitKind;
  readonly value: string;
  readonly sender: Sender | null;
  /** Addresses that are its own, whatever else it is called. */
  readonly addresses: readonly string[];
  /** Finds the records that name it. */
  readonly filter: string;
  /** What it is bound to others as. */
  readonly things: readonly { readonly thing: BoundThing; readonly values: readonly string[] }[];
}

/** @throws {AppError} where what is asked is nothing a portrait can be of */
export function subjectOf({ kind, value, at }: PortraitAsked, directory: SenderDirectory): Subject {
  const { ours } = directory;
  const named = (name: string): Sender | null =>
    directory.senders.find((s) => ours.canonical("host", s.name) === ours.canonical("host", name)) ?? null;
  const host = (name: string) => ({ thing: "host" as const, values: ours.spellings("host", name) });
  const address = (values: readonly string[]) => ({ thing: "address" as const, values });
  switch (kind) {
    case "address": {
      const canonical = canonicalAddress(value);
      if (canonical === null)
        throw new AppError("BAD_REQUEST", `value: expected an address, got "${value}"`, { field: "value" });
      const sender = directory.senders.find((s) => !s.relay && s.addresses.includes(canonical)) ?? null;
      const filter =
        sender === null
          ? `address is ${canonical}`
          : `address is ${canonical} or sender is ${quoteIfNeeded(sender.name)}`;
      return { kind, value: canonical, sender, addresses: [canonical], filter, things: [address([canonical])] };
    }
    case "sender":
    case "host": {
      const sender = named(value);
      if (sender === null && kind === "sender")
        throw new AppError("NOT_FOUND", `there is no sender called "${value}"`, { field: "value" });
      const addresses = sender?.addresses ?? [];
      const name = quoteIfNeeded(sender?.name ?? value);
      const filter = [
        `host is ${name}`,
        ...(sender === null ? [] : [`sender is ${name}`]),
        ...(addresses.length === 0 ? [] : [`address is ${addresses.join(", ")}`]),
      ].join(" or ");
      return {
        kind: sender === null ? "host" : "sender",
        value: sender?.name ?? value,
        sender,
        addresses,
        filter,
        things: [host(value), address(addresses)],
      };
    }
    case "user":
      return {
        kind,
        value,
        sender: null,
        addresses: [],
        filter: `user is ${quoteIfNeeded(value)}`,
        things: [{ thing: "user", values: ours.spellings("user", value) }],
      };
    case "interface": {
      const sender = at === undefined ? null : named(at);
      if (sender === null)
        throw new AppError("BAD_REQUEST", "at: expected the name of the sender the interface is at", { field: "at" });
      return {
        kind,
        value,
        sender,
        addresses: [],
        filter: `sender is ${quoteIfNeeded(sender.name)} and interface is ${quoteIfNeeded(value)}`,
        things: [{ thing: "port", values: [`${sender.name} ${value}`] }],
      };
    }
  }
}

/** What it is in a few words, as people have entered it. */
export function aboutOf({ kind, sender }: Subject): string {
  const what = sender === null ? (kind === "address" ? "an address no sender has" : "") : (sender.role ?? "a sender");
  const where = sender?.site == null ? "" : `at ${sender.site}`;
  const groups = sender === null || sender.groups.length === 0 ? "" : `in ${sender.groups.join(", ")}`;
  return [kind === "interface" ? `at ${sender?.name}, ${what}` : what, where, groups].filter(Boolean).join(" · ");
}
