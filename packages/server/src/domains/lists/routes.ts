import { EntityId } from "@halvik/contract/common";
import {
  AddEntries,
  AddedEntries,
  ListEntries,
  ListEntriesQuery,
  ListJson,
  Lists,
  ListWrite,
} from "@halvik/contract/lists";
import { formatUs } from "@halvik/core/base/time";
import { listNames } from "@halvik/core/query/filter";
import * as z from "zod";
import { nowUs } from "../../kernel/clock.js";
import type { Models } from "../../kernel/db/models.js";
import type { Pool, Queryable } from "../../kernel/db/pool.js";
import { inAct } from "../../kernel/db/unit-of-work.js";
import { AppError } from "../../kernel/http/errors.js";
import { route } from "../../kernel/http/route.js";
import { addList, addToList } from "./change-lists.js";
import {
  changeList,
  deleteEntry,
  deleteList,
  keptFilters,
  type ListRow,
  listEntries,
  listLists,
} from "./repository.js";

const SHOWN = 500;
const params = z.object({ id: EntityId });

/** What these routes work with. */
interface Needs {
  readonly models: Models;
  readonly db: Pool;
}

/** Lists that filters and rules name. */
export const listRoutes = ({ models, db }: Needs) => {
  const all = async () => {
    const kept = await keptFilters(db);
    return (await listLists(db, nowUs())).map((row) => toJson(row, kept));
  };
  return [
    route({
      method: "get",
      path: "/lists",
      summary: "Lists of addresses, domains and names, with what uses them",
      access: "read",
      answer: Lists,
      handle: async () => ({ lists: await all() }),
    }),
    route({
      method: "post",
      path: "/lists",
      summary: "Adds a list",
      access: "act",
      body: ListWrite,
      answer: ListJson,
      handle: async ({ body, actor }) => {
        const id = await inAct(models, actor.name, (act) => addList(act, body));
        return (await all()).find((l) => l.id === id)!;
      },
    }),
    route({
      method: "patch",
      path: "/lists/{id}",
      summary: "Changes what a list is about, and its name while nothing uses it",
      access: "act",
      params,
      body: ListWrite,
      answer: ListJson,
      handle: async ({ params: p, body, actor }) => {
        await inAct(models, actor.name, async (act) => {
          const list = await needed(act.db, p.id);
          if (body.kind !== list.kind) throw new AppError("BAD_REQUEST", "a list keeps its kind; make another one");
          if (body.name !== list.name) refuseUsed(list, await keptFilters(act.db), "renamed");
          await changeList(act.db, p.id, body, actor.name, nowUs());
          await act.audit("list changed", { id: p.id, name: body.name });
        });
        return (await all()).find((l) => l.id === p.id)!;
      },
    }),
    route({
      method: "delete",
      path: "/lists/{id}",
      summary: "Takes a list away that nothing uses",
      access: "act",
      params,
      answer: z.object({ gone: z.boolean() }),
      handle: async ({ params: p, actor }) => {
        await inAct(models, actor.name, async (act) => {
          const list = await needed(act.db, p.id);
          refuseUsed(list, await keptFilters(act.db), "deleted");
          await deleteList(act.db, p.id);
          await act.audit("list deleted", { id: p.id, name: list.name });
        });
        return { gone: true };
      },
    }),
    route({
      method: "get",
      path: "/lists/{id}/entries",
      summary: "Entries of a list, the newest first, or those with a text in them",
      access: "read",
      params,
      query: ListEntriesQuery,
      answer: ListEntries,
      handle: async ({ params: p, query }) => {
        await needed(db, p.id);
        const { rows, all: count } = await listEntries(db, p.id, query.text ?? "", SHOWN);
        const now = nowUs();
        return {
          more: count - rows.length,
          entries: rows.map((r) => ({
            id: r.id,
            value: r.value,
            note: r.note,
            source: r.source,
            expires: r.expires_us === null ? null : formatUs(r.expires_us),
            expired: r.expires_us !== null && r.expires_us <= now,
            author: r.author,
            added: formatUs(r.added_us),
          })),
        };
      },
    }),
    route({
      method: "post",
      path: "/lists/{id}/entries",
      summary: "Adds a value, a table (CSV) or a bundle (STIX 2.1) to a list; what is wrong in it is refused by itself",
      access: "act",
      params,
      body: AddEntries,
      answer: AddedEntries,
      handle: ({ params: p, body, actor }) =>
        inAct(models, actor.name, async (act) => addToList(act, await needed(act.db, p.id), body)),
    }),
    route({
      method: "delete",
      path: "/lists/{id}/entries/{entry}",
      summary: "Takes an entry out of a list",
      access: "act",
      params: params.extend({ entry: z.coerce.number().int().min(1) }),
      answer: z.object({ gone: z.boolean() }),
      handle: ({ params: p, actor }) =>
        inAct(models, actor.name, async (act) => {
          if (!(await deleteEntry(act.db, p.id, p.entry)))
            throw new AppError("NOT_FOUND", `there is no entry ${p.entry}`);
          await act.audit("list entry removed", { id: p.id, entry: p.entry });
          return { gone: true };
        }),
    }),
  ];
};

type Kept = Awaited<ReturnType<typeof keptFilters>>;

async function needed(db: Queryable, id: number): Promise<ListRow> {
  const found = (await listLists(db, nowUs())).find((l) => l.id === id);
  if (found === undefined) throw new AppError("NOT_FOUND", `there is no list ${id}`);
  return found;
}

const usesOf = (name: string, kept: Kept) =>
  kept
    .filter((k) =>
      listNames(k.what === "rule" ? k.text.replace(/\\(.)/g, "$1") : k.text).some(
        (n) => n.toLowerCase() === name.toLowerCase(),
      ),
    )
    .map(({ what, id, name: called }) => ({ what, id, name: called }));

function refuseUsed(list: ListRow, kept: Kept, done: string): void {
  const [first, ...others] = usesOf(list.name, kept);
  if (first === undefined) return;
  const more = others.length === 0 ? "" : ` and ${others.length} more`;
  throw new AppError("CONFLICT", `it cannot be ${done}: the ${first.what} “${first.name}”${more} names it`);
}

const toJson = (r: ListRow, kept: Kept) => ({
  id: r.id,
  name: r.name,
  kind: r.kind,
  about: r.about,
  author: r.author,
  changed: formatUs(r.changed_us),
  entries: r.entries,
  expired: r.expired,
  nextExpiry: r.next_expiry_us === null ? null : formatUs(r.next_expiry_us),
  usedBy: usesOf(r.name, kept),
});
