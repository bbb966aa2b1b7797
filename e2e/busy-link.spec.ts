import { expect, test } from "@playwright/test";
import { bytes } from "../packages/core/src/testing/bytes";
import { flowSet, ipfixMessage, templateBody } from "../packages/core/src/testing/flow-bytes";
import { choose, Halvik } from "./halvik";

/** From the whole network to the peak of one interface and its records, by keyboard and by mouse. It begins early: its last test waits for a limit. */
let halvik: Halvik;
let endSink: () => void;
test.beforeAll(async () => {
  halvik = await Halvik.create();
  await halvik.start({ HALVIK_SMTP_URL: `smtp://127.0.0.1:${halvik.ports.MAIL_SINK}` });
  endSink = await halvik.mailSink();
  await halvik.command(["senders", "import", "-"], "name,addresses,site\nrt-hestnes,127.46.0.1,Hestnes\n");
});
test.afterAll(async () => {
  endSink?.();
  await halvik.dispose();
});
test.describe.configure({ mode: "serial" });

const now = Math.floor(Date.now() / 60_000) * 60;
const template = flowSet(
  2,
  templateBody(410, [
    [8, 4],
    [12, 4],
    [7, 2],
    [11, 2],
    [4, 1],
    [1, 4],
    [2, 4],
    [152, 8],
    [153, 8],
    [10, 4],
    [14, 4],
    [5, 1],
  ]),
);
/** A minute of one conversation, ended so many minutes ago. */
const minute = (ago: number, src: string, port: number, octets: number, [ingress, egress]: [number, number], tos = 0) =>
  flowSet(
    410,
    bytes()
      .ip(src)
      .ip("203.0.113.9")
      .u16(40_000, port)
      .u8(6)
      .u32(octets, Math.ceil(octets / 1_000))
      .u64(BigInt(now - ago * 60 - 60) * 1000n)
      .u64(BigInt(now - ago * 60) * 1000n)
      .u32(ingress, egress)
      .u8(tos)
      .done(),
  );

test("what fills a link: from everything to one interface, to its peak, to who made it, to the records", async ({
  page,
}) => {
  let sequence = 0;
  const send = (set: Uint8Array) =>
    halvik.udp(
      "127.46.0.1",
      ipfixMessage({ exportSeconds: Math.floor(Date.now() / 1000), sequence: sequence++, domain: 7 }, set),
      halvik.ports.IPFIX,
    );
  await send(template);
  for (let ago = 1; ago <= 40; ago++) {
    await send(minute(ago, "10.46.0.7", 443, 600_000, [1, 2]));
    await send(minute(ago, "10.46.0.9", 445, 150_000, [2, 1], 184));
  }
  // 7.5 MB within a minute are 1 Mb/s
  await send(minute(20, "10.46.0.66", 8_080, 7_500_000, [1, 2]));
  await halvik.firstSignIn(page);
  await page.keyboard.press("g");
  await page.keyboard.press("t");
  await expect(page.getByRole("heading", { name: "Traffic" })).toBeVisible();
  const senders = page.getByRole("region", { name: "Who sent" });
  await expect(senders.getByText("10.46.0.66")).toBeVisible({ timeout: 30_000 });
  await expect(page.getByText("81 flows")).toBeVisible();
  await expect(page.getByText("37.5 MB").first()).toBeVisible();
  // by then it is known who told of it
  await expect(async () => {
    await choose(page.getByLabel("Whose traffic"), "the whole network");
    await page.getByLabel("Whose traffic").click();
    await page.getByRole("option", { name: "rt-hestnes", exact: true }).click({ timeout: 1_000 });
  }).toPass({ timeout: 20_000 });
  await choose(page.getByLabel("Which interface"), "interface 1");
  await expect(page.getByText("31.5 MB in · 6 MB out")).toBeVisible();
  await page.getByRole("button", { name: "say what it carries" }).click();
  await page.getByLabel("Name", { exact: true }).fill("wan0");
  await page.getByLabel("Carries").fill("2 M");
  await page.getByRole("button", { name: "Save" }).click();
  await expect(page.getByText("carries 2 Mb/s")).toBeVisible();
  await expect(page.getByLabel("Which interface")).toContainText("wan0");
  // the window of an hour, whose steps are minutes
  await page.goto(
    `${halvik.url}/traffic?last=3600s&exporter=1&interface=1`.replace(
      "exporter=1",
      `exporter=${new URL(page.url()).searchParams.get("exporter")}`,
    ),
  );
  const course = page.getByRole("slider", { name: /Time on the course/ });
  await expect(course).toHaveAttribute("aria-valuetext", /1\.08 Mb\/s/);
  await expect(page.getByText(/54 % of what it carries/)).toBeVisible();
  // enter goes to the busiest step, everything with it; the back key undoes it
  await course.focus();
  await page.keyboard.press("Enter");
  await expect(page).toHaveURL(/from=.*to=/);
  await expect(senders.getByRole("listitem").first()).toContainText("10.46.0.66");
  await page.goBack();
  await expect(page).toHaveURL(/last=3600s/);
  await page.goForward();
  await expect(page).toHaveURL(/from=.*to=/);
  await page.getByRole("button", { name: "as a table" }).click();
  await expect(page.getByRole("table", { name: "The course of traffic in numbers" })).toBeVisible();
  await senders.getByRole("link", { name: "10.46.0.66" }).click();
  await expect(page).toHaveURL(/\/records\?/);
  await expect(page.getByTestId("record-line")).toHaveCount(1);
  await expect(page.getByTestId("record-line")).toContainText("7.5 MB");
});

