import { isDeepStrictEqual } from "node:util";
import { nearest } from "@halvik/core/query/filter";
import { type Request, type Response, Router } from "express";
import * as z from "zod";
import type { Actor } from "../actor.js";
import { AppError, parseInput } from "./errors.js";
import { Turns } from "./turns.js";

/** What a handler gets: checked input and who asks. */
export interface RouteInput<Q, B, P> {
  readonly query: Q;
  readonly body: B;
  readonly params: P;
  readonly actor: Actor;
  /** Whether who asked may still do so: for answers that go on. */
  readonly mayStill: () => Promise<boolean>;
  readonly req: Request;
  readonly res: Response;
}

/**
 * A route as data: Express binds it, OpenAPI describes it. `access`: "open" to anyone, "read" and "act" to those who may.
 * A handler that answers by itself (a stream) returns undefined.
 */
export interface Route {
  readonly method: "get" | "post" | "patch" | "delete";
  readonly path: string;
  readonly summary: string;
  readonly access: "open" | "read" | "act";
  readonly query?: z.ZodType;
  readonly body?: z.ZodType;
  readonly params?: z.ZodType;
  readonly answer: z.ZodType | { readonly type: string };
  /** The same may be asked by POST, with what the query has as JSON: a filter may be longer than a URL. */
  readonly alsoPost?: boolean;
  /** A screen on the wall may ask for it, as far as its boards go. */
  readonly onWall?: boolean;
  /** It goes on for as long as someone reads: it has no turn. */
  readonly streams?: boolean;
  readonly handle: (input: RouteInput<never, never, never>) => Promise<unknown>;
}

/** Who asks without having signed in. */
export const NOBODY = "nobody";

/** Declares a route; its handler's input types follow from the schemas. */
export function route<Q extends z.ZodType, B extends z.ZodType, P extends z.ZodType>(
  spec: Omit<Route, "handle" | "query" | "body" | "params"> & {
    query?: Q;
    body?: B;
    params?: P;
    handle: (input: RouteInput<z.output<Q>, z.output<B>, z.output<P>>) => Promise<unknown>;
  },
): Route {
  return spec as unknown as Route;
}

/** Who asks, put there by the session or token middleware; null for nobody. */
export type ActorOf = (req: Request) => Actor | null;

/** No text the database keeps holds U+0000 or half a surrogate pair (`docs/semantics.md` 7): refused here, wherever it stands. */
function refuseUnstorable(value: unknown, depth = 0): void {
  if (typeof value === "string") {
    if (value.includes("\0") || !value.isWellFormed())
      throw new AppError("BAD_REQUEST", "expected Unicode text without U+0000");
  } else if (typeof value === "object" && value !== null) {
    if (depth > MAX_DEPTH) throw new AppError("BAD_REQUEST", `expected values nested at most ${MAX_DEPTH} deep`);
    for (const [name, inner] of Object.entries(value)) {
      refuseUnstorable(name, depth + 1);
      refuseUnstorable(inner, depth + 1);
    }
  }
}
const MAX_DEPTH = 100;

/**
 * @param mayStill whether who asked may still do so, asked again later
 * @param checkAnswers holds each answer against the contract before it is sent: for tests and development
 */
