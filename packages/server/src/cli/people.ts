import { formatUs } from "@halvik/core/base/time";
import { Argument, Command, InvalidArgumentError, Option } from "commander";
import { addPerson, changePerson, createToken, personNamed, resetPassword } from "../domains/people/repository.js";
import { nowUs } from "../kernel/clock.js";
import { Person, Token } from "../kernel/db/models.js";
import type { ModelAct } from "../kernel/db/unit-of-work.js";
import { withModelAct, withModels } from "./context.js";

const ROLES = ["owner", "analyst", "reader"] as const;

/** A command about one account. @param change what it does; what it returns is what the audit says */
const named = (
  command: string,
  description: string,
  change: (person: Person, act: ModelAct) => Promise<string>,
): Command =>
  new Command(command)
    .description(description)
    .argument("<name>")
    .action((name: string) =>
      withModelAct(async (act) => {
        const person = await personNamed(name);
        await act.audit(await change(person, act), { name: person.name });
      }),
    );

/** @throws when nobody else would be left who may do everything */
async function keepAnOwner(person: Person): Promise<void> {
  if (person.role !== "owner" || person.disabled) return;
  if ((await Person.count({ where: { role: "owner", disabled: false } })) <= 1)
    throw new Error(`“${person.name}” is the only owner: make another one first`);
}

/** A number of days. */
export function days(text: string): number {
  const n = /^(\d{1,4})d?$/.exec(text)?.[1];
  if (n === undefined || Number(n) < 1) throw new InvalidArgumentError("expected days, such as 90");
  return Number(n);
}

export const userCommand = (): Command =>
  new Command("user")
    .addCommand(
      new Command("add")
        .description("make an account and print its one-time password")
        .argument("<name>")
        .addOption(new Option("--role <role>").choices(ROLES).default("analyst"))
        .action((name: string, { role }: { role: Person["role"] }) =>
          withModelAct(async (act) => {
            const password = await addPerson(name, role, act.options);
            await act.audit("account made", { name, role });
            return password;
          }).then(console.log),
        ),
    )
    .addCommand(
      named("reset", "give an account a new one-time password and print it; its sessions end", async (person, act) => {
        console.log(await resetPassword(person, act.options));
        return "password reset";
      }),
    )
    .addCommand(
      named("disable", "let an account sign in no more; its sessions end", async (person, act) => {
        await keepAnOwner(person);
        await changePerson(person, { disabled: true }, act.options);
        return "account disabled";
      }),
    )
    .addCommand(
      named("enable", "let an account sign in again", async (person, act) => {
        await changePerson(person, { disabled: false }, act.options);
        return "account enabled";
      }),
    )
    .addCommand(
      named("remove", "delete an account; what it did stays in the audit", async (person, act) => {
        await keepAnOwner(person);
        await person.destroy(act.options);
        return "account removed";
      }),
    )
    .addCommand(
      named("sessions", "end every session of an account", async (person, act) => {
        await changePerson(person, {}, act.options);
        return "sessions ended";
      }),
    )
    .addCommand(
      new Command("role")
        .description("change what an account may do; its sessions end")
        .argument("<name>")
        .addArgument(new Argument("<role>").choices(ROLES))
        .action((name: string, role: Person["role"]) =>
          withModelAct(async (act) => {
            const person = await personNamed(name);
            if (role !== "owner") await keepAnOwner(person);
            await changePerson(person, { role }, act.options);
            await act.audit("role changed", { name: person.name, role });
          }),
        ),
    )
    .addCommand(
      new Command("list").description("list the accounts").action(() =>
        withModels(async () => {
          for (const p of await Person.findAll({ order: ["name"] }))
            console.log([p.name, p.role, p.disabled ? "disabled" : "active"].join("\t"));
        }),
      ),
    );

export const tokenCommand = (): Command =>
  new Command("token")
    .addCommand(
      new Command("create")
        .description("make a token and print it; it is shown only now")
        .argument("<name>")
        .option("--act", "it may also acknowledge, admit and change; without this it may only read")
        .option("--intake", "it may bring records over HTTPS, and nothing else")
        .option("--expires <days>", "after so many days it is worth nothing", days)
        .action((name: string, may: { act?: boolean; intake?: boolean; expires?: number }) =>
          withModelAct(async (act) => {
            if (await Token.findOne({ where: { name } })) throw new Error(`there is a token “${name}” already`);
            if (may.act && may.intake)
              throw new Error("a token is for intake or for reading and changing, not for both");
            const scope = may.intake ? "intake" : may.act ? "act" : "read";
            const { expires } = may;
            await act.audit("token made", { name, scope, ...(expires === undefined ? {} : { days: expires }) });
            return createToken(name, scope, expires ?? null, act.options);
          }).then(console.log),
        ),
    )
    .addCommand(
      new Command("revoke")
        .description("make a token worthless")
        .argument("<name>")
        .action((name: string) =>
          withModelAct(async (act) => {
            const [count] = await Token.update({ revoked: true }, { where: { name }, ...act.options });
            if (count === 0) throw new Error(`there is no token “${name}”`);
            await act.audit("token revoked", { name });
          }),
        ),
    )
    .addCommand(
      new Command("list").description("list the tokens").action(() =>
        withModels(async () => {
          for (const t of await Token.findAll({ order: ["name"] }))
            console.log([t.name, t.scope, stateOf(t)].join("\t"));
        }),
      ),
    );

function stateOf({ revoked, expiresUs }: Token): string {
  if (revoked) return "revoked";
  if (expiresUs === null) return "active";
  return expiresUs <= nowUs() ? "expired" : `active until ${formatUs(expiresUs).slice(0, 10)}`;
}
