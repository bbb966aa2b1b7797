import { resolve } from "node:path";
import { chromium, type Locator, type Page } from "@playwright/test";
import { faultsOf } from "../e2e/faults.js";
import { Halvik, PAGES } from "../e2e/halvik.js";
import { loadDemo } from "../packages/server/src/start/demo.js";

/**
 * What an analyst tries on the first day, in the running interface with the demo, found by labels only: how many actions (a click, a key
 * chord, or one field typed) and seconds each takes, and whether the answer is right. Answers are counted again from an export, or asked of
 * the API by another way than the page goes. Usage: node scripts/bench.mjs first-day [SEED ...]
 */
const seeds = process.argv.slice(2).map(Number);
const VIEWS = [
  { name: "1280×800, light, mouse and keys", size: [1280, 800], theme: "light", keyboard: false },
  { name: "1920×1080, night, mouse and keys", size: [1920, 1080], theme: "night", keyboard: false },
  // what 1280×800 leaves at 150 %
  { name: "853×533 (150 %), light, mouse and keys", size: [853, 533], theme: "light", keyboard: false },
  // the narrowest that WCAG 2.2 (1.4.10) asks for
  { name: "320×700, light, mouse and keys", size: [320, 700], theme: "light", keyboard: false },
  { name: "1280×800, light, keyboard only", size: [1280, 800], theme: "light", keyboard: true },
] as const;

/** Does what a person does, and counts it. */
class Hand {
  actions = 0;
  constructor(
    readonly page: Page,
    /** Every press of a key is an action then. */
    readonly byKeys: boolean,
  ) {}

  async click(what: Locator): Promise<void> {
    if (!this.byKeys) {
      this.actions++;
      return what.click();
    }
    await what.waitFor();
    await this.reach(what);
    const isBox = /^(checkbox|radio)$/.test((await what.getAttribute("role")) ?? "");
    await this.key(isBox ? "Space" : "Enter");
  }
  /** Brings the focus to something: with Tab, within lists and menus with the arrow. */
  private async reach(what: Locator): Promise<void> {
    const isThere = () => what.evaluate((e) => e === e.ownerDocument.activeElement);
    const inList = /^(option|menuitem)$/.test((await what.getAttribute("role")) ?? "");
    for (let i = 0; i < MOST_STEPS; i++) {
      if (await isThere()) return;
      await this.key(inList ? "ArrowDown" : "Tab");
    }
    throw new Error(`${what} is not reached by ${MOST_STEPS} presses of a key`);
  }
  async key(chord: string): Promise<void> {
    this.actions++;
    await this.page.keyboard.press(chord);
  }
  async type(text: string, into: Locator): Promise<void> {
    await into.waitFor();
    if (this.byKeys) await this.reach(into);
    this.actions++;
    await into.fill(text);
  }
  button(name: string | RegExp): Locator {
    return this.page.getByRole("button", { name, exact: typeof name === "string" });
  }
  /** A filter on Records, from anywhere: by mouse a click, by keys a chord. */
  async search(text: string, byKeys: boolean): Promise<void> {
    const { page } = this;
    if (byKeys) {
      // g and r are one chord of two keys
      await page.keyboard.press("g");
      await this.key("r");
    } else await this.click(page.getByRole("navigation", { name: "Sections" }).getByRole("link", { name: "Records" }));
    const field = page.getByLabel("Filter", { exact: true });
    await field.waitFor();
    if (byKeys) await this.key("/");
    this.actions++;
    await field.fill(text);
    await this.key("Enter");
    await page.getByTestId("reading").waitFor();
  }
  /** The count above the list, when it has come. */
  async count(): Promise<number> {
    const text = this.page.getByTestId("count");
    await this.page.waitForTimeout(300);
    await text.waitFor();
    return Number(/[\d,]+/.exec(await textOf(text))![0].replaceAll(",", ""));
  }
}

const MOST_STEPS = 150;

interface World {
  readonly halvik: Halvik;
  readonly page: Page;
}

/** Rows of the CSV export of a filter: heading, then fields. Texts of the demo hold no line ends. */
async function exported({ halvik, page }: World, filter: string): Promise<{ names: string[]; rows: string[][] }> {
  const url = `${halvik.url}/api/v1/records/export?format=csv&zone=Europe/Oslo&filter=${encodeURIComponent(filter)}`;
  const answer = await page.request.get(url, { timeout: 300_000 });
  const text = await answer.text();
  if (!text.startsWith("id,")) throw new Error(`the export answers ${answer.status()}: ${text.slice(0, 200)}`);
  const rows = text.trimEnd().split("\n").map(fieldsOf);
  return { names: rows[0]!, rows: rows.slice(1) };
}

