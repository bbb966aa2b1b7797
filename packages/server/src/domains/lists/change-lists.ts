import type { AddEntries, AddedEntries } from "@halvik/contract/lists";
import { ENTRIES_MOST } from "@halvik/core/model/lists";
import type * as z from "zod";
import type { Act } from "../../kernel/db/unit-of-work.js";
import { AppError } from "../../kernel/http/errors.js";
import { readEntries } from "./read-entries.js";
import { addEntries, insertList, known, type ListRow, listLists, roomIn } from "./repository.js";

const LISTS_MOST = 200;
const REASONS = 20;

/** Adds a list. @returns its number @throws CONFLICT when there are too many, or one of that name */
export async function addList(
  act: Act,
  list: { readonly name: string; readonly kind: ListRow["kind"]; readonly about: string },
): Promise<number> {
  if ((await listLists(act.db, act.atUs)).length >= LISTS_MOST)
    throw new AppError("CONFLICT", `there are ${LISTS_MOST} lists already`);
  const made = await insertList(act.db, list, act.who, act.atUs);
  if (made === null) throw new AppError("CONFLICT", `there is a list “${list.name}” already`, { field: "name" });
  await act.audit("list added", { id: made, name: list.name });
  return made;
}

/** Adds values to a list; what is wrong is refused by itself. @throws CONFLICT when there is no room, BAD_REQUEST when it cannot be read at all */
export async function addToList(
  act: Act,
  list: Pick<ListRow, "id" | "name" | "kind">,
  body: z.output<typeof AddEntries>,
): Promise<z.infer<typeof AddedEntries>> {
  const { entries, refused } = readEntries(list.kind, body);
  const room = await roomIn(act.db, list.id);
  const before = await known(
    act.db,
    list.id,
    entries.map((e) => e.value),
  );
  const coming = entries.length - before.size;
  if (coming > room)
    throw new AppError(
      "CONFLICT",
      `a list holds ${ENTRIES_MOST.toLocaleString("en")} entries at most: there is room for ${room}, and ${coming} would come`,
    );
  const added = await addEntries(act.db, list.id, entries, act.who, act.atUs);
  await act.audit("list entries added", { id: list.id, name: list.name, added, refused: refused.length });
  return { added, renewed: entries.length - added, refused: refused.length, reasons: refused.slice(0, REASONS) };
}
