import { execFileSync } from "node:child_process";
import { existsSync, mkdtempSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { expect, type Page, test } from "@playwright/test";
import { pcapDatagram, pcapHeader } from "../packages/core/src/decode/capture/write-pcap";
import { bytes } from "../packages/core/src/testing/bytes";
import { flowSet, ipfixMessage, templateBody } from "../packages/core/src/testing/flow-bytes";
import { dns } from "../packages/core/src/testing/packets";
import { freePort } from "../packages/server/src/testing/free-port";
import { choose, Halvik } from "./halvik";

/** Every kind of record seen on screen, with names given by hand; sent by the test and by Debian's own senders. */
let halvik: Halvik;
const dir = mkdtempSync(join(tmpdir(), "halvik-e2e-files-"));
test.beforeAll(async () => {
  halvik = await Halvik.create();
  await halvik.start({ HALVIK_COLLECTOR_CAPTURES: "true" });
});
test.afterAll(() => halvik.dispose());
test.describe.configure({ mode: "serial" });

const lines = (page: Page) => page.getByTestId("record-line");
const filter = async (page: Page, text: string) => {
  await page.getByRole("link", { name: "Records", exact: true }).click();
  await page.getByLabel("Filter").fill(text);
  await page.keyboard.press("Escape");
  await page.getByLabel("Filter").press("Enter");
};
const file = (name: string, text: string | Uint8Array): string => {
  writeFileSync(join(dir, name), text);
  return join(dir, name);
};
const trap = (...args: string[]) =>
  execFileSync("snmptrap", ["-Ln", "-m", "", "-v2c", "-c", "public", `127.0.0.1:${halvik.ports.SNMP}`, "42", ...args]);

test("an endpoint is added, receives, is stopped, all on Intake", async ({ page }) => {
  await halvik.firstSignIn(page);
  await page.getByRole("link", { name: "Intake", exact: true }).click();
  await page.getByPlaceholder("10.20.0.0/16").fill("127.0.0.0/8");
  await page.getByRole("button", { name: "Admit", exact: true }).click();

  const port = await freePort();
  await page.getByRole("button", { name: "Add an endpoint" }).click();
  await page.getByLabel("Name", { exact: true }).fill("second ear");
  await page.getByLabel("Port", { exact: true }).fill("0");
  await page.getByRole("button", { name: "Add", exact: true }).click();
  await expect(page.getByText("1 to 65535.")).toBeVisible();
  await page.getByLabel("Port", { exact: true }).fill(String(port));
  await page.getByRole("button", { name: "Add", exact: true }).click();
  const row = page.getByTestId("endpoint").filter({ hasText: "second ear" });
  await expect(row).toContainText("listening, no message yet");
  await halvik.udp("127.40.0.1", "<13>a: heard by the second ear", port);
  await expect(row).toContainText("receiving");

  await row.click();
  await expect(page.getByText(`logger --server 127.0.0.1 --port ${port} --udp`)).toBeVisible();
  await page.getByRole("button", { name: "Stop" }).click();
  await expect(row).toContainText("stopped");
  await page.getByRole("button", { name: "Delete" }).click();
  await page.getByRole("button", { name: "Delete it for good" }).click();
  await expect(row).toHaveCount(0);

  // the way is seen to work before a device is touched
  await page.getByRole("button", { name: "Connect a device" }).click();
  await choose(page.getByLabel("What kind of device"), "Linux or Unix server");
  await page.getByRole("button", { name: "Send a test message from this machine" }).click();
  await expect(page.getByTestId("connect-received")).toHaveText("received: 1 message");
  await page.keyboard.press("Escape");
});

test("SNMP: columns of its own, a sentence, names from an uploaded module for what came before it", async ({
  page,
}) => {
  await halvik.signIn(page);
  // no community is taken for granted: the first one that speaks is admitted by one key
  await page.getByRole("link", { name: "Intake", exact: true }).click();
  await page.getByTestId("endpoint").filter({ hasText: "SNMP notifications" }).click();
  trap("1.3.6.1.6.3.1.1.5.1");
  await page.getByRole("button", { name: "Admit p•••" }).click();
  await expect(page.getByRole("button", { name: "Take out p•••" })).toBeVisible();
  // until the endpoint listens with it
  await expect
    .poll(
      async () => {
        trap("1.3.6.1.6.3.1.1.5.2");
        const { endpoints } = await (await page.request.get(`${halvik.url}/api/v1/endpoints`)).json();
        return endpoints.find((e: { kind: string }) => e.kind === "snmp").counters.traps ?? 0;
      },
      { intervals: [1_500] },
    )
    .toBeGreaterThan(0);
  trap("1.3.6.1.6.3.1.1.5.3", "1.3.6.1.2.1.2.2.1.1.7", "i", "7", "1.3.6.1.2.1.2.2.1.2.7", "s", "ge0/7");
  trap("1.3.6.1.4.1.32473.50.0.1", "1.3.6.1.4.1.32473.50.1.0", "i", "2");
  await filter(page, "kind is snmp");
  const linkDown = lines(page).filter({ hasText: "linkDown" });
  await expect(linkDown).toContainText("interface ge0/7 of 127.0.0.1 went down");
  await expect(lines(page).filter({ hasText: "unnamed notification 1.3.6.1.4.1.32473.50.0.1" })).toHaveCount(1);

  await page.getByRole("link", { name: "Intake", exact: true }).click();
  await page.getByRole("link", { name: /^Names/ }).click();
  await expect(page.getByText("1.3.6.1.4.1.32473.50.0.1", { exact: true })).toBeVisible();
  const upload = page.getByLabel("Add modules");
  await upload.setInputFiles(file("bad.mib", "BAD-MIB DEFINITIONS ::= BEGIN\n  x OBJECT-TYPE oops"));
  await expect(page.getByRole("alert")).toContainText("line 2, column 17");
  await upload.setInputFiles(
    file(
      "lamp.mib",
      `LAMP-MIB DEFINITIONS ::= BEGIN IMPORTS enterprises, OBJECT-TYPE, NOTIFICATION-TYPE FROM SNMPv2-SMI;
       lamp OBJECT IDENTIFIER ::= { enterprises 32473 50 }
       lampNotes OBJECT IDENTIFIER ::= { lamp 0 }
       lampState OBJECT-TYPE SYNTAX INTEGER { dark(1), lit(2) } MAX-ACCESS read-only STATUS current DESCRIPTION "The lamp" ::= { lamp 1 }
       lampChanged NOTIFICATION-TYPE OBJECTS { lampState } STATUS current DESCRIPTION "It changed" ::= { lampNotes 1 }
       END`,
    ),
  );
  await expect(page.getByText("LAMP-MIB")).toBeVisible();
  await expect(page.getByText("1.3.6.1.4.1.32473.50.0.1", { exact: true })).toHaveCount(0);
  await filter(page, "kind is snmp");
  const named = lines(page).filter({ hasText: "sent lampChanged: lampState lit (2)" });
  await expect(named).toHaveCount(1);
  await named.click();
  await expect(page.getByRole("complementary")).toContainText("lampState.0");
});

test("flows: data before its template; unnamed traffic gets a name that holds for history", async ({ page }) => {
  await halvik.signIn(page);
  const seconds = Math.floor(Date.now() / 1000) - 2;
  const data = flowSet(
    400,
    bytes()
      .ip("10.20.5.10")
      .ip("10.20.1.40")
      .u16(23_470, 23_470)
      .u8(17)
      .u32(1_234_567, 900)
      .u64(BigInt(seconds) * 1000n)
      .done(),
  );
  const template = flowSet(
    2,
    templateBody(400, [
      [8, 4],
      [12, 4],
      [7, 2],
      [11, 2],
      [4, 1],
      [1, 4],
      [2, 4],
      [153, 8],
    ]),
  );
  const head = (sequence: number) => ({ exportSeconds: seconds, sequence, domain: 1 });
  await halvik.udp("127.40.0.2", ipfixMessage(head(0), data), halvik.ports.IPFIX);
  await halvik.udp("127.40.0.2", ipfixMessage(head(1), template), halvik.ports.IPFIX);
  await filter(page, "kind is flow");
  await expect(lines(page)).toHaveCount(1);
  await expect(lines(page)).toContainText("1.2 MB");
  await page.getByRole("link", { name: "Intake", exact: true }).click();
  await page.getByRole("link", { name: /^Names/ }).click();
  await page.getByRole("button", { name: "name it", exact: true }).click();
  await page.getByLabel("Name", { exact: true }).fill("engine telemetry");
  await page.getByRole("button", { name: "Name it", exact: true }).click();
  await expect(page.getByText("engine telemetry")).toBeVisible();
  await filter(page, "kind is flow");
  await expect(lines(page)).toHaveCount(1);
  await expect(lines(page)).toContainText("engine telemetry");
});

test("a file with firewall decisions is uploaded; the same file twice says so", async ({ page }) => {
  await halvik.signIn(page);
  await page.getByRole("link", { name: "Intake", exact: true }).click();
  const decisions = file(
    "decisions.log",
    `<134>1 ${new Date().toISOString()} fw pflog - - - rule 12/0(match): block in on em0: 203.0.113.9.51234 > 192.0.2.1.22: Flags [S], seq 1\n`,
  );
  const read = async () => {
    await page.getByLabel("File", { exact: true }).setInputFiles(decisions);
    await page.getByLabel("Sent by").fill("127.40.0.3");
    await page.getByRole("button", { name: "Import" }).click();
  };
  await read();
  await expect(page.getByTestId("import").first()).toContainText("1 read, 1 stored", { timeout: 60_000 });
  await read();
  await expect(page.getByTestId("import").first()).toContainText("was imported before", { timeout: 60_000 });
  await filter(page, "kind is firewall and action is deny");
  await expect(lines(page)).toHaveCount(1);
  await expect(lines(page)).toContainText("203.0.113.9:51234");
  await lines(page).click();
  await expect(page.getByRole("complementary").getByRole("heading", { level: 2 }).first()).toContainText(
    "dropped TCP (ssh) from 203.0.113.9:51234 to 192.0.2.1:22, by rule 12/0(match)",
  );
});

test("a capture is uploaded for its packets: what was asked, how servers answered", async ({ page }) => {
  await halvik.signIn(page);
  await page.getByRole("link", { name: "Intake", exact: true }).click();
  const at = (Date.now() - 60_000) * 1_000;
  const parts: Uint8Array[] = [pcapHeader()];
  for (const [i, name] of ["www.orvane.example", "gone.orvane.example"].entries()) {
    const question = dns({ id: 7 + i, name });
    const answer = i === 0 ? { code: 0, answers: [{ type: 1, data: Uint8Array.of(203, 0, 113, 9) }] } : { code: 2 };
    parts.push(pcapDatagram(at + i * 1e6, "10.20.1.20", 40_000, "10.20.1.1", 53, question));
    parts.push(
      pcapDatagram(at + i * 1e6 + 25_000, "10.20.1.1", 53, "10.20.1.20", 40_000, dns({ id: 7 + i, name, ...answer })),
    );
  }
  await page.getByLabel("File", { exact: true }).setInputFiles(file("names.pcap", Buffer.concat(parts)));
  await page.getByLabel("its packets, not the messages in it").click();
  await page.getByRole("button", { name: "Import" }).click();
  await expect(page.getByText("Packets do not say who captured them.")).toBeVisible();
  await page.getByLabel("Sent by").fill("127.40.0.3");
  await page.getByRole("button", { name: "Import" }).click();
  await expect(page.getByTestId("import").first()).toContainText(/\d read, \d stored/, { timeout: 60_000 });
  await filter(page, 'kind is packet and data "answer time" between 20 and 30');
  await expect(lines(page)).toHaveCount(2);
  await expect(lines(page).last()).toContainText(
    "10.20.1.20 asked 10.20.1.1 for A of www.orvane.example: 203.0.113.9, after 25 ms",
  );
  await page.getByRole("link", { name: "Traffic", exact: true }).click();
  await page.getByRole("link", { name: "how servers answer" }).click();
  const servers = page.getByRole("table", { name: "DNS servers" });
  await expect(servers).toContainText("10.20.1.1");
  await expect(servers).toContainText("50 %");
  await expect(servers).toContainText("NOERROR 1, SERVFAIL 1");
});

test("an endpoint reads the packets of an interface: added on Intake, a request seen, an expression that is none refused", async ({
  page,
}) => {
  await halvik.signIn(page);
  await page.getByRole("link", { name: "Intake", exact: true }).click();
  await page.getByRole("button", { name: "Add an endpoint" }).click();
  await page.getByLabel("Name", { exact: true }).fill("probe");
  await page.getByRole("combobox", { name: "Protocol" }).click();
  await page.getByRole("option", { name: "packets" }).click();
  await page.getByRole("button", { name: "Add", exact: true }).click();
  await expect(page.getByText("Name an interface.")).toBeVisible();
  await page.getByLabel("Interface", { exact: true }).fill("lo");
  await page.getByLabel("Filter", { exact: true }).fill(`tcp port ${halvik.httpPort}`);
  await page.getByRole("button", { name: "Add", exact: true }).click();
  const row = page.getByTestId("endpoint").filter({ hasText: "probe" });
  if (process.getuid?.() !== 0) {
    // only root gives the right to capture: without it the endpoint says what to do
    await expect(row).toContainText("tcpdump may not capture");
    return;
  }
  await expect(row).toContainText("receiving");
  await filter(page, 'kind is packet and event is GET and data "path" like "/api/v1/*"');
  await expect(lines(page).first()).toContainText("/api/v1/");

  // what looks like an option of the program that captures is an expression, and none that can be read
  await page.getByRole("link", { name: "Intake", exact: true }).click();
  await row.click();
  await page
    .getByRole("complementary")
    .getByLabel("Filter", { exact: true })
    .fill(`-w${join(dir, "written")}`);
  await page.getByRole("complementary").getByRole("button", { name: "Save" }).click();
  await expect(row).toContainText("failed");
  await expect(row).toContainText(/syntax|expression/);
  expect(existsSync(join(dir, "written"))).toBe(false);
  await page.getByRole("button", { name: "Delete" }).click();
  await page.getByRole("button", { name: "Delete it for good" }).click();
  await expect(row).toHaveCount(0);
});

test("a rule of arrival: what it would have met, then dropped, counted, said on the search, and stopped again", async ({
  page,
}) => {
  await halvik.signIn(page);
  await halvik.udp("127.40.0.3", "<15>cron[1]: debug of before");
  await page.getByRole("link", { name: "Intake", exact: true }).click();
  await page.getByRole("link", { name: /^On arrival/ }).click();
  // what is usually dropped first is offered, with what it would save
  const offer = page.getByTestId("debug-offer");
  await expect(offer).toContainText("are debug messages: to drop them would save");
  await offer.getByRole("button", { name: "make it a rule" }).press("Enter");
  await expect(page.getByLabel("Name", { exact: true })).toHaveValue("Debug messages");
  await expect(page.getByLabel("Which records")).toContainText("severity is debug");
  await page.getByRole("button", { name: "Cancel" }).click();
  await page.getByRole("button", { name: "Add a rule" }).click();
  await page.getByLabel("Name", { exact: true }).fill("debug of cron");
  await page.getByRole("button", { name: "Save" }).click();
  await expect(page.getByRole("alert")).toContainText("a filter is needed");
  await page.getByLabel("Which records").fill("app is cron and severity is debug");
  await page.keyboard.press("Escape");
  await page.getByRole("button", { name: "What would it have met?" }).click();
  await expect(page.getByText(/it would have met 1 of/)).toBeVisible();
  await page.getByRole("button", { name: "Save" }).click();
  const rule = page.getByTestId("arrival-rule");
  await expect(rule).toContainText("is dropped, and counted");
  await expect(offer).toHaveCount(0);
  // it holds within a second
  await page.waitForTimeout(2_500);
  await halvik.udp("127.40.0.3", "<15>cron[1]: debug of after");
  await expect(rule).toContainText("dropped 1 of them");
  await rule.getByText("the last ones it dropped").click();
  await expect(rule).toContainText("debug of after");
  await filter(page, 'text has "debug of"');
  await expect(lines(page)).toHaveCount(1);
  await expect(page.getByTestId("coverage")).toContainText("1 dropped on arrival by rules");
  await page.getByRole("link", { name: "Intake", exact: true }).click();
  await page.getByRole("link", { name: /^On arrival/ }).click();
  await rule.getByRole("button", { name: "stop" }).click();
  await expect(rule).toContainText("stopped");
});

test("one that nobody knows is understood, admitted, and given a format, a rule and days, from the keyboard; what came is followed and passed on", async ({
  page,
}) => {
  await halvik.signIn(page);
  const line = (crane: number, load: number) => `<13>cranes: crane ${crane} lifted ${load} t by k.lind`;
  const crane = "127.46.0.3";
  await page.keyboard.press("g");
  await page.keyboard.press("k");
  // whoever comes from here was admitted: from now on nobody is
  const networks = page.getByText("127.0.0.0/8");
  await page.getByRole("button", { name: "take back" }).press("Enter");
  await expect(networks).toHaveCount(0);
  await halvik.udp(crane, line(4, 12.5));
  const waiting = page.getByTestId("waiting-sender").filter({ hasText: crane });
  await waiting.getByRole("button", { name: "What it sent" }).press("Enter");
  await expect(page.getByRole("region", { name: "What it sent" })).toContainText("crane 4 lifted 12.5 t by k.lind");
  await waiting.getByRole("button", { name: "Admit …" }).press("Enter");
  const admission = page.getByRole("form", { name: `Admit ${crane}` });
  await admission.getByLabel("Name").fill("crane-4");
  await page.keyboard.press("Enter");
  await expect(waiting).toHaveCount(0);
  await filter(page, "app is cranes");
  await expect(lines(page)).toHaveCount(1);
  await page.keyboard.press("j");
  await page.getByRole("link", { name: "make a format of it" }).press("Enter");
  await expect(page.getByLabel("Which records")).toHaveText("app is cranes");
  await page.getByRole("button", { name: "Propose a form" }).press("Enter");
  const template = page.getByLabel("The line with its values");
  await expect(template).toHaveValue("crane {value 1:number} lifted {value 2:number} t by k.lind");
  await page.getByLabel("Name of 4").fill("crane:number");
  await page.keyboard.press("Enter");
  await page.getByLabel("Name of 12.5").fill("load:number");
  await page.keyboard.press("Enter");
  // a part is selected with shift and the arrows
  const part = page.getByLabel("A line: select a part and name it");
  await part.focus();
  await page.keyboard.press("End");
  for (let i = 0; i < "k.lind".length; i++) await page.keyboard.press("Shift+ArrowLeft");
  await page.getByLabel("Name of the part").fill("user");
  await page.keyboard.press("Enter");
  await expect(template).toHaveValue("crane {crane:number} lifted {load:number} t by {user}");
  await page.getByLabel("Name", { exact: true }).fill("cranes");
  await page.getByRole("button", { name: "What does it read?" }).press("Enter");
  await expect(page.getByRole("status", { name: "What it reads" })).toContainText("1 of 1 fit");
  await page.getByRole("button", { name: "Save" }).press("Enter");
  await expect(page.getByTestId("own-format")).toContainText("version 1");

  // a rule, which keeps what matters for a year; all else of the crane for a week
  await page.getByRole("link", { name: "back to Intake" }).press("Enter");
  await page.getByRole("link", { name: /^On arrival/ }).press("Enter");
  await page.getByRole("button", { name: "Add a rule" }).press("Enter");
  await page.getByLabel("Name", { exact: true }).fill("heavy loads");
  await page.getByLabel("Which records").fill("data load over 20");
  await page.keyboard.press("Escape");
  await pick(page, "Then", "keep it, ask no further rule");
  await pick(page, "Kept for", "365 days");
  await page.getByLabel("Tag").fill("heavy");
  await page.keyboard.press("Enter");
  await expect(page.getByTestId("arrival-rule").filter({ hasText: "heavy loads" })).toContainText("365 days");
  await page.getByRole("link", { name: "back to Intake" }).press("Enter");
  await page.getByRole("row", { name: /^crane-4/ }).press("Enter");
  await pick(page, "Its records are kept", "7 days");
  const save = page.getByRole("complementary").getByRole("button", { name: "Save" });
  await save.press("Enter");
  await expect(save).toBeDisabled();

  const port = await freePort();
  await page.getByRole("link", { name: "Pass on" }).click();
  await page.getByRole("button", { name: "Add a forward" }).click();
  await page.getByLabel("Name", { exact: true }).fill("north");
  await page.getByLabel("Which records").fill("app is cranes");
  await page.keyboard.press("Escape");
  await page.getByLabel("To: host or address").fill("127.0.0.1");
  await page.getByLabel("Port").fill(String(port));
  await page.getByRole("button", { name: "Save" }).click();
  await expect(page.getByTestId("forward")).toContainText("goes as syslog over TLS");

  // it holds within a second
  await page.waitForTimeout(2_500);
  await halvik.udp(crane, line(11, 40));
  await expect(page.getByTestId("forward")).toContainText("not delivered");
  await expect(page.getByTestId("forward")).toContainText("ECONNREFUSED");
  await filter(page, 'data load over 20 and user is "k.lind" and data tag is heavy');
  await expect(lines(page)).toHaveCount(1);
  await page.keyboard.press("j");
  await page.getByRole("link", { name: "follow its way" }).click();
  const steps = page.getByRole("list", { name: "Steps" });
  await expect(steps).toContainText("“cranes” read it");
  await page.getByLabel("From: the address or the name of a sender").fill(crane);
  await page.getByLabel("The message").fill(line(3, 2));
  await page.getByRole("button", { name: "Follow it" }).click();
  await expect(steps).toContainText("by itself it raises none");
  await filter(page, "app is cranes");
  await expect(lines(page)).toHaveCount(2);

  // what was there before the format is read by it too, and taken back
  await filter(page, "data load is 12.5");
  await expect(lines(page)).toHaveCount(0);
  await page.getByRole("link", { name: "Intake", exact: true }).click();
  await page.getByRole("link", { name: "Formats" }).click();
  await page.getByRole("button", { name: "read history" }).press("Enter");
  const asking = page.getByRole("dialog", { name: "Read history by “cranes”" });
  await expect(asking).toContainText("2 records of the last 30 days it is tried on, 2 fit");
  await asking.getByRole("button", { name: "Read history" }).press("Enter");
  const reading = page.getByTestId("format-reading");
  // the other one was read by this version as it arrived
  await expect(reading).toContainText("1 of 2 records it was tried on read anew");
  await expect(reading).not.toContainText("left as");
  await reading.getByRole("link", { name: "these records" }).press("Enter");
  await filter(page, "data load is 12.5 and user is k.lind");
  await expect(lines(page)).toHaveCount(1);
  await page.keyboard.press("j");
  await expect(page.getByRole("complementary")).toContainText("read anew by the format “cranes”, version 1");
  await page.getByRole("link", { name: "Intake", exact: true }).click();
  await page.getByRole("link", { name: "Formats" }).click();
  await page.getByRole("button", { name: "take back" }).press("Enter");
  await expect(reading).toContainText("taken back: those records are as they arrived");
  await filter(page, "data load is 12.5");
  await expect(lines(page)).toHaveCount(0);
});

/** Chooses from a list that opens under its control, by keys alone. */
async function pick(page: Page, label: string, option: string): Promise<void> {
  await page.getByLabel(label, { exact: true }).press("Enter");
  const wanted = page.getByRole("option", { name: option, exact: true });
  await expect(wanted).toBeVisible();
  await page.keyboard.type(option);
  await expect(wanted).toBeFocused();
  await page.keyboard.press("Enter");
}
