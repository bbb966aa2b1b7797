import { expect, type Page, test } from "@playwright/test";
import { choose, Halvik } from "./halvik";

/** What a newcomer does in the first hour, with packets the test itself sends. */
let halvik: Halvik;
test.beforeAll(async () => {
  halvik = await Halvik.create();
  await halvik.start();
});
test.afterAll(() => halvik.dispose());
test.describe.configure({ mode: "serial" });

const lines = (page: Page) => page.getByTestId("record-line");
const filter = async (page: Page, text: string) => {
  await page.getByLabel("Filter").fill(text);
  await page.keyboard.press("Escape");
  await page.getByLabel("Filter").press("Enter");
};
const refused = (i: number) =>
  `<86>sshd[${i}]: Failed password for invalid user u${i % 3} from 203.0.113.77 port ${40_000 + i} ssh2`;

test("a wrong password is refused; the one-time one leads to one's own", async ({ page }) => {
  await halvik.signIn(page, "wrong");
  await expect(page.getByRole("alert")).toContainText("name or password is wrong");
  await halvik.firstSignIn(page);
  await expect(page.getByRole("heading", { name: "Nothing needs you" })).toBeVisible();
  await expect(page.getByText("No sender has been admitted yet")).toBeVisible();
});

test("packets become records, live; a rule raises; acknowledged; all of it outlives a restart of every process", async ({
  page,
}) => {
  await halvik.signIn(page);

  // a sender nobody knows waits, and is admitted
  await halvik.udp("127.40.0.1", "<189>Interface ge0/7, changed state to down walrus");
  await page.keyboard.press("g");
  await page.keyboard.press("k");
  await expect(page.getByRole("heading", { name: "Intake", level: 1 })).toBeVisible();
  const waiting = page.getByTestId("waiting-sender").filter({ hasText: "127.40.0.1" });
  await expect(waiting).toContainText("1 record held");
  await waiting.getByRole("button", { name: "Admit …" }).click();
  const admission = page.getByRole("form", { name: "Admit 127.40.0.1" });
  await admission.getByLabel("Name").fill("sw-test");
  await admission.getByLabel("Site").fill("Hestnes");
  await admission.getByRole("button", { name: "Admit" }).click();
  await expect(waiting).toHaveCount(0);
  await expect(page.getByText("sw-test is admitted; what was held is being stored")).toBeVisible();
  await expect(page.getByRole("heading", { name: "sw-test" })).toBeVisible();
  await expect(page.getByRole("row", { name: /^sw-test 127\.40\.0\.1 Hestnes/ })).toBeInViewport();

  // another is connected: what to type there, and what came since; what came before has been counted
  await expect(page.getByTestId("endpoint").filter({ hasText: "syslog, UDP" })).toContainText("1 datagram");
  await page.getByRole("button", { name: "Connect a device" }).click();
  await choose(page.getByLabel("What kind of device"), "Linux or Unix server");
  const connecting = page.getByRole("region", { name: "Connect a device" });
  await expect(connecting).toContainText(/\*\.\* {2}@127\.0\.0\.1:\d+/);
  await expect(connecting).toContainText("Waiting for its first message");
  await halvik.udp("127.40.9.9", "<14>app: hello");
  await expect(page.getByTestId("connect-received")).toHaveText("received: 1 message");
  await expect(connecting).toContainText("127.40.9.9 waits for admission, 1 record held");
  await page.getByPlaceholder("10.20.0.0/16").fill("127.40.0.0/16");
  await page.getByRole("button", { name: "Admit", exact: true }).click();
  await page.keyboard.press("Escape");

  // what was held is there; new lines arrive while one watches, by UDP and TCP
  await page.getByRole("link", { name: "Records" }).click();
  await expect(lines(page).filter({ hasText: "walrus" })).toHaveCount(1);
  await page.keyboard.press("l");
  await expect(page.getByText("live: records as they are stored")).toBeVisible();
  await halvik.udp("127.40.0.1", "<13>1 2003-10-11T22:14:15Z h app 1 ID - heard by UDP <b>bold</b> \u202e");
  await halvik.tcp("127.40.0.2", ["<11>a: heard by TCP"]);
  await expect(lines(page).filter({ hasText: "heard by UDP <b>bold</b> ⟨202E⟩" })).toHaveCount(1);
  await expect(lines(page).filter({ hasText: "heard by TCP" })).toHaveCount(1);
  await page.keyboard.press("l");
  // what was followed stays on screen, at once and when history has caught up
  await expect(lines(page).filter({ hasText: "heard by" })).toHaveCount(2);
  await expect(page.getByTestId("count")).toContainText("5 records"); // with “hello”, and Halvik’s own, of the refused sign-in
  await expect(lines(page).filter({ hasText: "heard by" })).toHaveCount(2);

  // a filter: reading in words, a mistake with its place, then just what matches
  await page.keyboard.press("/");
  await page.keyboard.type("sevrity is error");
  await expect(page.getByTestId("reading")).toContainText("there is no field “sevrity”".replace(/[“”]/g, '"'));
  await filter(page, "severity at least error");
  await expect(page.getByTestId("reading")).toContainText("Error or worse.");
  await expect(lines(page)).toHaveCount(1);
  await expect(lines(page)).toContainText("heard by TCP");
  await expect(page.getByTestId("count")).toHaveText("1 record");

  // everything about a record, down to its bytes
  await page.keyboard.press("j");
  const margin = page.getByRole("complementary", { name: "Details" });
  await expect(margin.getByTestId("raw")).toHaveText("<11>a: heard by TCP");
  await margin.getByRole("button", { name: "as hex" }).click();
  await expect(margin.getByTestId("raw")).toContainText("3c 31 31 3e 61 3a 20 68");
  await page.keyboard.press("Escape");

  // the rule raises, and Now says so
  for (let i = 0; i < 14; i++) await halvik.udp("127.40.0.1", refused(i));
  await page.keyboard.press("g");
  await page.keyboard.press("n");
  await expect(page.getByRole("heading", { name: "One thing needs you" })).toBeVisible();
  const strip = page.getByRole("link", { name: /14 refused logons from 203.0.113.77 on sw-test/ });
  await strip.click();
  await expect(page.getByRole("heading", { name: "Why it fired" })).toBeVisible();
  await expect(page).toHaveTitle(/^14 refused logons from 203\.0\.113\.77 .* · Halvik$/);
  await expect(page.getByRole("region", { name: "Evidence" })).toContainText("Failed password for invalid user");
  await page.keyboard.press("a");
  await page.getByLabel("Note").fill("I saw it");
  await page.getByRole("complementary").locator("form").getByRole("button", { name: "Acknowledge" }).click();
  await expect(page.getByText("open, acknowledged")).toBeVisible();

  // more of the same folds in, and does not come back to the queue
  for (let i = 14; i < 20; i++) await halvik.udp("127.40.0.1", refused(i));
  await expect(page.getByRole("heading", { name: /20 refused logons/ })).toBeVisible();
  await expect(page.getByText("open, acknowledged")).toBeVisible();
  const incident = page.url();

  // reload, then restart every process: all of it is still there
  await page.reload();
  await expect(page.getByText("I saw it")).toBeVisible();
  await halvik.stop();
  await expect(page.getByRole("alert")).toContainText("Halvik does not answer", { timeout: 60_000 });
  await halvik.start();
  await page.goto(incident);
  await expect(page.getByRole("heading", { name: /20 refused logons from 203.0.113.77 on sw-test/ })).toBeVisible();
  await expect(page.getByText("open, acknowledged")).toBeVisible();
  await expect(page.getByText("I saw it")).toBeVisible();
  await page.getByRole("link", { name: "Records" }).click();
  await filter(page, "src is 203.0.113.77");
  await expect(page.getByTestId("count")).toContainText("20 records");
  await page.getByRole("link", { name: "Intake" }).click();
  await expect(page.getByRole("row", { name: /sw-test/ })).toBeVisible();
});