test("by marking, in packets, logarithmic; all of a list", async ({ page }) => {
  await halvik.signIn(page);
  await page.goto(`${halvik.url}/traffic?last=7200s`);
  await choose(page.getByLabel("By what"), "marking");
  await choose(page.getByLabel("In which measure"), "packets a second");
  await expect(page.getByRole("region", { name: "Marked as (DSCP)" }).getByRole("listitem").first()).toContainText(
    "0 best effort",
  );
  await expect(page.getByRole("region", { name: "Marked as (DSCP)" })).toContainText("46 expedited");
  await page.getByRole("button", { name: "logarithmic" }).click();
  await expect(page).toHaveURL(/scale=log/);
  await expect(page.getByText("scale logarithmic")).toBeVisible();
});

test("narrowed by words and by a value's menu; the portrait of who made the peak, by keyboard, to its policy check and its records", async ({
  page,
}) => {
  await halvik.signIn(page);
  await page.goto(`${halvik.url}/traffic?last=7200s`);
  const words = page.getByLabel("Only flows that match");
  await words.fill("src within 10.46.0.0/24 and not dst port is 445");
  await page.keyboard.press("Escape");
  await words.press("Enter");
  await expect(page).toHaveURL(/filter=src\+within/);
  await expect(page.getByText("41 flows")).toBeVisible();
  const senders = page.getByRole("region", { name: "Who sent" });
  await expect(senders.getByRole("listitem")).toHaveCount(2);
  await senders.getByRole("button", { name: "More about 10.46.0.7" }).focus();
  await page.keyboard.press("Enter");
  await page.getByRole("menuitem", { name: "without this" }).click();
  await expect(page.getByText("1 flows")).toBeVisible();
  await expect(senders.getByRole("listitem")).toHaveCount(1);
  // from the peak to the host
  await senders.getByRole("button", { name: "More about 10.46.0.66" }).press("Enter");
  await page.getByRole("menuitem", { name: "portrait of 10.46.0.66" }).press("Enter");
  await expect(page.getByRole("heading", { name: "10.46.0.66" })).toBeVisible();
  await page.getByRole("link", { name: "its whole portrait" }).press("Enter");
  await expect(page).toHaveURL(/traffic\/portrait\?/);
  await expect(page.getByText("7.50 MB · 0 B")).toBeVisible();
  await expect(page.getByRole("region", { name: "Talks to" })).toContainText("203.0.113.9");
  await expect(page.getByRole("region", { name: "New about it" })).toContainText("talks to 203.0.113.9");
  await page.getByRole("link", { name: "What was allowed from it" }).press("Enter");
  await expect(page).toHaveURL(/traffic\/policy\?.*src=10\.46\.0\.66/);
  await page.goBack();
  await page
    .getByRole("region", { name: "Talks to" })
    .getByRole("link", { name: "203.0.113.9", exact: true })
    .press("Enter");
  await expect(page.getByTestId("record-line")).toHaveCount(1);
});

/** A flow of the present that is over the limit by far. */
const toOverLimit = () => {
  const toMs = Date.now();
  return flowSet(
    410,
    bytes()
      .ip("10.46.0.66")
      .ip("203.0.113.9")
      .u16(40_000, 443)
      .u8(6)
      .u32(5_000_000, 5_000)
      .u64(BigInt(toMs - 1_000))
      .u64(BigInt(toMs))
      .u32(1, 2)
      .u8(0)
      .done(),
  );
};
/** Templates of the domain are known by then. */
const late = (set: Uint8Array) =>
  halvik.udp(
    "127.46.0.1",
    ipfixMessage({ exportSeconds: Math.floor(Date.now() / 1_000), sequence: 1_000, domain: 7 }, set),
    halvik.ports.IPFIX,
  );

