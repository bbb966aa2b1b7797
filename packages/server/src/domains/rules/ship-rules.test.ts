import { type Rule, shippedRules } from "@halvik/core/detect";
import { TestStore } from "../../testing/test-store.js";
import { saveRule } from "./repository.js";
import { shipRules } from "./ship-rules.js";

let store: TestStore;
beforeAll(async () => {
  store = await TestStore.start();
});
afterAll(() => store?.dispose());

test("what a newer Halvik ships comes; what people changed, switched off or deleted stays as it is", async () => {
  const { client } = store;
  await client.query("delete from rule");
  await client.query("delete from rule_version");
  const rules: Rule[] = ["plain", "changed", "off", "deleted"].map((id) => ({ ...shippedRules()[0]!, id, name: id }));
  const now = async () =>
    (
      await client.query<{ line: string }>(
        "select concat_ws(' ', id, version, author, body->>'notes', body->>'enabled') as line from rule order by id",
      )
    ).rows.map((r) => r.line);
  const better = rules.map((rule) => ({ ...rule, notes: "better" }));
  const [plain, changed, off] = rules as [Rule, Rule, Rule];
  const notes = plain.notes;

  await shipRules(client, 1, rules);
  await shipRules(client, 2, rules);
  expect(await now()).toEqual(["changed", "deleted", "off", "plain"].map((id) => `${id} 1 Halvik ${notes} true`));

  await saveRule(client, { ...changed, notes: "ours" }, "kim", 3);
  await saveRule(client, { ...off, enabled: false }, "kim", 3);
  await client.query("delete from rule where id = 'deleted'");
  for (const at of [4, 5]) await shipRules(client, at, [...better, { ...plain, id: "new", notes: "better" }]);
  expect(await now()).toEqual([
    "changed 2 kim ours true",
    "new 1 Halvik better true",
    `off 2 kim ${notes} false`,
    "plain 2 Halvik better true",
  ]);
  // the version before is still there to be held against it
  const { rows } = await client.query("select version, author from rule_version where id = 'plain' order by version");
  expect(rows).toEqual([1, 2].map((version) => ({ version, author: "Halvik" })));
});
