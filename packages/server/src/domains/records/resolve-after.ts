import { field, type HalvikRecord } from "@halvik/core/model/record";
import type { SenderDirectory } from "@halvik/core/model/senders";
import {
  type After,
  type Anchor,
  aftersOf,
  type Filter,
  followers,
  stretchesOf,
  withoutAfters,
} from "@halvik/core/query/filter";
import { filterError } from "../../kernel/http/errors.js";
import type { Window } from "../../kernel/http/window.js";
import type { PageKey } from "../../store/search.js";
import type { Ask } from "./questions.js";

const MOST_AFTERS = 3;
const MOST_ANCHORS = 5_000;
/** Stretches of time a search is given: each is a condition more. */
const MOST_STRETCHES = 500;
const READ_AT_ONCE = 1_000;
const BUDGET_MS = 4_000;

/**
 * Puts what its questions stand for into a filter: looks for the records that something came after, within the window and as long before it
 * as they reach into it.
 * @throws TOO_COSTLY at the place of the question, where there are too many, or looking for them takes too long
 */
export async function resolveAfters(
  ask: Ask,
  filter: Filter,
  window: Window,
  senders: SenderDirectory,
  nowUs: number,
): Promise<Filter> {
  const questions = aftersOf(filter);
  if (questions.length === 0) return filter;
  if (questions.length > MOST_AFTERS)
    return refuse(questions[MOST_AFTERS]!, `what came after something is asked at most ${MOST_AFTERS} times`);
  const meant = new Map<After, Filter>();
  for (const question of questions) {
    const anchors = await anchorsOf(ask, question, window, senders, nowUs);
    const found = followers(question, anchors);
    if (stretchesOf(found) > MOST_STRETCHES)
      refuse(question, `that came before is in more than ${MOST_STRETCHES} places: narrow it, or the window`);
    meant.set(question, found);
  }
  return withoutAfters(filter, meant);
}

async function anchorsOf(
  ask: Ask,
  question: After,
  window: Window,
  senders: SenderDirectory,
  nowUs: number,
): Promise<Anchor[]> {
  const { item, withinUs } = question;
  const started = performance.now();
  const anchors: Anchor[] = [];
  let cursor: PageKey | null = null;
  do {
    const leftMs = BUDGET_MS - (performance.now() - started);
    if (leftMs <= 0) refuse(question, "looking for what came before takes too long: narrow it, or the window");
    const page = await ask(item).page({
      filter: item,
      fromUs: window.fromUs - withinUs,
      toUs: window.toUs,
      nowUs,
      budgetMs: leftMs,
      limit: READ_AT_ONCE,
      cursor,
      direction: "older",
    });
    for (const record of page.records)
      anchors.push({ timeUs: record.timeUs, values: valuesOf(question, record, senders) });
    if (anchors.length > MOST_ANCHORS)
      refuse(question, `more than ${MOST_ANCHORS} records came before: narrow what is in brackets, or the window`);
    cursor = page.next;
  } while (cursor !== null);
  return anchors;
}

function valuesOf(question: After, record: HalvikRecord, senders: SenderDirectory): readonly string[] {
  if (question.field === "sender") return [senders.name(record.sender)];
  return field(question.field).get(record, senders.applications).map(String);
}

function refuse({ span }: After, message: string): never {
  throw filterError({ code: "TOO_COSTLY", message, span, suggestion: null });
}
