import { ContrastAnswer, ContrastQuery } from "@halvik/contract/contrast";
import { nowUs } from "../../kernel/clock.js";
import { route } from "../../kernel/http/route.js";
import { type ContrastNeeds, contrastOf } from "./contrast.js";

/** What changed: two windows, or two sets of records of one, told apart by what they hold. */
export const contrastRoutes = (deps: ContrastNeeds) => [
  route({
    method: "get",
    alsoPost: true,
    path: "/contrast",
    summary: "What is different in a window as against others, or of one filter as against another, ranked by surprise",
    access: "read",
    query: ContrastQuery,
    answer: ContrastAnswer,
    handle: ({ query, actor }) => contrastOf(deps, actor, query, nowUs()),
  }),
];
