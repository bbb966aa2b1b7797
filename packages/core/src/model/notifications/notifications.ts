/** A notification as a module defines it: its name, and the identifiers it arrives under. */
export interface NotificationName {
  readonly name: string;
  /** One, or two where SNMPv1 sends it under another (RFC 3584 section 3). */
  readonly oids: readonly string[];
}

/**
 * Names of SNMP notifications and the identifiers they stand for. Records hold identifiers; people ask by name (`event is linkDown`). Where
 * several modules use one name it stands for all of theirs.
 */
export class NotificationNames {
  private readonly byName = new Map<string, NotificationName[]>();
  private readonly byOid = new Map<string, string>();

  constructor(named: Iterable<NotificationName>) {
    for (const one of named) {
      for (const oid of one.oids) this.byOid.set(oid, one.name);
      const there = this.byName.get(one.name);
      if (there === undefined) this.byName.set(one.name, [one]);
      else there.push(one);
    }
  }

  /** What a name stands for; nothing where no module has it. */
  oids(name: string): readonly string[] {
    return this.byName.get(name)?.flatMap((n) => n.oids) ?? NONE;
  }

  /** The name of an identifier; undefined where there is none, or others share it. */
  name(oid: string): string | undefined {
    const name = this.byOid.get(oid);
    return name !== undefined && this.byName.get(name)?.length === 1 ? name : undefined;
  }
}

const NONE: readonly string[] = [];
const STANDARD = "1.3.6.1.6.3.1.1.5";

/** The generic notifications (RFC 3418 section 2; RFC 2863 for the links), known where no modules are. */
export const STANDARD_NOTIFICATIONS = new NotificationNames(
  ["coldStart", "warmStart", "linkDown", "linkUp", "authenticationFailure"].map((name, i) => ({
    name,
    oids: [`${STANDARD}.${i + 1}`],
  })),
);
