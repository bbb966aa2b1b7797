import { Command, Option } from "commander";
import { audit, createToken, resetPerson } from "../access/people.js";
import { Person, Token } from "../store/models.js";
import { withModels } from "./context.js";

const CLI = "command line";

export const peopleCommands = (): Command[] => [
  new Command("user")
    .description("accounts of people")
    .addCommand(
      new Command("add")
        .description("make an account and print its one-time password")
        .argument("<name>")
        .addOption(new Option("--role <role>").choices(["owner", "analyst", "reader"]).default("analyst"))
        .action((name: string, { role }: { role: Person["role"] }) =>
          withModels(async () => {
            if (await Person.findOne({ where: { name } }))
              throw new Error(`there is an account “${name}” already; “user reset ${name}” gives it a new password`);
            const password = await resetPerson(name, role);
            await audit(CLI, "account made", { name, role });
            console.log(password);
          }),
        ),
    )
    .addCommand(
      new Command("reset")
        .description("give an account a new one-time password and print it")
        .argument("<name>")
        .action((name: string) =>
          withModels(async () => {
            if (!(await Person.findOne({ where: { name } }))) throw new Error(`there is no account “${name}”`);
            const password = await resetPerson(name, null);
            await audit(CLI, "password reset", { name });
            console.log(password);
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
    ),
  new Command("token")
    .description("tokens for programs that use the API")
    .addCommand(
      new Command("create")
        .description("make a token and print it; it is shown only now")
        .argument("<name>")
        .option("--act", "it may also acknowledge, admit and change; without this it may only read")
        .option("--intake", "it may bring records over HTTPS, and nothing else")
        .action((name: string, { act, intake }: { act?: boolean; intake?: boolean }) =>
          withModels(async () => {
            if (await Token.findOne({ where: { name } })) throw new Error(`there is a token “${name}” already`);
            if (act && intake) throw new Error("a token is for intake or for reading and changing, not for both");
            const scope = intake ? "intake" : act ? "act" : "read";
            const token = await createToken(name, scope);
            await audit(CLI, "token made", { name, scope });
            console.log(token);
          }),
        ),
    )
    .addCommand(
      new Command("revoke")
        .description("make a token worthless")
        .argument("<name>")
        .action((name: string) =>
          withModels(async () => {
            const [count] = await Token.update({ revoked: true }, { where: { name } });
            if (count === 0) throw new Error(`there is no token “${name}”`);
            await audit(CLI, "token revoked", { name });
          }),
        ),
    )
    .addCommand(
      new Command("list").description("list the tokens").action(() =>
        withModels(async () => {
          for (const t of await Token.findAll({ order: ["name"] }))
            console.log([t.name, t.scope, t.revoked ? "revoked" : "active"].join("\t"));
        }),
      ),
    ),
];
