import type { SenderList } from "@halvik/contract/senders";
import { findAddresses } from "@halvik/core/base/net";
import { useQuery } from "@tanstack/react-query";
import { createContext, Fragment, type ReactNode, useContext, useMemo } from "react";
import { sendersQuery } from "../data/intake-queries";
import { safeText } from "../ui/safe-text";

type Names = ReadonlyMap<string, string>;
const NamesContext = createContext<Names>(new Map());

/** Around all that shows addresses: whose they are, as far as senders are known. */
export function AddressNames({ children }: { children: ReactNode }) {
  // told apart by what it says: the list comes anew every few seconds
  const { data: said = "[]" } = useQuery({ ...sendersQuery, select: inWords });
  const names = useMemo<Names>(() => new Map(JSON.parse(said) as [string, string][]), [said]);
  return <NamesContext.Provider value={names}>{children}</NamesContext.Provider>;
}

/** Addresses with the names of their senders; one that several share has all of theirs. A sender known by its address alone has none. */
export function namesOf(senders: SenderList["senders"]): [string, string][] {
  const names = new Map<string, string>();
  for (const { name, addresses } of senders)
    for (const address of addresses)
      if (address !== name) {
        const there = names.get(address);
        names.set(address, there === undefined ? name : `${there}, ${name}`);
      }
  return [...names];
}
const inWords = ({ senders }: SenderList): string => JSON.stringify(namesOf(senders));

/** The name of whoever has an address; undefined: nobody known. */
export const useNameOf = (): ((address: string) => string | undefined) => {
  const names = useContext(NamesContext);
  return (address) => names.get(address);
};

/** A name beside an address: not a part of the text it stands in, and not copied with it. */
export const NameMark = ({ name }: { name: string }) => (
  <span className="font-sans text-small text-quiet select-none"> {safeText(name)}</span>
);

/** The name of whoever has an address, to stand behind it; nothing where nobody is known, or the address is none. */
export function AddressName({ address }: { address: string | undefined }) {
  const name = useNameOf()(address ?? "");
  return name === undefined ? null : <NameMark name={name} />;
}

const MOST_ADDRESSES = 20;

/** Where in a text names are put: behind an address and the port that goes with it. */
export function namesIn(
  text: string,
  nameOf: (address: string) => string | undefined,
): readonly { readonly at: number; readonly name: string }[] {
  return findAddresses(text, MOST_ADDRESSES).flatMap(({ address, end }) => {
    const name = nameOf(address);
    // "files-1 (10.20.1.19)" says it already
    if (name === undefined || text.includes(name)) return [];
    const port = /^\]?:\d{1,5}(?!\d)/.exec(text.slice(end, end + 8));
    return [{ at: end + (port?.[0].length ?? 0), name }];
  });
}

/** A text that came from elsewhere, with the names of the addresses in it. */
export function NamedText({ children: text }: { children: string }) {
  const nameOf = useNameOf();
  const parts: ReactNode[] = [];
  let from = 0;
  for (const { at, name } of namesIn(text, nameOf)) {
    parts.push(
      <Fragment key={at}>
        {safeText(text.slice(from, at))}
        <NameMark name={name} />
      </Fragment>,
    );
    from = at;
  }
  return (
    <>
      {parts}
      {safeText(text.slice(from))}
    </>
  );
}
