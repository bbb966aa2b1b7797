/** A notification as a module defines it: its name, and the identifiers it arrives under. */
export interface NotificationName {
  readonly name: string;
  /** One, or two where SNMPv1 sends it under another (RFC 3584 section 3). */
  readonly oids: readonly string[];
}

/** An object as a module defines it: what notifications carry values of. */
export interface ObjectName {
  readonly name: string;
  readonly oid: string;
  /** What its numbers are called, where it is an enumeration. */
  readonly labels: ReadonlyMap<number, string> | null;
}

/** What a name of objects stands for. */
export interface NamedObjects {
  /** Instances have more behind it. */
  readonly oids: readonly string[];
  /** Numbers by what they are called, in lower case. */
  readonly numbers: ReadonlyMap<string, readonly string[]>;
}

/** A name of an object, and of which instance: `ifOperStatus`, `ifOperStatus.4`. */
const OBJECT = /^([A-Za-z][A-Za-z0-9-]{0,100})(?:\.(\d[\d.]{0,200}))?$/;

/**
 * Names of SNMP notifications, of the objects they carry, and the identifiers both stand for. Records hold identifiers; people ask by name (`event is linkDown`). Where
 * several modules use one name it stands for all of theirs.
 */
export class NotificationNames {
  private readonly byName = new Map<string, NotificationName[]>();
  private readonly byOid = new Map<string, string>();
  private readonly objects = new Map<string, ObjectName[]>();

  constructor(named: Iterable<NotificationName>, objects: Iterable<ObjectName> = []) {
    for (const one of objects) {
      const there = this.objects.get(one.name);
      if (there === undefined) this.objects.set(one.name, [one]);
      else there.push(one);
    }
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

  /** What a name of an object stands for, with an instance or without; undefined where no module has it. */
  object(said: string): NamedObjects | undefined {
    const [, name, instance] = OBJECT.exec(said) ?? [];
    const found = name === undefined ? undefined : this.objects.get(name);
    if (found === undefined) return undefined;
    const numbers = new Map<string, string[]>();
    for (const { labels } of found)
      for (const [number, label] of labels ?? [])
        numbers.set(label.toLowerCase(), [...(numbers.get(label.toLowerCase()) ?? []), String(number)]);
    return { oids: found.map((o) => (instance === undefined ? o.oid : `${o.oid}.${instance}`)), numbers };
  }

  /** What notifications are called. */
  names(): Iterable<string> {
    return this.byName.keys();
  }

  /** What objects are called. */
  objectNames(): Iterable<string> {
    return this.objects.keys();
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
