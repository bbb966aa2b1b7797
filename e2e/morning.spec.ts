import { expect, type Page, test } from "@playwright/test";
import { faultsOf } from "./faults";
import { choose, Halvik } from "./halvik";

/** An analyst's morning: from an empty queue, by notice and mail, to a closed incident and the mail that it is over. */
let halvik: Halvik;
let endSink: () => void;
test.beforeAll(async () => {
  halvik = await Halvik.create();
  await halvik.start({ HALVIK_SMTP_URL: `smtp://127.0.0.1:${halvik.ports.MAIL_SINK}` });
  endSink = await halvik.mailSink();
  await halvik.command(
    ["senders", "import", "-"],
    "name,addresses,site\nplc-1,127.44.0.1,Torvika\ngate,127.44.0.2,Hestnes\n",
  );
});
test.afterAll(async () => {
  endSink?.();
  await halvik.dispose();
});
test.describe.configure({ mode: "serial" });

const mail = (page: Page, subject: RegExp) => page.locator("summary").filter({ hasText: subject });

test("someone is to be told: a route is made, and tried", async ({ page }) => {
  await halvik.firstSignIn(page);
  await expect(page.getByRole("heading", { name: "Nothing needs you" })).toBeVisible();
  await page.getByRole("button", { name: /Notices/ }).click();
  await page.getByRole("link", { name: "Notifications by mail" }).click();
  await expect(page.getByText("Nobody is notified yet")).toBeVisible();
  await page.getByRole("button", { name: "Add a notification" }).click();
  await page.getByLabel("Name", { exact: true }).fill("duty");
  await page.getByLabel("To", { exact: true }).fill("duty at orvane");
  await page.getByRole("button", { name: "Save" }).click();
  await expect(page.getByRole("alert")).toContainText("expected a mail address");
  await page.getByLabel("To", { exact: true }).fill("duty@orvane.example");
  await choose(page.getByLabel("Incidents of severity"), "warning or worse");
  await page.getByRole("button", { name: "Save" }).click();
  await expect(page.getByText("Mail to duty@orvane.example for warning or worse")).toBeVisible();
  await page.getByRole("button", { name: "Send a test" }).click();
  await expect(mail(page, /a test of the notification “duty”/)).toBeVisible();
  await expect(page.getByRole("cell", { name: "test sent" })).toBeVisible();
});

test("a fan fails: a notice, a mail with the record; it is seen, taken, noted and worked on, all by keyboard", async ({
  page,
}) => {
  await halvik.signIn(page);
  await halvik.udp("127.44.0.1", "<11>env: fan 2 failed, speed 0 rpm");
  await expect(page.getByRole("heading", { name: "One thing needs you" })).toBeVisible();
  await expect(page.getByRole("button", { name: /Notices1 not read/ })).toBeVisible();
  await page.keyboard.press("j");
  await page.keyboard.press("Enter");
  const title = page.getByRole("heading", { level: 1 });
  await expect(title).toContainText("plc-1");
  await page.keyboard.press("a");
  await page.getByLabel(/Note/).fill("on my way");
  await page.keyboard.press("Control+Enter");
  const margin = page.getByRole("complementary", { name: "Details" });
  await expect(margin).toContainText("acknowledged by");
  await page.keyboard.press("n");
  await page
    .getByLabel("Note, as Markdown")
    .fill("Spare is in **store 4** <script>document.title = 'owned'</script> [here](javascript:alert(1))");
  await page.keyboard.press("Control+Enter");
  await expect(margin.locator("strong")).toHaveText("store 4");
  await expect(margin.getByRole("link", { name: "here" })).toHaveCount(0);
  expect(await page.title()).not.toContain("owned");
  await page.getByLabel("A new task").fill("change fan 2");
  await page.keyboard.press("Enter");
  await expect(margin.getByText("1 to do")).toBeVisible();
  await page.getByRole("button", { name: "Assign" }).click();
  await page.getByRole("button", { name: "To me" }).click();
  await expect(margin).toContainText("owner");
  await page.goto(`${halvik.url}/notify`);
  await mail(page, /raised: .*plc-1/).click();
  await expect(page.locator("details[open] pre")).toContainText("fan 2 failed, speed 0 rpm");
});

