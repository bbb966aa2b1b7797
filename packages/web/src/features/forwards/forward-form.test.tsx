import { Forward } from "@halvik/core/forward";
import { screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { draw } from "../../testing/draw";
import { freshPage } from "../../testing/fresh-page";
import { ForwardForm } from "./forward-form";

freshPage();

const CERTIFICATE = "e1".repeat(32);
const form = (forward: Forward | null, refuse?: string) => {
  const saved: object[] = [];
  let closed = 0;
  draw(
    <ForwardForm
      forward={forward}
      hasSecret={forward !== null}
      onSave={async (body) => {
        if (refuse !== undefined) throw new Error(refuse);
        saved.push(body);
      }}
      onCancel={() => closed++}
    />,
  );
  const user = userEvent.setup();
  return {
    ...{ saved, user, closed: () => closed },
    way: async (name: string) => {
      await user.click(screen.getByRole("combobox", { name: "In which form, by which way" }));
      await user.click(screen.getByRole("option", { name }));
    },
    port: () => (screen.getByLabelText("Port") as HTMLInputElement).value,
    save: () => user.click(screen.getByRole("button", { name: "Save" })),
  };
};

const SYSLOG = { is: "syslog", host: "loghost.example", header: "as it came", framing: "counted", source: "own" };
test.each([
  [{ ...SYSLOG, transport: "udp", port: 5514, certificate: null, source: "sender" }],
  [{ ...SYSLOG, transport: "tcp", port: 601, certificate: null, framing: "lines" }],
  [{ ...SYSLOG, transport: "tls", port: 6514, certificate: CERTIFICATE, header: "origin" }],
  [{ is: "snmp", host: "192.0.2.7", port: 162, source: "own" }],
  [{ is: "flow", host: "192.0.2.7", port: 2055, source: "sender" }],
  [{ is: "json", url: "https://logs.example/in", certificate: null }],
])("opened and saved, a forward is the same, and its secret stays: %j", async (way) => {
  const forward = Forward.parse({ name: "on", filter: "kind is syslog", way });
  const { saved, save, closed } = form(forward);
  await save();
  expect(saved).toEqual([{ forward }]);
  expect(closed()).toBe(1);
});

test("the usual port follows the way, until somebody types another", async () => {
  const { way, port, user } = form(null);
  expect(port()).toBe("6514");
  await way("syslog over UDP");
  expect(port()).toBe("514");
  await way("JSON lines over HTTPS");
  await way("flow datagrams, UDP");
  expect(port()).toBe("4739");
  await user.clear(screen.getByLabelText("Port"));
  await user.type(screen.getByLabelText("Port"), "9995");
  await way("SNMP notifications, UDP");
  expect(port()).toBe("9995");
  expect(screen.getByText("usual: 162")).toBeTruthy();
});

test("one that was saved with another way's port keeps it when it is opened", () => {
  const { port } = form(Forward.parse({ name: "on", filter: "", way: { ...SYSLOG, transport: "tls", port: 514 } }));
  expect(port()).toBe("514");
});

test.each<[string, Record<string, string>, RegExp]>([
  ["no receiver", { Name: "on" }, /./],
  [
    "a certificate that is none",
    { Name: "on", "To: host or address": "h.example", "SHA-256 of its certificate": "AA:BB" },
    /64 hexadecimal digits/,
  ],
  ["a port that is none", { Name: "on", "To: host or address": "h.example", Port: "70000" }, /./],
])("what is wrong is said, and nothing is saved: %s", async (_what, typed, said) => {
  const { saved, save, user } = form(null);
  for (const [label, text] of Object.entries(typed)) {
    await user.clear(screen.getByLabelText(label));
    await user.type(screen.getByLabelText(label), text);
  }
  await save();
  expect(screen.getByRole("alert").textContent).toMatch(said);
  expect(saved).toEqual([]);
});

test("a fingerprint may be pasted as it is shown, with colons", async () => {
  const { saved, save, user } = form(null);
  await user.type(screen.getByLabelText("Name"), "on");
  await user.type(screen.getByLabelText("To: host or address"), " h.example ");
  await user.type(screen.getByLabelText("SHA-256 of its certificate"), `${"E1:".repeat(31)}E1`);
  await save();
  expect(saved).toMatchObject([{ forward: { way: { host: "h.example", certificate: CERTIFICATE } } }]);
});

test("what the server says no to stays open, with its reason", async () => {
  const forward = Forward.parse({ name: "on", filter: "", way: { ...SYSLOG, transport: "udp", port: 514 } });
  const { save, closed } = form(forward, "that is Halvik itself");
  await save();
  expect((await screen.findByRole("alert")).textContent).toBe("that is Halvik itself");
  expect(closed()).toBe(0);
});

test("only what a way has is asked for", async () => {
  const { way } = form(null);
  const asked = () =>
    ["Header", "Framing", "Source address", "SHA-256 of its certificate", "Bearer token"].filter(
      (label) => screen.queryByLabelText(label) !== null,
    );
  expect(asked()).toEqual(["Header", "Framing", "SHA-256 of its certificate"]);
  await way("syslog over UDP");
  expect(asked()).toEqual(["Header", "Source address"]);
  await way("flow datagrams, UDP");
  expect(asked()).toEqual(["Source address"]);
  await way("JSON lines over HTTPS");
  expect(asked()).toEqual(["SHA-256 of its certificate", "Bearer token"]);
});
