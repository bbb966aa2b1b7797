import * as z from "zod";
import { CountRule } from "./count/schema.js";
import { DepartureRule } from "./departure/schema.js";
import { DistinctRule } from "./distinct/schema.js";
import { FirstRule } from "./first/schema.js";
import { RatioRule } from "./ratio/schema.js";
import { SequenceRule } from "./sequence/schema.js";
import { SilenceRule } from "./silence/schema.js";
import { TogetherRule } from "./together/schema.js";

/** A rule of any kind, by its shape alone. */
export const RuleShape = z.discriminatedUnion("kind", [
  CountRule,
  DistinctRule,
  SequenceRule,
  TogetherRule,
  SilenceRule,
  FirstRule,
  DepartureRule,
  RatioRule,
]);
export type RuleShape = z.infer<typeof RuleShape>;
