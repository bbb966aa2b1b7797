import { expect, type Page, test } from "@playwright/test";
import { choose, Halvik } from "./halvik";

/** A rule is written, checked, rehearsed on what is stored, kept, and raises; what belongs together is one incident. */
let halvik: Halvik;
test.beforeAll(async () => {
  halvik = await Halvik.create();
  await halvik.start();
  await halvik.command(["senders", "import", "-"], "name,addresses\ngate,127.43.0.1\nvpn,127.43.0.2\n");
});
test.afterAll(() => halvik.dispose());
test.describe.configure({ mode: "serial" });

/** What stands in the editor of the file. */
const fileText = async (page: Page): Promise<string> =>
  (await page.getByTestId("rule-file").locator(".cm-line").allTextContents()).join("\n");

test("a new rule: the sentence and the file say the same; it is rehearsed, kept, and its versions held against each other", async ({
  page,
}) => {
  for (let i = 0; i < 6; i++) await halvik.udp("127.43.0.1", `<11>barrier: motor ${i} does not turn`);
  await halvik.firstSignIn(page);
  await page.getByRole("link", { name: "Rules" }).click();
  await page.getByLabel("Rules with these words").fill("guessing windows");
  await expect(page.getByRole("link", { name: "Several accounts locked out" })).toBeVisible();
  await page.getByRole("link", { name: "New rule" }).click();

  const file = page.getByLabel("The rule as a file");
  const sentence = page.getByTestId("rule-sentence");
  await page.getByLabel("Name").fill("Barrier stuck");
  await expect.poll(() => fileText(page)).toMatch(/^id: barrier-stuck\nname: Barrier stuck\n/);
  await sentence.getByLabel("count").fill("4");
  await expect.poll(() => fileText(page)).toMatch(/count: 4/);
  await sentence.getByLabel("filter", { exact: true }).fill("app is barier");
  await expect(page.getByText(/Nothing stored in the last 7 days matches/)).toBeVisible();
  await sentence.getByLabel("filter", { exact: true }).fill("ap is barrier");
  await expect(page.getByRole("alert")).toContainText("there is no field");
  await sentence.getByLabel("filter", { exact: true }).fill("app is barrier");
  await choose(sentence.getByLabel("clear by"), "record");
  await expect.poll(() => fileText(page)).toMatch(/clear:\n {2}by: record\n {2}filter: app is barrier/);
  await choose(sentence.getByLabel("clear by"), "quiet");
  // another kind keeps what is looked for; what the sentence offers is done and taken back
  await choose(sentence.getByLabel("kind", { exact: true }), "sequence");
  await expect(sentence.getByLabel("steps 0 filter")).toHaveText("app is barrier");
  await sentence.getByLabel("one more step").click();
  await expect(sentence.getByLabel("steps 2 filter")).toBeVisible();
  await choose(sentence.getByLabel("kind", { exact: true }), "count");
  await sentence.getByLabel("count").fill("4");
  await page.getByLabel("a time in which it is expected").click();
  await page.getByLabel("shelve 0 days").getByLabel("saturday").click();
  await expect.poll(() => fileText(page)).toMatch(/shelve:\n {2}- days:\n {6}- saturday\n {4}from: 22:00/);
  await page.getByLabel("not expected").click();
  await expect.poll(() => fileText(page)).not.toMatch(/shelve/);
  await page.getByLabel("worse by a filter").click();
  await page.getByLabel("worse 0 filter").fill("text has smoke");
  await expect.poll(() => fileText(page)).toMatch(/worse:\n {2}- severity: critical\n {4}filter: text has smoke/);
  await expect.poll(() => fileText(page)).toMatch(/title: "\{count\} × Barrier stuck on \{sender\}"/);
  // a test that fails does not keep anybody from saving without it
  const whole = await fileText(page);
  await file.focus();
  await page.keyboard.press("ControlOrMeta+a");
  await page.keyboard.insertText(
    `${whole}tests:\n  - name: one is enough\n    raises: 1\n    records:\n      - { at: 0, syslog: "<11>barrier: stuck" }\n`,
  );
  await expect(page.getByText("The test “one is enough” expects 1 finding and has 0.")).toBeVisible();
  await expect(page.getByRole("button", { name: "Save", exact: true })).toBeDisabled();

  await page.getByRole("button", { name: "Rehearse" }).click();
  await expect(page.getByTestId("rehearsal")).toContainText(
    "the whole window, 6 records that matter: 1 finding, 1 incident",
  );
  await page.getByRole("button", { name: "Save all the same, without it" }).click();
  await expect(page).toHaveURL(/\/rules\/barrier-stuck/);
  await expect(page.getByText("saved, version 1")).toBeVisible();
  await page.getByRole("radio", { name: "observing" }).click();
  await expect(page.getByText("saved, version 2")).toBeVisible();
  await page.getByRole("radio", { name: "on", exact: true }).click();
  await expect(page.getByText("saved, version 3")).toBeVisible();
  await page.getByTestId("rule-sentence").getByLabel("count").fill("40");
  await choose(page.getByLabel("Against"), "version 3 by owner");
  await page.getByRole("button", { name: "Rehearse" }).click();
  await expect(page.getByTestId("rehearsal")).toContainText(
    "0 findings, 0 incidents (the other version: 1 finding, 1 incident)",
  );

  await page.getByTestId("rule-sentence").getByLabel("count").fill("5");
  await page.getByRole("button", { name: "Save" }).click();
  await expect(page.getByText("saved, version 4")).toBeVisible();
  await page.getByRole("button", { name: "changes" }).first().click();
  await expect(page.getByRole("list", { name: "Changes" })).toContainText("removed: count: 4");

  // it raises from now on, and says how near it is
  for (let i = 0; i < 5; i++) await halvik.udp("127.43.0.1", `<11>barrier: motor ${i} does not turn`);
  await page
    .getByRole("navigation", { name: "Sections" })
    .getByRole("link", { name: /^Incidents/ })
    .click();
  await expect(page.getByRole("link", { name: /Barrier stuck on gate/ })).toBeVisible();
});