test("closing with a reason; the keys page; the night theme", async ({ page }) => {
  await halvik.signIn(page);
  await page.getByRole("link", { name: "Incidents" }).first().click();
  await page.getByRole("link", { name: /20 refused logons/ }).click();
  await page.getByRole("button", { name: "Close", exact: true }).click();
  await page.getByRole("radio", { name: /expected/ }).check();
  await page.getByRole("complementary").locator("form").getByRole("button", { name: "Close", exact: true }).click();
  await expect(page.getByText("closed as expected").first()).toBeVisible();
  await page.keyboard.press("Escape");
  await page.keyboard.press("?");
  await expect(page.getByRole("dialog", { name: "All keys" })).toBeVisible();
  await page.keyboard.press("Escape");
  await page.getByRole("button", { name: "Night theme" }).click();
  await expect(page.locator("html")).toHaveAttribute("data-theme", "night");
  await page.keyboard.press("Control+k");
  await page.getByPlaceholder(/Go to/).fill("203.0.113.77");
  await page.getByText("Records that name 203.0.113.77").click();
  await expect(page.getByTestId("reading")).toContainText("Any address is 203.0.113.77.");
});

test("the window: keys move it, the address keeps it, the rail's handles obey the arrow keys", async ({ page }) => {
  await halvik.signIn(page);
  await page.getByRole("link", { name: "Records" }).click();
  await expect(page).toHaveURL(/last=21600s/);
  await page.keyboard.press("{");
  await expect(page).toHaveURL(/last=10800s/);
  await page.keyboard.press("[");
  await expect(page).toHaveURL(/from=.*to=/);
  const standing = page.url();
  const handle = page.getByRole("slider", { name: "Window begins" });
  const before = await handle.getAttribute("aria-valuenow");
  await handle.press("ArrowDown");
  await expect(handle).not.toHaveAttribute("aria-valuenow", before!);
  await page.goto(standing);
  const ends = new URL(standing).searchParams.get("to")!;
  await page.getByRole("slider", { name: "Window ends" }).waitFor();
  await expect.poll(() => new URL(page.url()).searchParams.get("to")).toBe(ends);
  expect(new URL(page.url()).pathname).toBe("/records");
  await page.keyboard.press(".");
  await expect(page).toHaveURL(/last=/);
});