test("it runs again: cleared by evidence, mailed as over, the task done, closed, handed over", async ({ page }) => {
  await halvik.signIn(page);
  await halvik.udp("127.44.0.1", "<14>env: fan 2 is running");
  await page.goto(`${halvik.url}/notify`);
  const over = mail(page, /over: .*plc-1/);
  await expect(over).toBeVisible();
  await over.click();
  await expect(page.locator("details[open] pre")).toContainText("cleared (a clearing record came)");
  await page.goto(`${halvik.url}/incidents/1`);
  await expect(page.getByRole("complementary", { name: "Details" })).toContainText("cleared");
  await page.getByLabel("change fan 2").click();
  await expect(page.getByText("all done")).toBeVisible();
  await page
    .getByRole("button", { name: /^Close/ })
    .first()
    .click();
  await page.getByLabel(/Note/).fill("fan changed");
  await page.getByRole("complementary").locator("form").getByRole("button", { name: "Close", exact: true }).click();
  await expect(page.getByRole("complementary", { name: "Details" })).toContainText("closed as fixed");
  const handover = await page.request.get(`${halvik.url}/api/v1/incidents/1/export?format=handover`);
  expect(await handover.text()).toContain("closed as fixed");
});

test("two more: chosen by keyboard, closed together, and taken back; the next fan knows how the last one ended", async ({
  page,
}) => {
  await halvik.signIn(page);
  await halvik.udp("127.44.0.2", "<11>env: fan 1 failed");
  await halvik.udp("127.44.0.2", "<11>env: power supply 2 failure");
  await page
    .getByRole("navigation", { name: "Sections" })
    .getByRole("link", { name: /^Incidents/ })
    .click();
  await page.getByRole("radio", { name: /need you/ }).click();
  const queue = page.getByRole("region", { name: "Queue" });
  await expect(queue.getByRole("checkbox")).toHaveCount(2);
  const before = await queue.getByRole("link").allInnerTexts();
  await page.keyboard.press("X");
  await page.keyboard.press("c");
  await page.getByLabel("Note (optional)").fill("both are old");
  // another form keeps what was typed
  await page.getByRole("button", { name: /^Note/ }).click();
  await expect(page.getByLabel("Note, as Markdown")).toHaveValue("both are old");
  await page.getByRole("button", { name: /^Close/ }).click();
  await page.getByRole("radio", { name: /^expected/ }).click();
  await page.getByLabel("Note (optional)").press("Enter");
  await expect(page.getByText("Nothing needs you")).toBeVisible();
  await page.getByRole("button", { name: "Undo" }).click();
  await expect(queue.getByRole("link")).toHaveCount(before.length);
  await page.keyboard.press("j");
  await page.keyboard.press("Enter");
  const margin = page.getByRole("complementary", { name: "Details" });
  await expect(margin.getByText("undone").first()).toBeVisible();
  await expect(margin.getByText("fan changed")).toBeVisible();
});

test("whoever was mailed acknowledges by the link in the mail, without signing in; once", async ({ page, browser }) => {
  await halvik.signIn(page);
  await page.goto(`${halvik.url}/notify`);
  const raised = mail(page, /raised: .*gate/).first();
  await raised.click();
  const text = (await page.locator("details[open] pre").first().textContent())!;
  const link = /Acknowledge it, once, within 72 h\s+(\S+)/.exec(text)![1]!;
  // in another browser
  const other = await (await browser.newContext()).newPage();
  await other.goto(link);
  await expect(other.getByRole("main")).toContainText("You were notified of an incident as duty@orvane.example");
  expect(await faultsOf(other)).toEqual([]);
  await other.getByRole("button", { name: "Acknowledge it" }).click();
  await expect(other.getByRole("main")).toContainText("is acknowledged by duty@orvane.example");
  await other.reload();
  await other.getByRole("button", { name: "Acknowledge it" }).click();
  await expect(other.getByRole("alert")).toContainText("this link has been used");
  await other.context().close();
});

