import { Command, InvalidArgumentError } from "commander";
import { givePaper, ownedPapers } from "../domains/papers/repository.js";
import { nowUs } from "../kernel/clock.js";
import { withDb, withModelAct } from "./context.js";

function paperId(text: string): number {
  if (!/^\d{1,9}$/.test(text)) throw new InvalidArgumentError("expected the number of an investigation, such as 12");
  return Number(text);
}

/** Whose investigations are: what somebody leaves behind who has no account any more, nobody else could open or delete. */
export const investigationsCommand = (): Command =>
  new Command("investigations")
    .addCommand(
      new Command("list")
        .description("list them with their owners, and which of these have no account any more")
        .action(() =>
          withDb(async (db) => {
            for (const p of await ownedPapers(db, nowUs()))
              console.log([p.id, p.name, p.state, p.isOwned ? p.owner : `${p.owner} (no account)`].join("\t"));
          }),
        ),
    )
    .addCommand(
      new Command("give")
        .description("make an account the owner of an investigation")
        .argument("<id>", "", paperId)
        .argument("<name>")
        .action((id: number, name: string) =>
          withModelAct(async (act) => {
            // models of accounts are long to read, and the list needs none
            const { personNamed } = await import("../domains/people/repository.js");
            const person = await personNamed(name);
            if (person.disabled) throw new Error(`“${person.name}” is disabled: enable the account first`);
            if (!(await givePaper(act.db, id, person.name))) throw new Error(`there is no investigation ${id}`);
            await act.audit("investigation given", { id, to: person.name });
          }),
        ),
    );
