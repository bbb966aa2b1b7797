import { NotifyWays } from "@halvik/contract/notify";
import { screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { draw } from "../../testing/draw";
import { freshPage } from "../../testing/fresh-page";
import { ChannelForm } from "./channel-form";

freshPage();

const KEPT = { id: 1, author: "owner", changed: "2026-11-28T02:14:07.000000Z" };
const WAYS: NotifyWays = { channels: [], rotas: [], texts: [], programs: ["siren"], engineId: "80007ed905aa" };
const channelOf = (parts: object) => NotifyWays.parse({ ...WAYS, channels: [{ ...KEPT, ...parts }] }).channels[0]!;

const form = (channel: ReturnType<typeof channelOf> | null) => {
  const saved: object[] = [];
  draw(
    <ChannelForm
      channel={channel}
      ways={WAYS}
      busy={false}
      onSave={(body) => saved.push(body)}
      onDelete={() => undefined}
      onCancel={() => undefined}
    />,
  );
  return { saved, user: userEvent.setup(), save: () => screen.getByRole("button", { name: "Save" }) };
};

test.each([
  [{ kind: "webhook", name: "chat", url: "https://chat.example/hook", format: "chat" }],
  [{ kind: "syslog", name: "logs", host: "logs.example", port: 6514, transport: "tls" }],
  [
    {
      kind: "snmp",
      name: "nms",
      host: "nms.example",
      port: 162,
      message: "inform",
      version: "v3",
      user: "duty",
      hash: "sha512",
    },
  ],
  [{ kind: "file", name: "log", file: "x.log", megabytes: 3, keep: 2 }],
  [{ kind: "command", name: "siren", program: "siren", args: ["-n", "two words"] }],
])("opened and saved, a channel is the same, and its secret stays: %j", async (parts) => {
  const { saved, user, save } = form(channelOf(parts));
  await user.click(save());
  expect(saved).toEqual([{ channel: parts, secret: null, privacySecret: null }]);
});

test("a secret that is emptied is taken away; a new one is sent", async () => {
  const { saved, user, save } = form(channelOf({ kind: "webhook", name: "chat", url: "https://chat.example/hook" }));
  await user.type(screen.getByLabelText("Secret"), "word");
  await user.click(save());
  expect(saved).toMatchObject([{ secret: "word" }]);
});

test("what is wrong is said where it is", async () => {
  const { saved, user, save } = form(null);
  await user.type(screen.getByLabelText("Name"), "chat");
  await user.type(screen.getByLabelText("Web address"), "chat.example");
  await user.click(save());
  expect((await screen.findByRole("alert")).textContent).toContain("expected an address that begins with https://");
  expect(saved).toEqual([]);
});

test("a syslog receiver asks for other things", async () => {
  const { saved, user, save } = form(null);
  await user.click(screen.getByRole("combobox", { name: "What it is" }));
  await user.click(screen.getByRole("option", { name: "a syslog receiver" }));
  await user.type(screen.getByLabelText("Name"), "logs");
  await user.type(screen.getByLabelText("Host"), "logs.example");
  await user.click(save());
  expect(saved).toEqual([
    {
      channel: { kind: "syslog", name: "logs", host: "logs.example", port: 514, transport: "udp" },
      secret: "",
      privacySecret: "",
    },
  ]);
});

test.each([
  ["a community", [], { community: "" }, "expected the community"],
  ["a pass phrase of 8", ["v3, as a user"], { "Authentication pass phrase": "short" }, "expected 8 characters or more"],
  ["a user", ["v3, as a user"], {}, "expected the user it is sent as"],
] as const)("an SNMP receiver wants %s", async (_what, chosen, typed, said) => {
  const { saved, user, save } = form(null);
  await user.click(screen.getByRole("combobox", { name: "What it is" }));
  await user.click(screen.getByRole("option", { name: "an SNMP receiver" }));
  await user.type(screen.getByLabelText("Name"), "nms");
  await user.type(screen.getByLabelText("Host"), "nms.example");
  for (const option of chosen) {
    await user.click(screen.getByRole("combobox", { name: "Version" }));
    await user.click(screen.getByRole("option", { name: option }));
    if (said !== "expected the user it is sent as") await user.type(screen.getByLabelText("User"), "duty");
  }
  for (const [label, text] of Object.entries(typed))
    if (text !== "") await user.type(screen.getByLabelText(label), text);
  await user.click(save());
  expect((await screen.findAllByRole("alert")).map((a) => a.textContent)).toContain(said);
  expect(saved).toEqual([]);
});
