import { execFileSync } from "node:child_process";
import { createHash } from "node:crypto";
import { mkdtempSync, readFileSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { expect, type Page, test } from "@playwright/test";
import { choose, Halvik } from "./halvik";

/** From a symptom to its cause with the keyboard alone, by the means the Records page gives. */
let halvik: Halvik;
test.beforeAll(async () => {
  halvik = await Halvik.create();
  await halvik.start();
  await halvik.command(
    ["senders", "import", "-"],
    "name,addresses,site\nweb-1,127.41.0.1,Orvane\ntimes-db,127.41.0.2,Orvane\n",
  );
});
test.afterAll(() => halvik.dispose());
test.describe.configure({ mode: "serial" });

const lines = (page: Page) => page.getByTestId("record-line");
const filter = async (page: Page, text: string) => {
  await page.keyboard.press("/");
  await page.keyboard.press("Control+A");
  await page.keyboard.type(text);
  // the first closes what is offered, where that has come up yet
  do await page.keyboard.press("Escape");
  while (await page.evaluate(() => document.activeElement?.closest(".cm-editor") !== null));
  await page.keyboard.press("/");
  await page.keyboard.press("Enter");
};
/** Goes on with Tab until something with these words has the focus. */
const tabTo = async (page: Page, words: RegExp) => {
  for (let i = 0; i < 80; i++) {
    await page.keyboard.press("Tab");
    const focused = await page.evaluate(
      () => document.activeElement?.getAttribute("aria-label") ?? document.activeElement?.textContent ?? "",
    );
    if (words.test(focused)) return;
  }
  throw new Error(`Tab never came to ${words}`);
};

test("a refused connection leads to a full disk, and the way there is kept", async ({ page }) => {
  await halvik.firstSignIn(page);
  await halvik.udp("127.41.0.2", "<26>kernel: sda1: no space left on device");
  await halvik.udp("127.41.0.2", "<30>postgres: shutting down");
  for (let i = 0; i < 6; i++) await halvik.udp("127.41.0.1", `<30>web: GET /times/${i} 200 in 4 ms`);
  for (let i = 0; i < 3; i++) await halvik.udp("127.41.0.1", "<27>web: times-db does not answer: connection refused");
  await expect(page.getByRole("heading", { name: "Nothing needs you" })).toBeVisible();
  await page.keyboard.press("g");
  await page.keyboard.press("r");
  await expect(page).toHaveURL(/\/records/);
  await expect(lines(page).filter({ hasText: "connection refused" })).toHaveCount(3);

  // the symptom, by a phrase; its record in the margin
  await filter(page, '"connection refused"');
  await expect(lines(page)).toHaveCount(3);
  await expect(page.getByTestId("count")).toContainText("3 records");
  await expect(page.getByTestId("coverage")).toHaveText("No known gaps in this window");
  await page.keyboard.press("j");
  await expect(page.getByRole("complementary")).toContainText("web-1");
  await page.keyboard.press("Escape");

  // what else there is: values, and one of them taken up
  await filter(page, "severity at least error");
  await page.keyboard.press("v");
  const values = page.getByRole("region", { name: "Top values" });
  await expect(values).toContainText("times-db");
  await tabTo(page, /^times-db$/);
  await page.keyboard.press("Enter");
  await expect(lines(page)).toHaveCount(1);
  await expect(lines(page)).toContainText("no space left on device");
  await page.keyboard.press("v");
  await expect(values).toHaveCount(0);

  // a misspelt value says so, and what was meant is one key away
  await filter(page, "sender is times-db and app is kernl");
  const why = page.getByTestId("why-nothing");
  await expect(why).toContainText("app is kernl matches nothing in this window");
  await expect(why).toContainText("sender is times-db alone matches 2");
  await tabTo(page, /did you mean kernel/);
  await page.keyboard.press("Enter");
  await expect(lines(page)).toHaveCount(1);

  // kept by name, used by name
  await tabTo(page, /^saved and recent$/);
  await page.keyboard.press("Enter");
  await expect(page.getByRole("menuitem", { name: /Save this filter/ })).toBeFocused();
  await page.keyboard.press("Enter");
  await expect(page.getByLabel("Name")).toBeFocused();
  await page.keyboard.type("full disks");
  await page.keyboard.press("Enter");
  await expect(page.getByRole("dialog", { name: "Save this filter" })).toHaveCount(0);
  await filter(page, 'filter "full disks" and severity at least error');
  await expect(page.getByTestId("reading")).toContainText("app is kernel");
  await expect(lines(page)).toHaveCount(1);

  // the link restores it all
  await page.reload();
  await expect(lines(page)).toHaveCount(1);
});

test("while a filter is written, values that are there are offered", async ({ page }) => {
  await halvik.signIn(page);
  await page.goto(`${halvik.url}/records`);
  await expect(lines(page).first()).toBeVisible();
  await page.keyboard.press("/");
  await page.keyboard.type("app is po");
  await expect(page.getByRole("option", { name: /^postgres/ })).toBeVisible();
  // the list takes no key in its first moments, so that it cannot take one meant for the text
  await page.waitForTimeout(200);
  await page.keyboard.press("Tab");
  await expect(page.getByLabel("Filter")).toContainText("app is postgres");
  await page.keyboard.press("Enter");
  await expect(lines(page)).toHaveCount(1);
});

test("a time in the filter is where the page looks, and going back undoes it", async ({ page }) => {
  await halvik.signIn(page);
  await page.goto(`${halvik.url}/records?last=3600s`);
  await expect(lines(page).first()).toBeVisible();
  await filter(page, "time last 3 d and app is kernel");
  await expect(page).toHaveURL(/last=2592\d\ds/);
  await expect(page.getByTestId("reading")).toContainText("In the last 3 d, and app is kernel.");
  await expect(lines(page)).toHaveCount(1);
  // a narrower window says what it leaves out
  await page.keyboard.press("Escape");
  await page.keyboard.press("{");
  await expect(page.getByTestId("reading")).toContainText("The window shows only part of that time.");
  await page.getByRole("button", { name: "Show all of it" }).click();
  await expect(page.getByTestId("reading")).not.toContainText("only part");
  await page.goBack();
  await expect(page).toHaveURL(/last=3600s/);
  await expect(page.getByLabel("Filter", { exact: true })).not.toContainText("3 d");
});

test("an export is the file itself, with what proves it beside it; or an archive of both", async ({ page }) => {
  await halvik.signIn(page);
  await page.goto(`${halvik.url}/records?filter=refused&last=604800s`);
  await page.getByRole("button", { name: "export", exact: true }).click();
  const download = page.waitForEvent("download");
  await page.getByRole("button", { name: "Export", exact: true }).click();
  const file = await download;
  expect(file.suggestedFilename()).toMatch(/\.csv$/);
  const text = readFileSync(await file.path());
  expect(text.toString()).toMatch(/^id,time,/);
  const done = page.getByTestId("export-progress");
  await expect(done).toContainText(/done: [\d,]+ records/);
  await expect(done).toContainText(createHash("sha256").update(text).digest("hex"));
  const beside = page.waitForEvent("download");
  await page.getByRole("button", { name: "save the manifest" }).click();
  expect((await beside).suggestedFilename()).toMatch(/\.csv\.manifest\.json$/);
  const answer = await page.request.get(`${halvik.url}/api/v1/records/export?format=raw&filter=refused&as=archive`);
  expect(answer.headers()["content-type"]).toBe("application/zip");
  const body = await answer.body();
  expect(body.subarray(0, 4)).toEqual(Buffer.from("PK\u0003\u0004"));
  expect(body.includes("manifest.json")).toBe(true);
});

test("a form writes the filter; columns are chosen, kept and carried by a link; a value tells when it was seen first and last", async ({
  page,
}) => {
  await halvik.signIn(page);
  await page.goto(`${halvik.url}/records`);
  await expect(lines(page).first()).toBeVisible();
  // editor and form say the same
  await page.getByRole("button", { name: "as a form" }).click();
  await page.getByRole("button", { name: "Add a line" }).click();
  await choose(page.getByLabel("Field of line 1"), "app");
  await choose(page.getByLabel("Comparison of line 1"), "is");
  await page.getByLabel("Value of line 1").fill("web");
  await expect(page.getByLabel("Filter", { exact: true })).toContainText("app is web");
  await expect(page.getByTestId("preview")).toContainText(/Enter applies it: \d+ in this window, none before/);
  await page.getByRole("button", { name: "Add words" }).click();
  await page.getByLabel("Line 2", { exact: true }).fill('"connection refused"');
  await page.getByRole("button", { name: "Apply" }).click();
  await expect(lines(page)).toHaveCount(3);
  await page.getByRole("button", { name: "Close", exact: true }).click();

  await page.getByRole("button", { name: "columns" }).click();
  await choose(page.getByLabel("Add a column"), "app");
  await page.getByRole("button", { name: "app further left" }).click();
  await page.keyboard.press("Escape");
  await expect(page).toHaveURL(/columns=app%2Cwhat\+it\+says/);
  const edge = page.getByRole("separator", { name: "Width of app" });
  await edge.focus();
  const before = Number(await edge.getAttribute("aria-valuenow"));
  await page.keyboard.press("ArrowRight");
  await expect(edge).toHaveAttribute("aria-valuenow", String(before + 16));
  const link = page.url();
  await page.evaluate(() => localStorage.clear());
  await page.goto(link);
  await expect(page.getByRole("separator", { name: "Width of app" })).toHaveAttribute(
    "aria-valuenow",
    String(before + 16),
  );

  await lines(page).first().getByRole("button", { name: "web" }).click();
  await page.getByRole("menuitem", { name: "first and last seen" }).click();
  const seen = page.getByRole("status").filter({ hasText: "app is web" });
  await expect(seen.getByRole("button", { name: /^first ever/ })).toBeVisible();
  await seen.getByRole("button", { name: /^last / }).click();
  await expect(page.getByRole("complementary", { name: "Details" })).toBeVisible();
});

test("records folded to what they say: one shape named, muted and held against the time before; what is around a record", async ({
  page,
}) => {
  await halvik.signIn(page);
  await page.goto(`${halvik.url}/records?last=3600s`);
  await expect(lines(page).first()).toBeVisible();
  await page.keyboard.press("f");
  const shapes = page.getByTestId("shape-line");
  const served = shapes.filter({ hasText: "web GET $1" });
  await expect(served).toContainText("6");
  await expect(served).toContainText("never before");
  await served.click();
  const margin = page.getByRole("complementary", { name: "Details" });
  await expect(margin.getByRole("region", { name: "Values of $1" })).toContainText("/times/3");
  await margin.getByLabel("Name", { exact: true }).fill("Timetable served");
  await margin.getByRole("button", { name: "Save" }).click();
  await expect(served).toContainText("Timetable served");
  // a rule and a rule of arrival begin with it
  await expect(margin.getByRole("link", { name: "raise on it" })).toHaveAttribute("href", /filter=shape\+is\+\d+/);
  await margin.getByRole("link", { name: "drop or mark it on arrival" }).click();
  await expect(page.getByRole("form", { name: "New rule of arrival" }).getByLabel("Name")).toHaveValue(
    "Timetable served",
  );
  await page.goBack();
  await page.keyboard.press("o");
  await expect(served).toHaveCount(0);
  await expect(page).toHaveURL(/not\+shape\+is\+\d+/);
  await page.goBack();

  await page.keyboard.press("d");
  await expect(page.getByLabel("Held against")).toContainText("the period before");
  // before the first record nothing was kept: that is no time in which nothing happened
  await expect(page.getByRole("main")).toContainText("Nothing of that time is kept");
  await choose(page.getByLabel("Held against"), "the records of another filter");
  await page.getByLabel("The other filter").fill("sender is times-db");
  await page.getByRole("button", { name: "Compare" }).click();
  const difference = page.getByTestId("difference").filter({ hasText: "web-1" });
  await expect(difference).toContainText("appeared");
  await difference.click();
  await page.getByRole("button", { name: "Its records" }).click();
  await expect(lines(page)).toHaveCount(9);

  await lines(page).first().click();
  const around = page.getByRole("region", { name: "Around it" });
  await expect(around.getByRole("listitem")).toHaveCount(10);
  await choose(around.getByLabel("Around it by"), "of the same sender");
  await expect(around.getByRole("listitem").first()).toContainText("web-1");
});

test("named values are found and offered; words that stand nowhere are said; pasted values become a filter, many a list", async ({
  page,
}) => {
  await halvik.signIn(page);
  await halvik.udp(
    "127.41.0.1",
    `<30>1 - web-1 till - - [sale@32473 terminal="7" from="192.0.2.33"] sold to 192.0.2.33`,
  );
  await page.goto(`${halvik.url}/records?last=3600s&filter=app+is+till`);
  await expect(lines(page)).toHaveCount(1);
  await page.keyboard.press("v");
  await page.getByRole("button", { name: "named values" }).click();
  const named = page.getByRole("region", { name: "Named values" });
  // a number, as far as it was looked at
  await named.getByRole("button", { name: "sale@32473 terminal number" }).click();
  await named.getByRole("button", { name: "7", exact: true }).click();
  await expect(page.getByLabel("Filter", { exact: true })).toContainText('data "sale@32473 terminal" is 7');
  await expect(lines(page)).toHaveCount(1);

  await filter(page, "sold or qwertz");
  await expect(page.getByTestId("reading").getByRole("status")).toHaveText("In no record that is kept: qwertz.");
  await page.keyboard.press("/");
  await page.keyboard.press("Control+A");
  await page.keyboard.type("data ");
  await expect(page.getByRole("option", { name: /sale@32473 terminal/ })).toBeVisible();
  await page.keyboard.press("Escape");
  await page.keyboard.press("Escape");

  const paste = async (text: string) => {
    await page.goto(`${halvik.url}/records?last=3600s`);
    await page.getByRole("button", { name: "paste values" }).click();
    await page.getByLabel("Values", { exact: true }).fill(text);
  };
  await paste("seen: 192[.]0[.]2[.]33, 192.0.2.34");
  await expect(page.getByRole("dialog").getByRole("status")).toContainText("2 addresses; left out: seen");
  await page.getByRole("button", { name: "Look for them" }).click();
  await expect(page.getByLabel("Filter", { exact: true })).toContainText("address in 192.0.2.33, 192.0.2.34");
  await expect(lines(page)).toHaveCount(1);
  await paste(Array.from({ length: 1_000 }, (_, i) => `192.0.${i >> 8}.${i & 255}`).join("\n"));
  await page.getByLabel("They become a list").fill("seen elsewhere");
  await page.getByRole("button", { name: "Look for them" }).click();
  await expect(page.getByLabel("Filter", { exact: true })).toContainText('address in list "seen elsewhere"');
  await expect(lines(page)).toHaveCount(1);
});

test("working papers, from one strange record to a bundle that can be checked without Halvik", async ({ page }) => {
  await halvik.signIn(page);
  await page.goto(`${halvik.url}/records?last=3600s&filter=refused`);
  await expect(lines(page)).toHaveCount(3);
  await page.keyboard.press("j");
  await page.keyboard.press("p");
  const dialog = page.getByRole("dialog", { name: "Pin to an investigation" });
  await dialog.getByLabel("Its name").fill("Why did the times stop?");
  await dialog.getByLabel("Why", { exact: true }).fill("The first that was told");
  await page.keyboard.press("Enter");
  await expect(page.getByText("Pinned as #1 of Why did the times stop?")).toBeVisible();
  // the cause of it, and the search that found both
  await filter(page, "space");
  await expect(lines(page)).toHaveCount(1);
  await page.keyboard.press("j");
  await expect(lines(page)).toHaveAttribute("aria-current", "true");
  await page.keyboard.press("p");
  await dialog.getByLabel("Why", { exact: true }).fill("The disk was full before");
  await page.keyboard.press("Enter");
  await expect(dialog).toHaveCount(0);
  await page.keyboard.press("p");
  await choose(dialog.getByLabel("What"), "the search space");
  await dialog.getByRole("button", { name: "Pin it" }).click();
  await expect(dialog).toHaveCount(0);

  await page.keyboard.press("g");
  await page.keyboard.press("v");
  await page.getByRole("link", { name: "Why did the times stop?", exact: true }).click();
  const pins = page.getByTestId("pin");
  await expect(pins).toHaveCount(3);
  const cause = pins.filter({ hasText: "no space left on device" });
  await cause.getByRole("button", { name: /no space left/ }).click();
  await choose(cause.getByLabel("Leads to"), /^#1 /);
  await cause.getByLabel("How it leads there").fill("so the database stopped");
  await cause.getByRole("button", { name: "draw the arrow" }).click();
  await expect(cause).toContainText("→ #1 so the database stopped");
  await cause.getByLabel("A technique’s id").fill("t1499");
  await page.keyboard.press("Enter");
  await expect(cause).toContainText("T1499");
  const search = pins.filter({ hasText: "1 record:" });
  await search.getByRole("button", { name: /1 record:/ }).click();
  await search.getByRole("button", { name: "count again" }).click();
  await expect(search.getByRole("status")).toHaveText("As many now.");

  const written = page.getByRole("complementary", { name: "Details" });
  await written.getByRole("button", { name: "Write: What was found" }).click();
  await written.getByLabel("What was found").fill("The disk of `times-db` was full, see #2.");
  await page.keyboard.press("Control+Enter");
  await written.getByRole("button", { name: "#2" }).click();
  await expect(page).toHaveURL(/pin=2/);
  await written.getByLabel("A new hypothesis").fill("A backup filled it");
  await page.keyboard.press("Enter");
  await choose(written.getByLabel("A pin for it"), /^#2 /);
  await expect(written.getByRole("region", { name: "Hypotheses" })).toContainText("#2");

  await page.getByRole("radio", { name: "lanes" }).click();
  await expect(page.getByRole("img", { name: /Pins by what they name/ })).toContainText("times-db");
  await page.getByRole("radio", { name: "ask again" }).click();
  await choose(page.getByLabel("Set of questions"), "This device");
  await page.getByLabel("Of which sender").fill("times-db");
  await page.getByRole("button", { name: "Ask", exact: true }).click();
  await expect(page.getByTestId("answer").filter({ hasText: "errors and worse" })).toContainText("1");

  await page.getByRole("radio", { name: "hand over" }).click();
  const download = page.waitForEvent("download");
  await page.getByRole("link", { name: "Evidence bundle, ZIP" }).click();
  const directory = mkdtempSync(join(tmpdir(), "halvik-bundle-"));
  try {
    execFileSync("python3", ["-m", "zipfile", "-e", await (await download).path(), directory]);
    const checked = execFileSync("sha256sum", ["--check", "SHA256SUMS"], { cwd: directory, encoding: "utf8" });
    expect(checked).not.toContain("FAILED");
    expect(readFileSync(join(directory, "raw/pin-2.bin"), "utf8")).toBe("<26>kernel: sda1: no space left on device");
    const summary = readFileSync(join(directory, "summary.md"), "utf8");
    for (const said of ["The disk of `times-db` was full", "so the database stopped", "A backup filled it", "T1499"])
      expect(summary).toContain(said);
  } finally {
    rmSync(directory, { recursive: true, force: true });
  }
});

test("two write in one paper at once: neither loses a word", async ({ page, browser }) => {
  const printed = await halvik.command(["user", "add", "berit"]);
  const other = await (await browser.newContext()).newPage();
  await halvik.firstSignIn(other, printed.trim(), "berit");
  await halvik.signIn(page);
  await page.goto(`${halvik.url}/investigations`);
  await page.getByRole("link", { name: "Why did the times stop?", exact: true }).click();
  await expect(page).toHaveURL(/investigations\/1/);
  const paper = page.url();
  await other.goto(paper);
  await expect(other.getByRole("alert")).toContainText("no investigation");
  await page.getByRole("radio", { name: "hand over" }).click();
  await page.getByLabel("An account to let in").fill("berit");
  await page.keyboard.press("Enter");
  await choose(page.getByLabel("What berit may do"), "write");
  await expect(page.getByLabel("What berit may do")).toContainText("write");
  await page.getByLabel("A new note").fill("first words");
  await page.keyboard.press("Enter");

  await other.goto(paper);
  const notes = (at: Page) => at.getByRole("region", { name: "Notes" });
  await notes(other).getByRole("button", { name: "Write: Note of owner" }).click();
  await other.getByLabel("Note of owner").fill("what berit saw");
  await notes(page).getByRole("button", { name: "Write: Note of owner" }).click();
  await page.getByLabel("Note of owner").fill("what the owner saw");
  await page.keyboard.press("Control+Enter");
  await expect(notes(page)).toContainText("changed by owner");
  // it comes by itself, and is not written over
  await expect(other.getByRole("alert")).toContainText("what the owner saw");
  await expect(other.getByLabel("Note of owner")).toHaveValue("what berit saw");
  await other.getByRole("button", { name: "both together" }).click();
  await other.getByLabel("Note of owner").press("Control+Enter");
  await expect(notes(page)).toContainText("what berit saw");
  await expect(notes(page)).toContainText("what the owner saw");
  // taken out again: gone at once
  await page.getByRole("button", { name: "take out" }).click();
  await other.reload();
  await expect(other.getByRole("alert")).toContainText("no investigation");
});
