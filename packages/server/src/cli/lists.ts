import { LIST_KINDS, type ListKind } from "@halvik/core/model/lists";
import { Command, Option } from "commander";
import { addList, addToList } from "../domains/lists/change-lists.js";
import { listLists } from "../domains/lists/repository.js";
import { nowUs } from "../kernel/clock.js";
import { withAct, withDb } from "./context.js";
import { openInput } from "./open-input.js";

export const listsCommand = (): Command =>
  new Command("lists")
    .addCommand(
      new Command("list").description("what lists there are").action(() =>
        withDb(async (db) => {
          for (const l of await listLists(db, nowUs())) console.log([l.name, l.kind, l.entries].join("\t"));
        }),
      ),
    )
    .addCommand(
      new Command("add")
        .description("add values to a list, which is made where there is none of that name")
        .argument("<name>")
        .argument("<file>", "lines of value,note,expires (CSV); “-”: standard input")
        .addOption(new Option("--kind <kind>", "of a new list").choices(LIST_KINDS).default("address"))
        .action(async (name: string, file: string, o: { readonly kind: ListKind }) => {
          const text = await wholeText(file);
          await withAct(async (act) => {
            const known = (await listLists(act.db, act.atUs)).find((l) => l.name.toLowerCase() === name.toLowerCase());
            const list = known ?? { id: await addList(act, { name, kind: o.kind, about: "" }), name, kind: o.kind };
            const { added, renewed, reasons } = await addToList(act, list, { as: "csv", text, source: "" });
            console.log(`${added} added, ${renewed} renewed`);
            for (const { what, why } of reasons) console.error(`${what}: ${why}`);
            if (reasons.length > 0) process.exitCode = 1;
          });
        }),
    );

const MOST_BYTES = 4_000_000;

async function wholeText(file: string): Promise<string> {
  const parts: Uint8Array[] = [];
  let bytes = 0;
  for await (const part of openInput(file)) {
    bytes += part.length;
    if (bytes > MOST_BYTES) throw new Error(`expected ${MOST_BYTES} octets at most`);
    parts.push(part);
  }
  return Buffer.concat(parts).toString("utf8");
}
