/** @jest-environment ./packages/web/src/testing/browser-environment.mjs */
import { NotifyWays } from "@halvik/contract";
import { screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { draw } from "../../testing/draw";
import { ChannelForm } from "./channel-form";

const KEPT = { id: 1, author: "owner", changed: "2026-11-28T02:14:07.000000Z" };
const channelOf = (parts: object) => NotifyWays.parse({ channels: [{ ...KEPT, ...parts }], rotas: [] }).channels[0]!;

const form = (channel: ReturnType<typeof channelOf> | null) => {
  const saved: object[] = [];
  draw(
    <ChannelForm
      channel={channel}
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
])("opened and saved, a channel is the same, and its secret stays: %j", async (parts) => {
  const { saved, user, save } = form(channelOf(parts));
  await user.click(save());
  expect(saved).toEqual([{ channel: parts, secret: null }]);
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
    { channel: { kind: "syslog", name: "logs", host: "logs.example", port: 514, transport: "udp" }, secret: "" },
  ]);
});
