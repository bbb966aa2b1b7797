import { expect, type Page, test } from "@playwright/test";
import { faultsOf } from "./faults";
import { Halvik, PAGES } from "./halvik";

/** What a machine can find of what keeps people out, on every page and in what opens over one. */
let halvik: Halvik;
test.beforeAll(async () => {
  halvik = await Halvik.create();
  await halvik.start();
  await halvik.command(["senders", "import", "-"], "name,addresses,site\nsw-test,127.45.0.1,Hestnes\n");
  for (let i = 0; i < 14; i++)
    await halvik.udp(
      "127.45.0.1",
      `<86>sshd[${i}]: Failed password for root from 203.0.113.77 port ${40_000 + i} ssh2`,
    );
});
test.afterAll(() => halvik.dispose());
test.describe.configure({ mode: "serial" });

test("there is something to look at", async ({ page }) => {
  await halvik.firstSignIn(page);
  await expect(page.getByRole("link", { name: /14 refused logons/ })).toBeVisible();
  // an investigation with something of each sort in it
  await page.goto(`${halvik.url}/incidents/1`);
  await page.getByRole("button", { name: "Pin to an investigation" }).click();
  await page.getByLabel("Its name").fill("Who guessed?");
  await page.getByRole("button", { name: "Pin it" }).click();
  await page.getByRole("link", { name: "#1 of Who guessed?" }).click();
  for (const [label, text] of [
    ["A new hypothesis", "somebody guessed"],
    ["A new question", "from where?"],
    ["A new task", "look at sw-test"],
    ["A new note", "see #1"],
  ] as const) {
    await page.getByLabel(label).fill(text);
    await page.keyboard.press("Enter");
    await expect(page.getByRole("complementary")).toContainText(text);
  }
});

const setTheme = (page: Page, theme: string) =>
  page.evaluate((t) => {
    document.documentElement.dataset.theme = t;
  }, theme);

/** Goes to a page as the browser's own back and forward do: nothing is loaded anew. */
const goTo = (page: Page, path: string) =>
  page.evaluate((to) => {
    history.pushState(null, "", to);
    dispatchEvent(new PopStateEvent("popstate", { state: null }));
  }, path);

test("no page has an accessibility fault that can be found by machine, by day and by night", async ({ page }) => {
  test.setTimeout(400_000);
  await halvik.signIn(page);
  const faults: string[] = [];
  const analyze = async (what: string, only: string[] | null, except: string[]) => {
    faults.push(...(await faultsOf(page, only, except)).map((fault) => `${what} ${fault}`));
  };
  /** @param except rules that are not for what is looked at */
  const look = async (what: string, except: string[] = []) => {
    await page.waitForTimeout(500);
    await setTheme(page, "light");
    await analyze(`${what} by day`, null, except);
    // by night only colours are others
    await setTheme(page, "night");
    await analyze(`${what} by night`, ["color-contrast"], except);
  };
  let before = "";
  for (const path of PAGES) {
    await goTo(page, path);
    // another page is there, and has put its heading
    await expect(page.getByRole("main")).not.toHaveText(before);
    await expect(page.locator("main h1").first()).toBeAttached();
    before = (await page.getByRole("main").textContent()) ?? "";
    await look(path);
  }
  // what opens over a page: dialogs, lists, menus, popovers
  await goTo(page, "/records");
  await expect(page.getByLabel("Filter")).toBeVisible();
  await page.keyboard.press("t");
  // what floats over a page is part of none of its landmarks
  const floats = ["region"];
  await look("choosing the time", floats);
  await page.getByLabel("Zone").click();
  await look("a list in a dialog", floats);
  await page.keyboard.press("Escape");
  await page.keyboard.press("Escape");
  await page.getByRole("button", { name: "columns", exact: true }).click();
  await look("columns", floats);
  await page.keyboard.press("Escape");
  await page.getByRole("button", { name: "export", exact: true }).click();
  await look("the export menu", floats);
  await page.keyboard.press("Escape");
  await page.getByRole("button", { name: "as a form" }).click();
  await page.getByRole("button", { name: "Add a line" }).click();
  await look("the filter as a form");
  expect(faults).toEqual([]);
});

test("words that appear do not hold the focus of whoever goes by them with Tab", async ({ page, context }) => {
  await context.grantPermissions(["clipboard-read", "clipboard-write"]);
  await halvik.signIn(page);
  await page.goto(`${halvik.url}/records?filter=app+is+sshd+and+text+has+nowhere`);
  const link = page.getByRole("button", { name: "copy link" });
  await link.focus();
  await page.keyboard.press("Enter");
  await expect(page.locator("[data-sonner-toast]").filter({ hasText: "Link copied" })).toBeVisible();
  // Every element Tab comes to, by number. The trap gave the focus back to the one it came from: two numbers for ever.
  const visits: { id: number; said: boolean }[] = [];
  for (let presses = 0; presses < 120; presses += 1) {
    await page.keyboard.press("Tab");
    visits.push(
      await page.evaluate(() => {
        const at = document.activeElement as HTMLElement;
        at.dataset.visit ??= String(document.querySelectorAll("[data-visit]").length);
        return { id: Number(at.dataset.visit), said: at.closest("[data-sonner-toaster]") !== null };
      }),
    );
    const met = visits.findIndex(({ said }) => said);
    if (met >= 0 && visits.length > met + 6) break;
  }
  const met = visits.findIndex(({ said }) => said);
  expect(met, "Tab comes to the words").toBeGreaterThanOrEqual(0);
  const after = visits.slice(met + 1);
  const others = after.filter(({ id, said }) => !said && id !== visits[met - 1]?.id);
  expect(others.length, JSON.stringify(visits.slice(-10))).toBeGreaterThan(2);
});