function fieldsOf(line: string): string[] {
  const fields: string[] = [];
  for (const [, quoted, plain] of line.matchAll(/(?:"((?:[^"]|"")*)"|([^,]*))(?:,|$)/g))
    fields.push(quoted?.replaceAll('""', '"') ?? plain ?? "");
  return fields;
}

/** The value of a column with the greatest sum of another (or count). */
function top({ names, rows }: Awaited<ReturnType<typeof exported>>, column: string, amount: string | null): string {
  const sums = new Map<string, number>();
  for (const row of rows) {
    const value = row[names.indexOf(column)]!;
    if (value !== "")
      sums.set(value, (sums.get(value) ?? 0) + (amount === null ? 1 : Number(row[names.indexOf(amount)] || 0)));
  }
  return [...sums].sort((a, b) => b[1] - a[1])[0]![0];
}

interface Task {
  readonly name: string;
  /** @returns what the person reads on the screen, and what is right */
  readonly run: (hand: Hand, world: World, byKeys: boolean) => Promise<readonly [read: unknown, right: unknown]>;
}

const textOf = async (of: Locator): Promise<string> => (await of.textContent()) ?? "";
const json = async ({ halvik, page }: World, path: string) =>
  (await page.request.get(`${halvik.url}/api/v1${path}`)).json();
const strips = (page: Page) =>
  page.getByRole("region", { name: "What needs you" }).getByRole("link", { name: /quiet|refused|down|let in|guessed/ });

