/** Where something stands in a module's text. */
export interface Place {
  readonly line: number;
  readonly column: number;
}

/** A type as written: its base name, and what narrows it. */
export interface Syntax {
  readonly base: string;
  /** Named numbers of INTEGER, named bits of BITS. */
  readonly names: ReadonlyMap<number, string> | null;
}

export interface OidPart {
  readonly name: string | null;
  readonly number: number | null;
}

export type Assignment = Place & { readonly name: string } & (
    | { readonly kind: "oid"; readonly value: readonly OidPart[]; readonly description: string | null }
    | {
        readonly kind: "object";
        readonly value: readonly OidPart[];
        readonly syntax: Syntax;
        readonly units: string | null;
        readonly description: string | null;
      }
    | {
        readonly kind: "notification";
        readonly value: readonly OidPart[];
        readonly objects: readonly string[];
        readonly description: string | null;
      }
    | {
        readonly kind: "trap";
        readonly enterprise: string;
        readonly number: number;
        readonly objects: readonly string[];
        readonly description: string | null;
      }
    | { readonly kind: "type"; readonly syntax: Syntax; readonly hint: string | null }
  );

/** A module as parsed, names not yet resolved. */
export interface MibModule {
  readonly name: string;
  readonly imports: readonly (Place & { readonly from: string; readonly names: readonly string[] })[];
  readonly assignments: readonly Assignment[];
}
