import { fold } from "../../base/text/index.js";
import { US_PER_MINUTE } from "../../base/time/index.js";
import { entityCode, type OwnNames, readEntity } from "../../model/entity/index.js";

/** How far from the last evidence something still belongs to it (`docs/semantics.md` 25). */
export const NEAR_US = 30 * US_PER_MINUTE;
/** What links must weigh together to join. */
export const ENOUGH = 0.5;

/** How widely something is known: of the senders heard in a week, how many had records that name it. */
export interface Heard {
  readonly by: number;
  readonly of: number;
  /** Declared to be a relay, a resolver or a gateway. */
  readonly declared?: string;
  /** One of the two suspects it. */
  readonly suspected?: true;
  /** It was not counted: too much had to be looked up at once. */
  readonly uncounted?: true;
}

/** What was not counted is taken for something that two senders know. */
export const UNCOUNTED: Heard = { by: 2, of: 0, uncounted: true };

/** Of what is suspected it does not matter how common it is. */
export const SUSPECTED: Heard = { by: 0, of: 0, suspected: true };

/** What two findings share, and what it weighs. */
export interface Link {
  readonly field: string;
  readonly value: string;
  /** 0: it says nothing; 1: it is enough by itself. */
  readonly weight: number;
  /** Why it weighs so much, or so little. */
  readonly why: string;
}

/** Names that everybody's machines have: the same one twice says little. */
const EVERYBODY = ["root", "admin", "administrator", "administrators", "guest", "test", "user", "system", "backup"];
/** Whether a name of a user or group is one that every machine has. */
const isEverybodys = (name: string): boolean => EVERYBODY.includes(fold(name));
/** A machine's own account: its name ends in $ ([MS-ADTS] on sAMAccountName; from memory). */
const isMachines = (name: string): boolean => name.endsWith("$");
/** Whether a thing is somebody: a user by a name of his own. */
export function isSomebody(thing: string): boolean {
  const { field, value } = readEntity(thing);
  return field === "user" && !isEverybodys(value) && !isMachines(value);
}
/** Fields whose values are one kind of thing, whichever role it has: who attacked may be where the data went. */
const ADDRESSES = ["src", "dst", "address"];
/** What one of these in common is worth, when nobody else has it. Our own scale: no source. */
const WORTH: Readonly<Record<string, number>> = { user: 1, address: 1, interface: 1, host: 0.3 };
const LITTLE = 0.25;
/** What a machine in common is worth into which one who is suspected was let in, when nobody known before did there what was done. Our own scale: no source. */
const FOOTHOLD = 0.9;
/** What is suspected stands out among so many that are named along. */
const STANDS_OUT_OF = 3;
/** One of two machines is as good as one. */
const AMONG_FEW = 2;
/** Things of which it is counted how widely they were known; of others it is not asked. */
export const COUNTED: readonly string[] = ["user", "host", "address"];
/** A part of the senders heard, and a number of them, from which on something is a hub. */
const HUB_PART = 0.05;
const HUB_SENDERS = 4;

/**
 * The thing an entity is, without its role and spelling: two entities are the same thing when this is the same text.
 * @param nameOf the name of a sender by its id: the machine that sends is the one that names itself
 */
export function thingOf(entity: string, ours: OwnNames, nameOf: (sender: number) => string): string {
  const { field, value } = readEntity(entity);
  if (ADDRESSES.includes(field)) return entityCode("address", ours.canonical("address", value));
  if (field === "sender") return entityCode("host", ours.canonical("host", nameOf(Number(value))));
  return entityCode(field, ours.canonical(field, value));
}

/** Whether something is so common that sharing it says nothing (`docs/semantics.md` 25). */
export const isHub = ({ by, of, declared }: Heard): boolean =>
  declared !== undefined || (by >= HUB_SENDERS && by > HUB_PART * of);

/**
 * What sharing a thing weighs, by how rare it was in the week before.
 * @param gapUs between the two that share it
 * @param part how much of what they name it is: one of twelve accounts that were tried says little
 */
export function linkOf(thing: string, heard: Heard, gapUs: number, part: number): Link {
  const { field, value } = readEntity(thing);
  const link = (weight: number, why: string): Link => ({ field, value, weight, why });
  if (heard.declared !== undefined) return link(0, heard.declared);
  if (isHub(heard)) return link(0, `named by ${heard.by} of ${heard.of} senders in a week`);
  if (field === "user" && isEverybodys(value))
    return link(LITTLE * part * nearness(gapUs), "a name that every machine has");
  if (field === "user" && isMachines(value))
    return link(LITTLE * part * nearness(gapUs), "a machine’s own account: the host says as much");
  if (heard.suspected) return link(Math.min(1, STANDS_OUT_OF * part) * nearness(gapUs), "suspected");
  const near = part * nearness(gapUs);
  const worth = WORTH[field] ?? LITTLE;
  if (!COUNTED.includes(field))
    return link(worth * near, field === "interface" ? "a port of the same device" : "says little by itself");
  // the first sender more halves little: two devices on one path see the same address
  const rare = 1 / (1 + 0.5 * Math.log2(Math.max(1, heard.by)));
  return link(
    worth * rare * near,
    heard.uncounted
      ? "not counted: too much at once"
      : heard.by === 0
        ? "not seen in the week before"
        : `named by ${heard.by} of ${heard.of} senders in a week`,
  );
}

/**
 * Of a machine into which somebody was let who is suspected: what is done there next and says nothing of who did it. See `linkOf`.
 * @param part how much of the machines the incident names it is: of three, two are others that he went to, or came through
 */
export function footholdLink(host: string, gapUs: number, part: number): Link {
  const { field, value } = readEntity(host);
  const why = "one who is suspected was let in there, and whom this names was not known before";
  return { field, value, weight: FOOTHOLD * Math.min(1, AMONG_FEW * part) * nearness(gapUs), why };
}

const nearness = (gapUs: number): number => 1 - gapUs / (2 * NEAR_US);

/** What people read of a link. @param say a value as people read it */
export const sayLink = ({ field, value }: Link): string => `same ${field}${value === "" ? "" : ` ${value}`}`;
