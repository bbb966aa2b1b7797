import { CATEGORIES } from "@halvik/core/model/record";
import * as z from "zod";
import { EntityId, TimeText } from "./common.js";
import { RecordJson, RecordQuery, Searched } from "./records.js";

const WindowJson = z.object({ from: TimeText, to: TimeText });

/** What a shape is, and what people call it. */
export const ShapeJson = z
  .object({
    id: z.int(),
    /** The words, values as $1, $2 …; absent where the event alone says what it is. */
    text: z.string().optional(),
    kind: z.string(),
    app: z.string().optional(),
    event: z.string().optional(),
    action: z.string().optional(),
    /** Text that stands in every one of its messages, long enough to know them by. */
    phrase: z.string().optional(),
    version: z.int(),
    /** First and last time ever, also of records that are not kept any more. */
    firstEver: TimeText,
    lastEver: TimeText,
    name: z.string(),
    meaning: z.string(),
    category: z.enum(CATEGORIES).optional(),
    namedBy: z.string().optional(),
    /** Shapes that have become part of it. */
    parts: z.array(z.int()),
  })
  .meta({ id: "Shape" });
export type ShapeJson = z.infer<typeof ShapeJson>;

export const SHAPE_ORDERS = ["most", "rarest", "newest", "worst", "risen", "fallen"] as const;
export type ShapeOrder = (typeof SHAPE_ORDERS)[number];

export const ShapesQuery = RecordQuery.pick({ filter: true, from: true, to: true, zone: true }).extend({
  /** Bars of each course. */
  steps: z
    .union([z.string().regex(/^\d{1,3}$/), z.int()])
    .transform(Number)
    .pipe(z.int().min(1).max(200))
    .default(48),
  order: z.enum(SHAPE_ORDERS).default("most"),
  limit: z
    .union([z.string().regex(/^\d{1,4}$/), z.int()])
    .transform(Number)
    .pipe(z.int().min(1).max(1_000))
    .default(200),
});

export const ShapeLine = z.object({
  shape: ShapeJson,
  count: z.int(),
  /** In the window before, as long as this one; absent where that was not counted to its end. */
  before: z.int().optional(),
  first: TimeText,
  last: TimeText,
  worst: z.string(),
  /** How many senders, and some of them by name. */
  senders: z.int(),
  senderNames: z.array(z.string()),
  course: z.array(z.int()),
  /** First ever seen within the window. */
  isNew: z.boolean(),
  /** The newest of its records. */
  example: RecordJson.optional(),
});
export type ShapeLine = z.infer<typeof ShapeLine>;

export const ShapesAnswer = z.object({
  shapes: z.array(ShapeLine),
  /** How many there are beyond those told. */
  others: z.int(),
  othersCount: z.int(),
  /** Records with a shape, and those that came before shapes were told apart. Flows have none and are not counted. */
  records: z.int(),
  without: z.int(),
  /** In a store that had records before: since when shapes are told apart; absent: of all its records. */
  since: TimeText.optional(),
  exact: z.boolean(),
  coveredFrom: TimeText,
  window: WindowJson,
  searched: Searched,
  tookMs: z.number(),
});
export type ShapesAnswer = z.infer<typeof ShapesAnswer>;

export const ShapeId = z.object({ id: EntityId });

export const ShapeDetail = z.object({ shape: ShapeJson });
export type ShapeDetail = z.infer<typeof ShapeDetail>;

/** What people call a shape; all of it is said each time. */
export const ShapeWrite = z.strictObject({
  name: z.string().trim().max(120),
  meaning: z.string().trim().max(1_000).default(""),
  category: z.enum(CATEGORIES).nullable().default(null),
  /** The category becomes that of whatever arrives with the shape's phrase: a phrase of one's own. */
  asPhrase: z.boolean().default(false),
});

export const ShapeValuesQuery = RecordQuery.pick({ filter: true, from: true, to: true, zone: true });

/** What a value of a shape is, by how those that were seen are written. */
export const SHAPE_VALUE_TYPES = ["number", "address", "time", "word", "text"] as const;

export const ShapeValues = z.object({
  values: z.array(
    z.object({
      number: z.int(),
      type: z.enum(SHAPE_VALUE_TYPES),
      distinct: z.int(),
      /** Least, middle and greatest of numbers. */
      range: z.object({ least: z.number(), median: z.number(), most: z.number() }).optional(),
      top: z.array(z.object({ value: z.string(), count: z.int(), filter: z.string().optional() })),
    }),
  ),
  /** Records that were read for it, the newest; whether these are all. */
  records: z.int(),
  complete: z.boolean(),
});
export type ShapeValues = z.infer<typeof ShapeValues>;
