import { SavedFilterBody, SavedFilterJson, SavedFilterList } from "@halvik/contract/filters";
import { formatUs } from "@halvik/core/base/time";
import { parseFilter, savedFilterNames } from "@halvik/core/query/filter";
import * as z from "zod";
import { nowUs } from "../../../kernel/clock.js";
import type { Config } from "../../../kernel/config/config.js";
import type { Pool } from "../../../kernel/db/pool.js";
import { AppError, filterError } from "../../../kernel/http/errors.js";
import { route } from "../../../kernel/http/route.js";
import type { DirectoryCache } from "../../intake/senders/directory-cache.js";
import {
  allSavedFilters,
  changeSavedFilter,
  forgetSavedFilter,
  type SavedFilter,
  savedFiltersFor,
  saveFilter,
} from "./repository.js";

const Id = z.object({
  id: z
    .string()
    .regex(/^\d{1,9}$/, "expected a number")
    .transform(Number),
});

/** What these routes work with. */
interface Needs {
  readonly db: Pool;
  readonly directory: DirectoryCache;
  readonly config: Config;
}

export const filterRoutes = ({ db, directory, config }: Needs) => {
  const toJson = (f: SavedFilter, person: string) => ({
    id: f.id,
    name: f.name,
    text: f.text,
    owner: f.owner,
    shared: f.shared,
    mine: f.owner === person,
    changed: formatUs(f.changedUs),
  });
  /** Whether a text can be kept under a name: it is understood, and does not lead back to itself. */
  const check = async (body: z.infer<typeof SavedFilterBody>, person: string, old: SavedFilter | null) => {
    const others = (await savedFiltersFor(db, person)).filter((f) => f.id !== old?.id);
    const saved = [...others, { name: body.name, text: body.text }];
    const parsed = parseFilter(`filter "${body.name.replace(/["\\]/g, "\\$&")}"`, {
      zone: config.HALVIK_ZONE,
      directory: await directory.get(),
      saved,
      allowsAfter: true,
    });
    if (!parsed.ok) throw filterError(parsed.error);
    // what others would no longer be able to read
    if (body.shared)
      for (const name of savedFilterNames(body.text)) {
        const used = others.find((f) => f.name.toLowerCase() === name.toLowerCase());
        if (used && !used.shared)
          throw new AppError("BAD_REQUEST", `a shared filter cannot use “${used.name}”, which is not shared`, {
            field: "shared",
          });
      }
  };
  const mine = async (id: number, person: string): Promise<SavedFilter> => {
    const found = (await savedFiltersFor(db, person)).find((f) => f.id === id);
    if (!found) throw new AppError("NOT_FOUND", "there is no such filter (any more)");
    if (found.owner !== person) throw new AppError("NOT_ALLOWED", `“${found.name}” is ${found.owner}'s to change`);
    return found;
  };
  /** Other filters that name one. */
  const usersOf = async (f: SavedFilter) =>
    (await allSavedFilters(db)).filter(
      (o) => o.id !== f.id && savedFilterNames(o.text).some((n) => n.toLowerCase() === f.name.toLowerCase()),
    );
  return [
    route({
      method: "get",
      path: "/filters",
      summary: "Saved filters: one's own, and those that are shared",
      access: "read",
      answer: SavedFilterList,
      handle: async ({ actor }) => ({
        filters: (await savedFiltersFor(db, actor.name)).map((f) => toJson(f, actor.name)),
      }),
    }),
    route({
      method: "post",
      path: "/filters",
      summary: "Keeps a filter under a name",
      access: "act",
      body: SavedFilterBody,
      answer: SavedFilterJson,
      handle: async ({ body, actor }) => {
        await check(body, actor.name, null);
        const made = await saveFilter(db, { ...body, owner: actor.name }, nowUs());
        if (!made) throw new AppError("CONFLICT", `there is a filter named “${body.name}” already`, { field: "name" });
        return toJson(made, actor.name);
      },
    }),
    route({
      method: "patch",
      path: "/filters/{id}",
      summary: "Changes one of one's own saved filters",
      access: "act",
      params: Id,
      body: SavedFilterBody,
      answer: SavedFilterJson,
      handle: async ({ params, body, actor }) => {
        const old = await mine(params.id, actor.name);
        await check(body, actor.name, old);
        if (old.name.toLowerCase() !== body.name.toLowerCase() || (old.shared && !body.shared))
          refuseIfUsed(await usersOf(old), old, "renamed or kept to yourself");
        const changed = await changeSavedFilter(db, params.id, actor.name, body, nowUs());
        if (!changed)
          throw new AppError("CONFLICT", `there is a filter named “${body.name}” already`, { field: "name" });
        return toJson(changed, actor.name);
      },
    }),
    route({
      method: "delete",
      path: "/filters/{id}",
      summary: "Forgets one of one's own saved filters",
      access: "act",
      params: Id,
      answer: z.object({ forgotten: z.boolean() }),
      handle: async ({ params, actor }) => {
        const old = await mine(params.id, actor.name);
        refuseIfUsed(await usersOf(old), old, "forgotten");
        await forgetSavedFilter(db, old.id);
        return { forgotten: true };
      },
    }),
  ];
};

function refuseIfUsed(users: readonly SavedFilter[], f: SavedFilter, what: string): void {
  if (users.length > 0)
    throw new AppError(
      "CONFLICT",
      `“${f.name}” cannot be ${what}: ${users.map((u) => `“${u.name}”`).join(", ")} ${users.length === 1 ? "uses" : "use"} it`,
    );
}