const TASKS: readonly Task[] = [
  {
    name: "what is going on",
    run: async ({ page }, world) => {
      await page.getByRole("heading", { level: 1, name: /need/ }).waitFor();
      await page.getByRole("table", { name: "Last night against usual" }).waitFor();
      const title = await page.title();
      return [Number(/^\((\d+)\)/.exec(title)?.[1] ?? 0), (await json(world, "/summary")).attention];
    },
  },
  {
    name: "why this incident",
    run: async (hand, world, byKeys) => {
      const { page } = hand;
      const first = strips(page).first();
      await first.waitFor();
      if (byKeys) {
        await hand.key("j");
        await hand.key("Enter");
      } else await hand.click(first);
      await page.getByRole("heading", { name: "Why it fired" }).waitFor();
      const story = await textOf(page.getByRole("region", { name: "Story" }));
      const { rules } = await json(world, `/incidents/${/incidents\/(\d+)/.exec(page.url())![1]}`);
      return [rules.every((r: { name: string }) => story.includes(r.name)), true];
    },
  },
  {
    name: "refused logons of a person",
    run: async (hand, world, byKeys) => {
      const filter = `user is k.lind and category is logon and outcome is failure and time between ${isoDay(6)} and ${TODAY}`;
      await hand.search(filter, byKeys);
      return [await hand.count(), (await exported(world, filter)).rows.length];
    },
  },
  {
    name: "a switch that is unwell",
    run: async (hand, world, byKeys) => {
      const filter = `category is link and outcome is failure and kind is snmp and time between ${isoDay(6)} and ${TODAY}`;
      await hand.search(filter, byKeys);
      await hand.count();
      if (byKeys) await hand.key("v");
      else await hand.click(hand.button(/^top values/));
      const strip = hand.page.getByRole("region", { name: "Top values" });
      await strip.getByRole("button", { name: /^sender/ }).waitFor();
      const only = strip.getByRole("button", { name: /^(?!without).*(sw-|rt-|core-)/ }).first();
      await only.waitFor();
      const read = (await textOf(only)).trim();
      return [
        read,
        top(
          await exported(world, "category is link and outcome is failure and time last 7 d and kind is snmp"),
          "sender",
          null,
        ),
      ];
    },
  },
  {
    name: "who sent most",
    run: async (hand, world, byKeys) => {
      const filter = `kind is flow and time between ${DAY_BEFORE} and ${TODAY}`;
      await hand.search(filter, byKeys);
      await hand.count();
      if (byKeys) await hand.key("v");
      else await hand.click(hand.button(/^top values/));
      const strip = hand.page.getByRole("region", { name: "Top values" });
      await hand.click(strip.getByLabel("Order values"));
      await hand.click(hand.page.getByRole("option", { name: "by bytes" }));
      await hand.click(strip.getByRole("button", { name: "src", exact: false }).filter({ hasText: /^src/ }).first());
      const value = strip.getByRole("button", { name: /^\d+\.\d+\.\d+\.\d+/ }).first();
      await value.waitFor();
      const read = /^[\d.]+/.exec((await textOf(value)).trim())![0];
      return [read, top(await exported(world, filter), "src", "bytes")];
    },
  },
  {
    name: "what the firewall denies",
    run: async (hand, world, byKeys) => {
      const filter = `action is deny and time between ${DAY_BEFORE} and ${TODAY}`;
      await hand.search(filter, byKeys);
      await hand.count();
      if (byKeys) await hand.key("v");
      else await hand.click(hand.button(/^top values/));
      const strip = hand.page.getByRole("region", { name: "Top values" });
      await hand.click(strip.getByRole("button", { name: /^dst port/ }));
      const value = strip.getByRole("button", { name: /^\d+$/ }).first();
      await value.waitFor();
      return [(await textOf(value)).trim(), top(await exported(world, filter), "dst port", null)];
    },
  },
  {
    name: "save, share, export",
    run: async (hand, world, byKeys) => {
      const filter = `action is deny and time between ${DAY_BEFORE} and ${TODAY}`;
      await hand.search(filter, byKeys);
      const count = await hand.count();
      await hand.click(hand.button("saved and recent"));
      await hand.click(hand.page.getByRole("menuitem", { name: "Save this filter …" }));
      const dialog = hand.page.getByRole("dialog");
      const name = `denied ${Math.round(performance.now())}`;
      await hand.type(name, dialog.getByLabel("Name"));
      await hand.click(dialog.getByLabel("shared with everyone"));
      await hand.click(dialog.getByRole("button", { name: "Save" }));
      await dialog.waitFor({ state: "hidden" });
      await hand.click(hand.button("export"));
      await hand.click(hand.button("Export"));
      const done = hand.page.getByTestId("export-progress").filter({ hasText: "done" });
      await done.waitFor();
      const read = Number(/done: ([\d,]+)/.exec(await textOf(done))![1]!.replaceAll(",", ""));
      const { filters } = await json(world, "/filters");
      return [
        [read, filters.some((f: { name: string; shared: boolean }) => f.name === name && f.shared)],
        [count, true],
      ];
    },
  },
  {
    name: "connect a device",
    run: async (hand, { halvik, page }, byKeys) => {
      if (byKeys) {
        await page.keyboard.press("g");
        await hand.key("k");
      } else await hand.click(page.getByRole("navigation", { name: "Sections" }).getByRole("link", { name: "Intake" }));
      await hand.click(hand.button("Connect a device"));
      await hand.click(page.getByLabel("What kind of device"));
      await hand.click(page.getByRole("option", { name: "Network switch or router" }));
      await page.getByTestId("connect-received").waitFor();
      const address = `127.60.${Math.floor(Math.random() * 250) + 1}.${Math.floor(Math.random() * 250) + 1}`;
      await halvik.udp(address, "<189>ge0/1 is up");
      const connecting = page.getByRole("region", { name: "Connect a device" });
      await connecting.getByText(address).waitFor();
      await hand.click(connecting.getByRole("button", { name: "Admit …" }).last());
      const admission = connecting.getByRole("form");
      await hand.type(`sw-${address}`, admission.getByLabel("Name"));
      await hand.type("Torvika", admission.getByLabel("Site"));
      await hand.click(admission.getByRole("button", { name: "Admit" }));
      await page.getByText(`sw-${address} is admitted;`).waitFor();
      return [await textOf(page.getByTestId("connect-received")), "received: 1 message"];
    },
  },
  {
    name: "a rule with mail",
    run: async (hand, world, byKeys) => {
      const { page } = hand;
      await hand.search("event is linkDown and time last 7 d", byKeys);
      // the lines of the search, not those of before it
      await hand.count();
      if (byKeys) await hand.key("j");
      else await hand.click(page.getByTestId("record-line").first().locator("span").first());
      await hand.click(hand.button("raise on this"));
      await hand.click(page.getByRole("menuitem", { name: /event is linkDown/ }));
      const name = `A link goes down ${Math.round(performance.now())}`;
      await hand.type(name, page.getByLabel("Name"));
      await hand.click(hand.button("Save"));
      await page.getByText("saved, version 1").waitFor();
      await hand.click(page.getByRole("link", { name: "Notify me" }));
      await hand.type("night@orvane.example", page.getByLabel("To"));
      await hand.click(hand.button("Save"));
      await page.getByText(`“${name}” is saved`).waitFor();
      const { routes } = await json(world, "/notify/routes");
      const { rules } = await json(world, "/rules");
      const rule = rules.find((r: { name: string }) => r.name === name);
      return [routes.find((r: { name: string }) => r.name === name)?.rules, [rule?.id]];
    },
  },
  {
    name: "the night of three days ago",
    run: async (hand, world, byKeys) => {
      const { page } = hand;
      await hand.key("t");
      const dialog = page.getByRole("dialog");
      await hand.type(`${NIGHT[0]} 20:00`, dialog.getByLabel("From"));
      await hand.type(`${NIGHT[1]} 06:00`, dialog.getByLabel("To"));
      await hand.key("Enter");
      await dialog.waitFor({ state: "hidden" });
      await hand.search("severity at least error", byKeys);
      const filter = `severity at least error and time between ${NIGHT[0]}T20:00 and ${NIGHT[1]}T06:00`;
      return [await hand.count(), (await exported(world, filter)).rows.length];
    },
  },
];

