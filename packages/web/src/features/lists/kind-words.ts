import type { ListKind } from "@halvik/core/model/lists";

export const KIND_WORDS: Readonly<Record<ListKind, string>> = {
  address: "addresses and blocks",
  domain: "domains, each with all below it",
  text: "names, hashes, other values",
};
