import * as z from "zod";
import { TimeText } from "./common.js";

export const OverviewQuery = z.object({ zone: z.string().max(64).optional() });

/** A figure of the last night beside those of the nights before. */
const NightFigure = z.object({
  name: z.string(),
  unit: z.enum(["records", "bytes"]),
  /** The records it counts; empty: it is no count of records that a filter names. */
  filter: z.string(),
  /** null: it is still being counted. */
  lastNight: z.number().nullable(),
  /** The median of the nights before; null: too few of them are known. */
  usual: z.number().nullable(),
  /** Of the nights before, the oldest first; null: not known. */
  before: z.array(z.number().nullable()),
});

export const Overview = z.object({
  /** From 20 to 6 by the zone's clock; before 6 as far as it has come. */
  night: z.object({ from: TimeText, to: TimeText }),
  figures: z.array(NightFigure),
  sites: z.array(
    z.object({
      site: z.string(),
      senders: z.int(),
      silent: z.int(),
      lastNight: z.number(),
      usual: z.number().nullable(),
    }),
  ),
  /** By day of the zone, the oldest first: how many were raised, and how many of them as error or worse. */
  incidents: z.array(z.object({ from: TimeText, raised: z.int(), errors: z.int() })),
});
export type Overview = z.infer<typeof Overview>;