test("a value of Traffic begins a limit", async ({ page }) => {
  await halvik.signIn(page);
  await page.goto(`${halvik.url}/notify`);
  await page.getByRole("button", { name: "Add a notification" }).click();
  await page.getByLabel("Name", { exact: true }).fill("duty");
  await page.getByLabel("To", { exact: true }).fill("duty@orvane.example");
  await choose(page.getByLabel("Incidents of severity"), "warning or worse");
  await page.getByRole("button", { name: "Save" }).click();
  await expect(page.getByText("Mail to duty@orvane.example for warning or worse")).toBeVisible();

  await page.goto(`${halvik.url}/traffic?last=7200s`);
  const sent = page.getByRole("region", { name: "Who sent" });
  await sent.getByRole("button", { name: "More about 10.46.0.66" }).press("Enter");
  await page.getByRole("menuitem", { name: "notify me when there is more" }).press("Enter");
  await expect(page.getByLabel("Name", { exact: true })).toHaveValue("Limit on bytes: 10.46.0.66");
  // a shorter stretch than one would want, so that it is over soon
  await page.goto(
    page
      .url()
      .replace(/every=\d+/, "every=10")
      .replace(/look=\d+/, "look=10")
      .replace(/raiseAt=\d+/, "raiseAt=1000")
      .replace(/clearAt=\d+/, "clearAt=900"),
  );
  await page.getByRole("button", { name: "Save" }).click();
  await expect(page).toHaveURL(/\/rules\/limit-on-bytes-10-46-0-66/);
  await late(toOverLimit());
});

test("what has no name is named in place, and has it everywhere; from an exporter to its interfaces", async ({
  page,
}) => {
  await halvik.udp(
    "127.46.0.1",
    ipfixMessage(
      { exportSeconds: Math.floor(Date.now() / 1000), sequence: 200, domain: 7 },
      minute(3, "10.47.0.12", 23_470, 900_000, [1, 2]),
    ),
    halvik.ports.IPFIX,
  );
  await halvik.signIn(page);
  await page.goto(`${halvik.url}/traffic?last=7200s`);
  await page.getByRole("button", { name: "unnamed traffic" }).click();
  const unnamed = page.getByRole("region", { name: "Unnamed traffic" });
  await expect(async () => {
    await page.reload();
    await expect(unnamed.getByText("tcp 23470")).toBeVisible({ timeout: 3_000 });
  }).toPass({ timeout: 60_000 });
  await expect(unnamed).toContainText("at 203.0.113.9");
  await unnamed.getByRole("button", { name: "name it" }).click();
  await page.getByLabel("Name", { exact: true }).fill("ticket sync");
  await page.keyboard.press("Enter");
  await expect(unnamed.getByText("All traffic of this window has a name.")).toBeVisible();
  await page.getByRole("button", { name: "back to all lists" }).click();
  await expect(page.getByRole("region", { name: "Applications" })).toContainText("ticket sync");
  await page.getByRole("region", { name: "Exporters" }).getByRole("button", { name: "rt-hestnes" }).click();
  await expect(page.getByLabel("Whose traffic")).toContainText("rt-hestnes");
  await expect(page.getByRole("region", { name: "Interfaces" })).toContainText("wan0");
});

test("was it allowed: asked from a flow, and typed; what was asked is in the address", async ({ page }) => {
  await halvik.signIn(page);
  await page.goto(`${halvik.url}/records?last=7200s&filter=src+is+10.46.0.66+and+dst+port+is+8080`);
  await page.getByTestId("record-line").click();
  await page.getByRole("link", { name: "was it allowed?" }).click();
  await expect(page).toHaveURL(/src=10\.46\.0\.66&dst=203\.0\.113\.9&port=8080/);
  await expect(page.getByText("0 decisions and 1 flows.")).toBeVisible();
  await expect(page.getByRole("table", { name: "By port" })).toContainText("8080/tcp");
  await page.getByLabel("From", { exact: true }).fill("10.46.0.0/16");
  await page.getByLabel("Port", { exact: true }).fill("");
  await page.keyboard.press("Enter");
  await expect(page.getByRole("table", { name: "By port" }).getByRole("row")).toHaveCount(4);
  await page.getByLabel("To", { exact: true }).fill("somewhere");
  await page.keyboard.press("Enter");
  await expect(page.getByText(/expected an address or a block/)).toBeVisible();
  await page.goBack();
  await expect(page.getByLabel("To", { exact: true })).toHaveValue("203.0.113.9");
});

test("the limit has its finding and its mail, and stands where its figure is told", async ({ page }) => {
  await halvik.signIn(page);
  // a stretch is judged when what came late is in it too
  await expect(async () => {
    await late(toOverLimit());
    await page.goto(`${halvik.url}/now`);
    await expect(page.getByRole("heading", { name: "One thing needs you" })).toBeVisible({ timeout: 15_000 });
  }).toPass({ timeout: 200_000 });
  await page.goto(`${halvik.url}/notify`);
  // on a slow machine it is over, and that is told too, before this is read
  await expect(
    page
      .locator("summary")
      .filter({ hasText: /Limit on bytes: 10\.46\.0\.66/ })
      .first(),
  ).toBeVisible();
  await page.goto(`${halvik.url}/reports/limits`);
  await expect(page.getByRole("row", { name: /Limit on bytes: 10\.46\.0\.66/ })).toBeVisible();
});
