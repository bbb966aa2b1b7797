import { OwnFormat } from "@halvik/core/formats";
import { KINDS } from "@halvik/core/model/record";
import * as z from "zod";
import { TimeText } from "./common.js";

export const OwnFormatJson = z
  .object({
    id: z.int(),
    format: OwnFormat,
    enabled: z.boolean(),
    version: z.int(),
    /** Why it is not tried: its filter names what is gone. */
    broken: z.string().nullable(),
    author: z.string(),
    changed: TimeText,
    /** Records it read in the last day and week, and how many of the day it nearly fitted. */
    day: z.number(),
    week: z.number(),
    near: z.number(),
    /** The latest it nearly fitted: the line, and where it went another way. */
    nearLines: z.array(
      z.object({ at: TimeText, sender: z.string(), text: z.string(), place: z.int(), expected: z.string() }),
    ),
  })
  .meta({ id: "OwnFormat" });
export type OwnFormatJson = z.infer<typeof OwnFormatJson>;

export const OwnFormatList = z.object({ formats: z.array(OwnFormatJson) });
export type OwnFormatList = z.infer<typeof OwnFormatList>;

export const OwnFormatChange = z.object({ format: OwnFormat.optional(), enabled: z.boolean().optional() });
export const OwnFormatOrder = z.object({ ids: z.array(z.int()).max(200) });

/** A format on trial, and lines to try it on besides what is stored. */
export const FormatTrial = z.object({
  format: OwnFormat,
  lines: z.array(z.string().max(8_000)).max(50).default([]),
});

const Read = z.object({
  text: z.string(),
  /** What comes out: fields and named values. */
  values: z.array(z.object({ name: z.string(), value: z.string(), isField: z.boolean() })),
  kind: z.enum(KINDS),
  severity: z.int(),
});
const Missed = z.object({ text: z.string(), place: z.int(), expected: z.string(), near: z.boolean() });

export const FormatPreview = z.object({
  /** Of the lines given, in their order. */
  lines: z.array(z.union([Read, Missed])),
  /** Of what is stored; `of`: records looked at, `exact`: all there are. */
  spans: z.array(z.object({ says: z.string(), of: z.int(), fits: z.int(), near: z.int(), exact: z.boolean() })),
  fits: z.array(Read.extend({ at: TimeText, sender: z.string() })),
  near: z.array(Missed.extend({ at: TimeText, sender: z.string() })),
});
export type FormatPreview = z.infer<typeof FormatPreview>;

export const FormatLines = z.object({ lines: z.array(z.string().max(8_000)).min(1).max(50) });
export const FormatProposals = z.object({
  proposals: z.array(z.object({ form: OwnFormat.shape.form, names: OwnFormat.shape.names })),
});
export type FormatProposals = z.infer<typeof FormatProposals>;

export const FormatVersions = z.object({
  versions: z.array(z.object({ version: z.int(), format: OwnFormat, author: z.string(), changed: TimeText })),
});
export type FormatVersions = z.infer<typeof FormatVersions>;

/** A format that reads history anew, and how far it came. */
export const FormatReadingJson = z
  .object({
    id: z.int(),
    format: z.int(),
    name: z.string(),
    version: z.int(),
    author: z.string(),
    from: TimeText,
    to: TimeText,
    state: z.enum(["waiting", "reading", "done", "stopped", "failed", "taking back", "taken back"]),
    asked: TimeText,
    changed: TimeText,
    /** Parts of the history, and how many it went through. */
    parts: z.int(),
    partsDone: z.int(),
    /** Records looked at, amended, left because they had been read before, and refused by the database. */
    looked: z.number(),
    amended: z.number(),
    readBefore: z.number(),
    refused: z.number(),
    why: z.string().nullable(),
  })
  .meta({ id: "FormatReading" });
export type FormatReadingJson = z.infer<typeof FormatReadingJson>;
export const FormatReadingList = z.object({ readings: z.array(FormatReadingJson) });
export type FormatReadingList = z.infer<typeof FormatReadingList>;

/** From when to when it reads; nothing: all there is until now. */
export const FormatReadingAsked = z.object({ from: TimeText.optional(), to: TimeText.optional() });