test("what belongs together is one incident, which says why; it is split, merged, shelved and exported", async ({
  page,
}) => {
  for (let i = 0; i < 10; i++)
    await halvik.udp("127.43.0.2", `<38>sshd[1]: Failed password for jo.berg from 203.0.113.50 port ${i} ssh2`);
  await halvik.udp("127.43.0.2", "<38>sshd[1]: Accepted password for jo.berg from 203.0.113.50 port 1 ssh2");
  for (let i = 0; i < 3; i++) await halvik.udp("127.43.0.1", "<34>su: 'su root' failed for jo.berg on /dev/pts/1");
  await halvik.signIn(page);
  await page
    .getByRole("navigation", { name: "Sections" })
    .getByRole("link", { name: /^Incidents/ })
    .click();
  await page.getByRole("link", { name: /203.0.113.50 was let in as jo.berg after many refused logons/ }).click();
  await expect(page.getByText(/same user jo\.berg/).first()).toBeVisible();

  await page.getByRole("button", { name: "More" }).click();
  await page.getByRole("menuitem", { name: "Split off …" }).click();
  await page
    .getByRole("dialog")
    .getByRole("button", { name: /Rights refused again and again/ })
    .click();
  await expect(
    page.getByRole("heading", { name: /jo\.berg was refused special rights 3 times on gate/ }),
  ).toBeVisible();
  await page.getByRole("button", { name: "More" }).click();
  await page.getByRole("menuitem", { name: "Merge into another incident …" }).click();
  await page
    .getByRole("dialog")
    .getByRole("button", { name: /was let in as jo\.berg/ })
    .click();
  await expect(page.getByRole("heading", { name: /was let in as jo\.berg/, level: 1 })).toBeVisible();

  await page.getByRole("button", { name: "Shelve" }).click();
  await page.getByLabel("Why").fill("the owner tries keys until noon");
  await page.getByLabel("Why").press("Enter");
  await expect(page.getByRole("complementary", { name: "Details" })).toContainText("the owner tries keys until noon");
  const id = /incidents\/(\d+)/.exec(page.url())![1];
  const markdown = await (await page.request.get(`${halvik.url}/api/v1/incidents/${id}/export`)).text();
  expect(markdown).toContain("Failed password for jo.berg from 203.0.113.50");
  expect(markdown).toMatch(/sha256 [0-9a-f]{64}/);
});