test("a report of the errors is written, seen as it will be, kept, made, taken away as PDF, and due every Monday", async ({
  page,
}) => {
  await halvik.signIn(page);
  await page.getByRole("link", { name: "Reports", exact: true }).click();
  await page.getByRole("button", { name: "Write a report" }).click();
  await page.getByLabel("Name", { exact: true }).fill("Errors by sender");
  await choose(page.getByLabel("Period"), "the last hour");
  await page.getByRole("button", { name: "add a part" }).click();
  await page.getByRole("menuitem", { name: "Bars" }).click();
  await page.getByLabel("Title").fill("Who had errors");
  const preview = page.getByRole("region", { name: "Preview" });
  await expect(preview.getByRole("row", { name: /^plc-1/ })).toBeVisible();
  await choose(page.getByLabel("and by"), "severity");
  await expect(preview.getByRole("row", { name: /^plc-1 error/ })).toBeVisible();
  await page.getByRole("button", { name: "Save" }).click();

  // the report itself; a row leads to its records
  await expect(page.getByRole("heading", { name: "Errors by sender", level: 1 })).toBeVisible();
  await expect(page.getByRole("row", { name: /^plc-1 error/ })).toBeVisible();
  await page.getByRole("button", { name: "Make it now" }).click();
  const outputs = page.getByRole("region", { name: "Outputs" });
  await expect(outputs).toContainText("by owner");
  await outputs.getByRole("button", { name: "take away" }).click();
  const download = page.waitForEvent("download");
  await page.getByRole("menuitem", { name: "PDF" }).click();
  expect((await download).suggestedFilename()).toMatch(/^errors-by-sender-\d{4}-\d\d-\d\d\.pdf$/);

  const times = page.getByRole("region", { name: "Schedules" });
  await times.getByRole("button", { name: "add a time" }).click();
  await times.getByLabel("By the clock of").fill("Europe/Nowhere");
  await times.getByRole("button", { name: "Save" }).click();
  await expect(times.getByRole("alert")).toHaveText("expected a time zone, as Europe/Oslo");
  await times.getByLabel("By the clock of").fill("Europe/Oslo");
  await times.getByRole("checkbox", { name: "duty" }).click();
  await times.getByRole("button", { name: "Save" }).click();
  await expect(times).toContainText("every Monday at 08:00, Europe/Oslo");
  await expect(times).toContainText("sent by a notification");

  // a row leads to its records, and begins a rule that guards it
  await page.getByRole("link", { name: "plc-1" }).first().click();
  await expect(page.getByTestId("record-line").first()).toContainText("fan");
  await page.goBack();
  await page
    .getByRole("row", { name: /^plc-1 error/ })
    .getByRole("link", { name: "limit" })
    .click();
  await expect(page.getByLabel("Name", { exact: true })).toHaveValue("Limit on records: plc-1, error");
  await page.getByRole("button", { name: "Save" }).click();
  await expect(page).toHaveURL(/\/rules\/limit-on-records-plc-1-error/);
  await page.getByRole("link", { name: "Reports", exact: true }).click();
  await page.getByRole("link", { name: "Limits" }).click();
  await expect(page.getByRole("row", { name: /Limit on records: plc-1, error/ })).toBeVisible();
});