export function bind(
  routes: readonly Route[],
  actorOf: ActorOf,
  mayStill: (req: Request) => Promise<boolean>,
  checkAnswers: boolean,
): Router {
  const router = Router();
  const turns = new Turns();
  for (const r of routes) {
    const handle = async (req: Request, res: Response) => {
      const actor = actorOf(req);
      if (actor?.wall !== undefined && r.onWall !== true)
        throw new AppError("NOT_ALLOWED", "a screen on the wall may ask for its own boards and their tiles alone");
      if (r.access !== "open") {
        if (actor === null)
          throw new AppError("SIGN_IN_NEEDED", "sign in, or send a token as “Authorization: Bearer …”");
        if (r.access === "act" && actor.may !== "act")
          throw new AppError("NOT_ALLOWED", `${actor.name} may read, not change`);
      }
      for (const part of [req.query, req.body, req.params] as unknown[]) refuseUnstorable(part);
      const input = {
        query: readQuery(r, req),
        body: readBody(r, req),
        params: r.params ? parseInput(r.params, req.params) : undefined,
        actor: actor ?? { name: NOBODY, may: "read" },
        mayStill: () => mayStill(req),
        req,
        res,
      };
      const work = () => r.handle(input as RouteInput<never, never, never>);
      const answer = actor === null || r.streams ? await work() : await turns.take(turnOf(actor), work);
      if (answer === undefined) return;
      if (checkAnswers) mustFit(r, answer);
      res.json(answer);
    };
    const path = r.path.replace(/\{(\w+)\}/g, ":$1");
    router[r.method](path, handle);
    if (r.alsoPost) router.post(path, handle);
  }
  return router;
}

/** Whose turn it is: a screen on the wall takes none from whoever put it there. */
const turnOf = ({ name, wall }: Actor): string => (wall === undefined ? name : `wall ${wall.id}`);

/** @throws when an answer is not what the contract says, or says more */
function mustFit({ method, path, answer: schema }: Route, answer: unknown): void {
  if (!(schema instanceof z.ZodType)) return;
  const sent: unknown = JSON.parse(JSON.stringify(answer));
  const { success, data, error } = schema.safeParse(sent);
  const where = `${method.toUpperCase()} ${path}`;
  if (!success) throw new Error(`${where} answers against its contract: ${z.prettifyError(error)}`);
  if (!isDeepStrictEqual(data, sent))
    throw new Error(`${where} answers more than its contract says: ${diffOf(data, sent) ?? ""}`);
}

/** The first place where what was sent has something that the contract has not. */
function diffOf(known: unknown, sent: unknown, at = "answer"): string | null {
  if (typeof sent !== "object" || sent === null || typeof known !== "object" || known === null)
    return isDeepStrictEqual(known, sent) ? null : at;
  for (const [name, value] of Object.entries(sent)) {
    const found = diffOf((known as Record<string, unknown>)[name], value, `${at}.${name}`);
    if (found !== null) return found;
  }
  return null;
}

function readQuery(r: Route, req: Request): unknown {
  const asked: unknown = r.alsoPost && req.method === "POST" ? (req.body ?? {}) : req.query;
  refuseUnknownNames(r.query, asked, "parameter ");
  return r.query ? parseInput(r.query, asked) : undefined;
}

function readBody(r: Route, req: Request): unknown {
  if (r.body === undefined) return undefined;
  refuseUnknownNames(r.body, req.body, "");
  return parseInput(r.body, req.body);
}

/**
 * A name nobody knows is a mistake that would else change what is answered, or done, without a word.
 * @param schema of what is asked; nothing is taken where there is none
 */
function refuseUnknownNames(schema: z.ZodType | undefined, asked: unknown, what: string): void {
  const known = schema === undefined ? [] : namesOf(schema);
  if (known === null || typeof asked !== "object" || asked === null || Array.isArray(asked)) return;
  const unknown = Object.keys(asked).find((name) => !known.includes(name));
  if (unknown === undefined) return;
  const near = nearest(unknown, known);
  const takes = known.length === 0 ? "it takes none" : `it takes ${known.join(", ")}`;
  throw new AppError(
    "BAD_REQUEST",
    `there is no ${what}“${unknown}” here; ${near === null ? takes : `did you mean “${near}”?`}`,
    { field: unknown, ...(near === null ? {} : { suggestion: near }) },
  );
}

/** The names an object may have; null: any, or it is none. */
const namesOf = (schema: z.ZodType): string[] | null =>
  schema instanceof z.ZodObject && schema.def.catchall === undefined ? Object.keys(schema.shape) : null;
