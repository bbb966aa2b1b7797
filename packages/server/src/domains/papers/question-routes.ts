import {
  AskAgain,
  AskedAgain,
  NewQuestionSet,
  PaperParams,
  QuestionSetChange,
  QuestionSetList,
} from "@halvik/contract/papers";
import { canonicalAddress } from "@halvik/core/base/net";
import { type EpochUs, formatUs } from "@halvik/core/base/time";
import { askedFilter, READY_QUESTIONS } from "@halvik/core/papers";
import type { Actor } from "../../kernel/actor.js";
import { nowUs } from "../../kernel/clock.js";
import type { Models } from "../../kernel/db/models.js";
import { inAct } from "../../kernel/db/unit-of-work.js";
import { AppError } from "../../kernel/http/errors.js";
import { route } from "../../kernel/http/route.js";
import { countSearch, type SearchNeeds } from "./count-search.js";
import {
  addQuestionSet,
  changeQuestionSet,
  type KeptQuestionSet,
  questionSetsFor,
  removeQuestionSet,
} from "./question-sets-repository.js";

const MOST_SETS = 200;
const BUDGET_MS = 4_000;
/** All searches of one set together: who asks waits for an answer. */
const ALL_MS = 30_000;

/** What these routes work with. */
interface Needs extends SearchNeeds {
  readonly models: Models;
}

/** Ask again: sets of searches for a sort of question, run on a value. */
export const questionRoutes = (deps: Needs) => {
  const { db, models } = deps;
  const list = async (actor: Actor) => ({
    sets: (await questionSetsFor(db, actor.name)).map((s) => setJson(s, actor)),
    ready: [...READY_QUESTIONS],
  });
  /** A set of one's own. @throws {AppError} where it is another's */
  const own = async (id: number, actor: Actor) => {
    const set = (await questionSetsFor(db, actor.name)).find((s) => s.id === id);
    if (set === undefined) throw new AppError("NOT_FOUND", `there is no set of questions ${id}`);
    if (set.owner !== actor.name) throw new AppError("NOT_ALLOWED", `it is ${set.owner}'s set of questions`);
    return set;
  };
  return [
    route({
      method: "get",
      path: "/question-sets",
      summary: "Sets of searches to ask again: one's own, those that others share, and those that ship",
      access: "read",
      answer: QuestionSetList,
      handle: ({ actor }) => list(actor),
    }),
    route({
      method: "post",
      path: "/question-sets",
      summary: "Keeps a set of searches",
      access: "act",
      body: NewQuestionSet,
      answer: QuestionSetList,
      handle: async ({ body, actor }) => {
        await inAct(models, actor.name, async (act) => {
          if ((await questionSetsFor(act.db, actor.name)).length >= MOST_SETS)
            throw new AppError("CONFLICT", `there are ${MOST_SETS} sets of questions already`);
          await addQuestionSet(act.db, body.set, body.shared, actor.name, act.atUs);
          await act.audit("question set added", { name: body.set.name, shared: body.shared });
        });
        return list(actor);
      },
    }),
    route({
      method: "patch",
      path: "/question-sets/{id}",
      summary: "Changes a set of searches of one's own",
      access: "act",
      params: PaperParams,
      body: QuestionSetChange,
      answer: QuestionSetList,
      handle: async ({ params: { id }, body, actor }) => {
        await own(id, actor);
        await inAct(models, actor.name, async (act) => {
          if (!(await changeQuestionSet(act.db, id, body.version, body.set, body.shared, actor.name, act.atUs)))
            throw new AppError("CONFLICT", "it was changed meanwhile: load it anew");
          await act.audit("question set changed", { id, name: body.set.name, shared: body.shared });
        });
        return list(actor);
      },
    }),
    route({
      method: "delete",
      path: "/question-sets/{id}",
      summary: "Deletes a set of searches of one's own",
      access: "act",
      params: PaperParams,
      answer: QuestionSetList,
      handle: async ({ params: { id }, actor }) => {
        const { set } = await own(id, actor);
        await inAct(models, actor.name, async (act) => {
          await removeQuestionSet(act.db, id);
          await act.audit("question set deleted", { id, name: set.name });
        });
        return list(actor);
      },
    }),
    route({
      method: "post",
      path: "/ask-again",
      summary: "Runs a set of searches on a value: how many records each finds, and when the first and the last",
      access: "read",
      body: AskAgain,
      answer: AskedAgain,
      handle: async ({ body, actor }) => {
        const now = nowUs();
        const value = body.of === "address" ? canonicalAddress(body.value) : body.value;
        if (value === null)
          throw new AppError("BAD_REQUEST", `value: expected an address, got “${body.value}”`, { field: "value" });
        const lines = [];
        const until = performance.now() + ALL_MS;
        for (const { asks, filter } of body.searches) {
          const asked = { filter: askedFilter(filter, value), zone: body.zone, from: body.from, to: body.to };
          const answer =
            performance.now() < until
              ? await answered(deps, actor, asked, now)
              : { ...NOTHING, problem: "not asked: those before took all the time there is; narrow the window" };
          lines.push({ asks, filter: asked.filter, ...answer });
        }
        return { lines };
      },
    }),
  ];
};

const NOTHING = { count: 0, isExact: false, first: null, last: null };

/** One that cannot be read, or takes too long, is a line that says so: the others are answered. */
async function answered(
  deps: SearchNeeds,
  actor: Actor,
  asked: { readonly filter: string; readonly zone: string | undefined; readonly from: string; readonly to: string },
  now: EpochUs,
) {
  try {
    const { count, isExact, filter, window } = await countSearch(deps, actor, asked, now);
    if (count === 0) return { ...NOTHING, isExact, problem: null };
    const end = async (direction: "older" | "newer") => {
      const page = await deps
        .ask(filter)
        .page({ filter, ...window, nowUs: now, limit: 1, cursor: null, direction, budgetMs: BUDGET_MS });
      return page.records[0] === undefined ? null : formatUs(page.records[0].timeUs);
    };
    const [last, first] = [await end("older"), await end("newer")];
    return { count, isExact, first, last, problem: null };
  } catch (e) {
    if (e instanceof AppError && ["BAD_FILTER", "BAD_REQUEST", "TOO_SLOW"].includes(e.code))
      return { ...NOTHING, problem: e.message };
    throw e;
  }
}

const setJson = ({ id, set, owner, shared, version }: KeptQuestionSet, { name }: Actor) => ({
  id,
  set,
  owner,
  shared,
  mine: owner === name,
  version,
});
