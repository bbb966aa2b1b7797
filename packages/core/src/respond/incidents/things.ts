import { type OwnNames, readEntity } from "../../model/entity/index.js";
import { thingOf } from "./links.js";

const MOST_REMEMBERED = 2_000;

/** How much of what is named a thing is; `isMain`: it is what it is about, or suspects. */
export interface Named {
  readonly part: number;
  readonly isMain: boolean;
}

/** Entities as codes: all that are named, what it is about, what it suspects. */
export interface Naming {
  readonly entities: readonly string[];
  readonly about: readonly string[];
  readonly suspects: readonly string[];
}

/** The things that findings and incidents name, by what senders are called and which domains are ours. Immutable but for what it remembers: an incident is looked at for every finding near it. */
export class Things {
  private readonly known = new Map<string, ReadonlyMap<string, Named>>();

  /** @param nameOf the name of a sender by its id */
  constructor(
    private readonly ours: OwnNames,
    readonly nameOf: (sender: number) => string,
  ) {}

  /** The thing an entity is, see `thingOf`. */
  readonly one = (entity: string): string => thingOf(entity, this.ours, this.nameOf);

  /** Each of what is named, once. */
  of({ entities, about, suspects }: Naming): ReadonlyMap<string, Named> {
    const all = JSON.stringify([entities, about, suspects]);
    let named = this.known.get(all);
    if (named === undefined) {
      named = this.workOut(entities, [...about, ...suspects]);
      if (this.known.size >= MOST_REMEMBERED) this.known.clear();
      this.known.set(all, named);
    }
    return named;
  }

  private workOut(entities: readonly string[], mains: readonly string[]): ReadonlyMap<string, Named> {
    const main = new Set(mains.map(this.one));
    const along = new Map<string, number>();
    const all = new Set(entities.map(this.one));
    for (const thing of all)
      if (!main.has(thing)) along.set(readEntity(thing).field, (along.get(readEntity(thing).field) ?? 0) + 1);
    return new Map(
      [...all, ...main].map((thing) => {
        const isMain = main.has(thing);
        return [thing, { part: isMain ? 1 : 1 / along.get(readEntity(thing).field)!, isMain }];
      }),
    );
  }
}