const isoDay = (daysAgo: number): string =>
  new Intl.DateTimeFormat("en-CA", { timeZone: "Europe/Oslo" }).format(Date.now() - daysAgo * 86_400_000);
const [TODAY, DAY_BEFORE] = [isoDay(0), isoDay(1)];
const NIGHT = [isoDay(4), isoDay(3)] as const;

async function onView(halvik: Halvik, view: (typeof VIEWS)[number]): Promise<number> {
  const browser = await chromium.launch({
    executablePath: "/usr/bin/chromium-headless-shell",
    args: ["--no-sandbox", "--disable-gpu", "--no-first-run", "--disable-background-networking"],
  });
  let wrong = 0;
  try {
    const context = await browser.newContext({
      viewport: { width: view.size[0], height: view.size[1] },
      timezoneId: "Europe/Oslo",
      acceptDownloads: true,
    });
    const page = await context.newPage();
    page.setDefaultTimeout(60_000);
    await halvik.signIn(page);
    await page.evaluate(`localStorage.setItem("halvik.theme", "${view.theme}")`);
    console.log(`\n${view.name}`);
    for (const task of TASKS) {
      await page.goto(`${halvik.url}/now`);
      await page.getByRole("heading", { level: 1 }).waitFor();
      const hand = new Hand(page, view.keyboard);
      const started = performance.now();
      let said: string;
      try {
        const [read, right] = await task.run(hand, { halvik, page }, view.keyboard);
        const isRight = JSON.stringify(read) === JSON.stringify(right);
        if (!isRight) wrong++;
        said = isRight ? "right" : `WRONG: read ${JSON.stringify(read)}, is ${JSON.stringify(right)}`;
      } catch (e) {
        wrong++;
        said = `FAILED: ${(e as Error).message.split("\n")[0]}`;
      }
      const seconds = ((performance.now() - started) / 1000).toFixed(1);
      console.log(
        `${task.name.padEnd(30)} ${String(hand.actions).padStart(3)} actions ${seconds.padStart(6)} s  ${said}`,
      );
    }
    wrong += await lookedAt(halvik, page);
  } finally {
    await browser.close();
  }
  return wrong;
}

/** Every page, for faults that can be found by machine, and for what reaches beyond the screen. @returns how many there are */
async function lookedAt(halvik: Halvik, page: Page): Promise<number> {
  const faults: string[] = [];
  for (const path of PAGES) {
    await page.goto(halvik.url + path);
    await page.getByRole("main").waitFor();
    await page.waitForTimeout(1_500);
    faults.push(...(await faultsOf(page)).map((fault) => `${path} ${fault}`));
    const [width, room] = (await page.evaluate("[document.documentElement.scrollWidth, innerWidth]")) as [
      number,
      number,
    ];
    if (width > room) faults.push(`${path} is ${width} px wide in ${room}`);
  }
  console.log(`${PAGES.length} pages looked at by machine: ${faults.length === 0 ? "no fault" : faults.join("; ")}`);
  return faults.length;
}

let wrong = 0;
for (const seed of seeds.length > 0 ? seeds : [1, 2]) {
  const halvik = await Halvik.create();
  try {
    await halvik.start();
    const program = resolve("packages/server/dist/halvik.js");
    const step = async <T>(_what: string, work: () => Promise<T> | T) => work();
    await loadDemo(program, halvik.env.HALVIK_DATA_DIR, halvik.env, step, seed).done;
    const browser = await chromium.launch({
      executablePath: "/usr/bin/chromium-headless-shell",
      args: ["--no-sandbox", "--disable-gpu"],
    });
    await halvik.firstSignIn(await browser.newPage());
    await browser.close();
    // rules look at what was loaded
    await new Promise((done) => setTimeout(done, 20_000));
    console.log(`\n== demo of seed ${seed}`);
    for (const view of VIEWS) wrong += await onView(halvik, view);
  } finally {
    await halvik.dispose();
  }
}
process.exit(wrong === 0 ? 0 : 1);
