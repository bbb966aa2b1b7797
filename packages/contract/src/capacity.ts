import { DEVICE_KINDS } from "@halvik/core/assure";
import { KINDS } from "@halvik/core/model/record";
import * as z from "zod";
import { TimeText } from "./common.js";

const MOST_DAYS = 3_650;
const Days = z.coerce.number().int().min(1).max(MOST_DAYS);
const Kind = z.enum(KINDS);
const NAMES: ReadonlySet<string> = new Set(DEVICE_KINDS.map((d) => d.name));

/** What is asked about the disk: as it is set, or with other days, further devices, another sender's days. */
export const CapacityQuery = z.object({
  /** Days records, and flows, would be kept. */
  records: Days.optional(),
  flows: Days.optional(),
  /** Days the records of one sender would be kept, by its number. */
  sender: z.coerce.number().int().min(1).max(2_147_483_647).optional(),
  keep: Days.optional(),
  /** Devices to come, as “kind=count;kind=count”. */
  devices: z
    .string()
    .max(2_000)
    .default("")
    .transform((text) =>
      text
        .split(";")
        .filter((part) => part.trim() !== "")
        .map((part) => {
          const at = part.lastIndexOf("=");
          return { kind: part.slice(0, at).trim(), count: Number(part.slice(at + 1)) };
        }),
    )
    .pipe(
      z.array(
        z.object({
          kind: z.string().refine((k) => NAMES.has(k), "expected a kind of device that the plan lists"),
          count: z.int().min(0).max(100_000),
        }),
      ),
    ),
});

const Stream = z.object({
  kind: Kind,
  recordsADay: z.number(),
  bytesARecord: z.number(),
  /** Whether octets a record were measured in this store; else they are those of stores measured before. */
  measured: z.boolean(),
  bytesADay: z.number(),
  keepDays: z.int(),
});

const Forecast = z.object({
  bytesADay: z.number(),
  /** Octets of the store when everything is as old as it may be. */
  steadyBytes: z.number(),
  /** When what is free is taken; null: never, as long as nothing changes. */
  full: TimeText.nullable(),
});
export type Forecast = z.infer<typeof Forecast>;

export const Capacity = z.object({
  disk: z.object({
    bytes: z.number(),
    free: z.number(),
    /** Below this the oldest is dropped before its time. */ shed: z.number(),
  }),
  store: z.object({ bytes: z.number(), records: z.number(), storedDays: z.number() }),
  /** Days of arrivals that the rates come from; less than one: they are told with care. */
  measuredDays: z.number(),
  streams: z.array(Stream),
  senders: z.array(
    z.object({
      id: z.int(),
      name: z.string(),
      site: z.string().nullable(),
      recordsADay: z.number(),
      bytesADay: z.number(),
    }),
  ),
  sites: z.array(z.object({ site: z.string(), bytesADay: z.number() })),
  /** Records by the hour of the last seven days, the oldest first. */
  hours: z.array(z.number()),
  hoursFrom: TimeText,
  /** Octets a day of the devices to come. */
  devices: z.array(z.object({ kind: z.string(), count: z.int(), recordsADay: z.number(), bytesADay: z.number() })),
  /** As it is set, and as it was asked. */
  now: Forecast,
  asked: Forecast,
  keep: z.object({ records: z.int(), flows: z.int() }),
});
export type Capacity = z.infer<typeof Capacity>;