test("the time is chosen by name, by typing and in another zone; looking at the past is said on every page", async ({
  page,
}) => {
  await halvik.signIn(page);
  await page.getByRole("link", { name: "Records" }).click();
  await page.keyboard.press("t");
  const dialog = page.getByRole("dialog", { name: "Time" });
  await dialog.getByRole("button", { name: "3 d", exact: true }).click();
  await expect(page).toHaveURL(/last=259200s/);
  await page.getByRole("button", { name: /– now, 3 d/ }).click();
  await dialog.getByLabel("From").fill("someday");
  await dialog.getByRole("button", { name: "Show" }).click();
  await expect(dialog.getByRole("alert")).toContainText("yesterday 14:20");
  await choose(dialog.getByLabel("Zone"), "UTC");
  await dialog.getByLabel("From").fill("2026-01-05 02:00");
  await dialog.getByLabel("To").fill("2026-01-05 04:00");
  await page.keyboard.press("Enter");
  await expect(dialog).toHaveCount(0);
  await expect(page).toHaveURL(/from=2026-01-05T02%3A00%3A00.000Z&to=2026-01-05T04%3A00%3A00.000Z/);
  const band = page.getByRole("status").filter({ hasText: "back to now" });
  await expect(band).toContainText("5 Jan 02:00 – 04:00");
  await page.getByRole("link", { name: "Now", exact: true }).click();
  await expect(band).toContainText("Now always shows the present");
  await page.keyboard.press("Control+k");
  await page.getByPlaceholder(/Go to/).fill("last night");
  await page.keyboard.press("Enter");
  await page.keyboard.press(".");
  await expect(band).toHaveCount(0);
});
