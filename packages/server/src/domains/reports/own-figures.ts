import { median } from "@halvik/core/base/statistics";
import { US_PER_DAY, US_PER_SECOND } from "@halvik/core/base/time";
import type { OwnFigure, Window } from "@halvik/core/report";
import type { Queryable } from "../../kernel/db/pool.js";
import type { Coverage } from "../intake/coverage.js";
import { deliveriesEnded, incidentsEnded, incidentsOpened, silentSenders } from "./own-repository.js";

/** What Halvik's own figures are made from, for one window. */
export interface OwnNeeds {
  readonly db: Queryable;
  readonly window: Window;
  readonly coverage: () => Promise<Coverage>;
  readonly recordsArrived: () => Promise<number>;
  readonly needsAttention: () => Promise<number>;
  readonly oldestUs: () => Promise<number | null>;
  readonly nowUs: number;
}

type Unit = "" | "records" | "datagrams" | "s" | "days" | "%";

/** What each is and is counted in. Those of now are told whatever the window. */
const FIGURES: Readonly<
  Record<
    OwnFigure,
    { readonly unit: Unit; readonly isOfNow?: true; readonly of: (n: OwnNeeds) => Promise<number | null> }
  >
> = {
  "incidents opened": { unit: "", of: async ({ db, window }) => (await incidentsOpened(db, window)).length },
  "incidents ended": { unit: "", of: async ({ db, window }) => (await incidentsEnded(db, window)).length },
  "incidents that need somebody now": { unit: "", isOfNow: true, of: ({ needsAttention }) => needsAttention() },
  "median time to acknowledge": {
    unit: "s",
    of: async ({ db, window }) => {
      const taken = (await incidentsOpened(db, window)).flatMap((i) =>
        i.acknowledgedUs === null ? [] : [(i.acknowledgedUs - i.raisedUs) / US_PER_SECOND],
      );
      return taken.length === 0 ? null : median(taken);
    },
  },
  "closed as false or expected": {
    unit: "%",
    of: async ({ db, window }) => {
      const closed = (await incidentsEnded(db, window)).filter((i) => i.closedAs !== null);
      const idle = closed.filter((i) => i.closedAs === "false" || i.closedAs === "expected");
      return closed.length === 0 ? null : (100 * idle.length) / closed.length;
    },
  },
  "notifications sent": { unit: "", of: ({ db, window }) => deliveriesEnded(db, window, "sent") },
  "notifications withheld": { unit: "", of: ({ db, window }) => deliveriesEnded(db, window, "dropped") },
  "records arrived": { unit: "records", of: ({ recordsArrived }) => recordsArrived() },
  "records dropped on arrival": { unit: "records", of: async ({ coverage }) => (await coverage()).droppedByRules },
  "datagrams lost or refused": {
    unit: "datagrams",
    of: async ({ coverage }) => {
      const { lost, capped } = await coverage();
      return lost + capped;
    },
  },
  "flow records missing by sequence": { unit: "datagrams", of: async ({ coverage }) => (await coverage()).flowGaps },
  "time nobody listened": {
    unit: "s",
    of: async ({ coverage, window }) =>
      (await coverage()).notListening.reduce(
        (sum, gap) =>
          sum + Math.max(0, Math.min(gap.toUs, window.toUs) - Math.max(gap.fromUs, window.fromUs)) / US_PER_SECOND,
        0,
      ),
  },
  "senders silent now": { unit: "", isOfNow: true, of: ({ db }) => silentSenders(db) },
  "days that records are kept": {
    unit: "days",
    isOfNow: true,
    of: async ({ oldestUs, nowUs }) => {
      const oldest = await oldestUs();
      return oldest === null ? null : Math.max(0, (nowUs - oldest) / US_PER_DAY);
    },
  },
};

export interface OwnFigureAnswer {
  readonly name: OwnFigure;
  readonly value: number | null;
  readonly before?: number | null;
  readonly unit: Unit;
}

/** @param then the period before, where it is to be compared */
export async function ownFigures(
  names: readonly OwnFigure[],
  now: OwnNeeds,
  then: OwnNeeds | null,
): Promise<OwnFigureAnswer[]> {
  const told: OwnFigureAnswer[] = [];
  for (const name of names) {
    const { unit, isOfNow = false, of } = FIGURES[name];
    const value = await of(now);
    told.push({ name, value, unit, ...(then === null || isOfNow ? {} : { before: await of(then) }) });
  }
  return told;
}
