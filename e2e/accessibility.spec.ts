import AxeBuilder from "@axe-core/playwright";
import { expect, test } from "@playwright/test";
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
});

for (const theme of ["light", "night"]) {
  test(`no page has an accessibility fault that can be found by machine, theme ${theme}`, async ({ page }) => {
    test.setTimeout(400_000);
    await halvik.signIn(page);
    await page.evaluate((t) => localStorage.setItem("halvik.theme", t), theme);
    const faults: string[] = [];
    /** @param except rules that are not for what is looked at */
    const look = async (what: string, except: string[] = []) => {
      await page.waitForTimeout(500);
      // in the page itself: there are no frames to gather from, and a page of its own for each takes as long again
      const axe = new AxeBuilder({ page })
        .setLegacyMode()
        .options({ resultTypes: ["violations"] })
        .disableRules(except);
      // by night only colours are others
      if (theme === "night") axe.withRules(["color-contrast"]);
      const { violations } = await axe.analyze();
      faults.push(...violations.map((v) => `${what} ${v.id}: ${v.nodes.map((n) => n.target).slice(0, 3)}`));
    };
    for (const path of PAGES) {
      await page.goto(halvik.url + path);
      await page.getByRole("main").waitFor();
      await look(path);
    }
    // what opens over a page: dialogs, lists, menus, popovers
    await page.goto(`${halvik.url}/records`);
    await page.getByRole("main").waitFor();
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
}