test("a search stands on a board, is moved, shared, and put on the wall; taken back, the wall goes dark", async ({
  page,
  browser,
}) => {
  await halvik.signIn(page);
  await page.goto(`${halvik.url}/records?filter=severity%20at%20least%20error&last=3600s`);
  await expect(page.getByTestId("record-line").first()).toBeVisible();
  await page.getByRole("button", { name: "Put on a board" }).click();
  const dialog = page.getByRole("dialog", { name: "Put on a board" });
  await choose(dialog.getByLabel("What"), "how many there are");
  await dialog.getByLabel("Its name").fill("Control room");
  await dialog.getByLabel("Title").fill("Errors");
  await dialog.getByRole("button", { name: "Put it there" }).click();
  await page.getByRole("link", { name: "Control room" }).click();
  const errors = page.getByRole("region", { name: "Errors", exact: true });
  await expect(errors).toContainText(/[1-9]\d*records/);

  // what needs somebody comes beside it, by the fields of its form
  await page.getByRole("link", { name: "Change", exact: true }).click();
  await page.getByRole("button", { name: "Add a tile" }).click();
  await page.getByRole("menuitem", { name: "What needs somebody" }).click();
  const details = page.getByRole("complementary", { name: "Details" });
  await details.getByLabel("Column").fill("5");
  await details.getByLabel("Row").fill("1");
  const queue = page.getByRole("region", { name: "Needs somebody", exact: true });
  await expect(queue).toBeVisible();
  // tiles glide to their places
  await expect(async () => {
    const [left, right] = [await errors.boundingBox(), await queue.boundingBox()];
    expect(right!.x).toBeGreaterThan(left!.x + left!.width - 1);
    expect(Math.abs(right!.y - left!.y)).toBeLessThan(2);
  }).toPass({ timeout: 10_000 });
  // and by the mouse, by its title, to the right
  await details.getByRole("checkbox", { name: /^shared/ }).click();
  const title = page.getByRole("heading", { name: /^Errors/ });
  const from = (await title.boundingBox())!;
  await page.mouse.move(from.x + 20, from.y + 5);
  await page.mouse.down();
  await page.mouse.move(from.x + 420, from.y + 20, { steps: 8 });
  await page.mouse.up();
  const isMoved = () =>
    expect(async () => expect((await errors.boundingBox())!.x).toBeGreaterThan(from.x + 200)).toPass({
      timeout: 10_000,
    });
  await isMoved();
  await page.getByRole("button", { name: "Save" }).click();
  await expect(page.getByText("Yours, shared")).toBeVisible();
  await page.reload();
  await isMoved();
  // a figure leads to its records
  await page.getByRole("link", { name: "Errors", exact: true }).click();
  await expect(page.getByTestId("record-line").first()).toContainText("error");

  await page.goto(`${halvik.url}/reports/boards`);
  await page.getByRole("button", { name: "put boards on a wall" }).click();
  const made = page.getByRole("dialog");
  await made.getByLabel("Which screen").fill("left of the door");
  await made.getByRole("checkbox", { name: "Control room" }).click();
  await made.getByRole("button", { name: "Make its address" }).click();
  const address = (await made.getByText(/\/wall#hw_/).textContent())!;
  await made.getByRole("button", { name: "Done" }).click();

  // a browser that nobody signed in to
  const screen = await browser.newContext({ viewport: { width: 1920, height: 1080 } });
  const wall = await screen.newPage();
  await wall.goto(address);
  const figure = wall.getByRole("region", { name: "Errors", exact: true });
  await expect(figure).toContainText(/[1-9]\d*records/);
  // figures 72 pixels and more, text 28 and more
  const sizes = await wall.locator("main *").evaluateAll((all) =>
    all
      .filter((e) => [...e.childNodes].some((n) => n.nodeType === Node.TEXT_NODE && n.textContent!.trim() !== ""))
      .filter((e) => getComputedStyle(e).clip === "auto" && !e.closest("title"))
      .map((e) => Number.parseFloat(getComputedStyle(e).fontSize)),
  );
  expect(Math.min(...sizes)).toBeGreaterThanOrEqual(28);
  expect(Math.max(...sizes)).toBeGreaterThanOrEqual(72);
  // it is no way in
  await wall.goto(`${halvik.url}/records`);
  await expect(wall.getByLabel("Password", { exact: true })).toBeVisible();
  await wall.goto(address);
  await expect(figure).toBeVisible();

  await page.getByRole("button", { name: "take back" }).click();
  await page.getByRole("button", { name: "take it back for good" }).click();
  await expect(page.getByText("No screen shows boards yet.")).toBeVisible();
  await wall.reload();
  await expect(wall.getByText(/has been taken back/)).toBeVisible();
  await screen.close();
});
