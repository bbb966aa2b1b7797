import { fold } from "../../base/text/index.js";
import type { FieldName } from "../../model/record/index.js";
import { quoteIfNeeded } from "../../query/filter/index.js";

/** Something of an incident, by field and value as people read it. */
export interface Thing {
  readonly field: string;
  readonly value: string;
}

/** Something that is counted by the hour, to be held against the same hours of the days before. */
export interface CountLook {
  readonly says: string;
  readonly filter: string;
}

/** A field whose values are looked at: those that never came before with this thing. */
export interface SightLook {
  readonly field: FieldName;
  readonly filter: string;
  readonly says: (value: string) => string;
}

/** What is looked at of one thing. */
export interface Look {
  readonly thing: Thing;
  /** All records of it. */
  readonly all: string;
  readonly counts: readonly CountLook[];
  readonly sights: readonly SightLook[];
  /** Whose octets sent are held against other days. */
  readonly sends: boolean;
}

const THINGS_MOST = 6;
/** Names that every machine has: what they do is everybody's. */
const EVERYBODY = ["root", "system", "administrator", "-"];

/** What is looked at of what an incident is about: what else was unusual of it then. @param things what tells most first */
export function looksOf(things: readonly Thing[]): Look[] {
  const seen = new Set<string>();
  return things
    .flatMap((thing) => {
      const look = lookOf(thing);
      const at = `${look?.all}`;
      if (look === null || seen.has(at)) return [];
      seen.add(at);
      return [look];
    })
    .slice(0, THINGS_MOST);
}

function lookOf(thing: Thing): Look | null {
  const { value } = thing;
  const named = quoteIfNeeded(value);
  switch (thing.field) {
    case "user":
      if (EVERYBODY.includes(fold(value))) return null;
      return {
        thing,
        all: `user is ${named}`,
        counts: [
          {
            says: `refused logons as ${value}`,
            filter: `user is ${named} and category is logon and outcome is failure`,
          },
          { says: `special rights of ${value}`, filter: `user is ${named} and category is privilege` },
        ],
        sights: [
          { field: "sender", filter: `user is ${named}`, says: (other) => `${value} on ${other}` },
          { field: "src", filter: `user is ${named}`, says: (other) => `${value} from ${other}` },
        ],
        sends: false,
      };
    case "src":
    case "dst":
    case "address":
      return {
        thing,
        all: `address is ${named}`,
        counts: [
          { says: `connections of ${value} refused`, filter: `src is ${named} and action in deny, reject` },
          {
            says: `refused logons from ${value}`,
            filter: `src is ${named} and category is logon and outcome is failure`,
          },
        ],
        sights: [{ field: "dst", filter: `src is ${named}`, says: (other) => `${value} → ${other}` }],
        sends: true,
      };
    case "sender":
      return {
        thing,
        all: `sender is ${named}`,
        counts: [
          {
            says: `refused logons on ${value}`,
            filter: `sender is ${named} and category is logon and outcome is failure`,
          },
          { says: `errors or worse of ${value}`, filter: `sender is ${named} and severity at least error` },
        ],
        sights: [{ field: "app", filter: `sender is ${named}`, says: (other) => `${other} on ${value}` }],
        sends: false,
      };
    default:
      return null;
  }
}
