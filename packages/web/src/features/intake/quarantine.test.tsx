import { QuarantineList } from "@halvik/contract/status";
import { screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { useViewStore, usOf } from "../../data/view-store";
import { answering } from "../../testing/answering";
import { draw } from "../../testing/draw";
import { freshPage } from "../../testing/fresh-page";
import { Quarantine } from "./quarantine";

freshPage();
beforeEach(() => useViewStore.setState({ nowUs: usOf("2026-11-28T02:24:07.000000Z") }));

const file = (name: string, over: object = {}) => ({
  ...{ file: name, at: "2026-11-28T02:14:07.000000Z", what: "records", peer: "10.20.1.12", sender: "" },
  ...{ endpoint: "syslog over UDP", records: 1, bytes: 300, reason: "value too long", state: "kept", ...over },
});
const shown = (...files: object[]) => {
  const list = QuarantineList.parse({ files });
  const asked = answering({
    "GET /quarantine": list,
    "POST /quarantine/a%2Fb.bin/again": { files: [] },
    "POST /quarantine/a%2Fb.bin/give-up": { files: [] },
  });
  draw(<Quarantine />, { answers: [[["quarantine"], list]] });
  return { user: userEvent.setup(), sent: () => asked.map(([what]) => what).filter((what) => !what.startsWith("GET")) };
};
const lines = () => screen.getAllByTestId("quarantined").map((l) => l.textContent);

test("nothing there, nothing is shown", () => {
  shown();
  expect(screen.queryByRole("heading")).toBeNull();
});

test("of each whose it was, how much, since when and why; a damaged piece of the spool cannot be tried again", () => {
  shown(
    file("a.bin", { sender: "vpn-1", records: 1_200, reason: "a \u0007bell" }),
    file("b.bin", { what: "spool", bytes: 4_096, reason: "checksum" }),
    file("c.bin", { state: "again" }),
    file("d.bin", { state: "given up" }),
  );
  const [first, second, third, fourth] = lines();
  expect(first).toBe("vpn-11,200 messages by syslog over UDP, 10 min ago: a ␇bellTry againDelete");
  expect(second).toBe("the spool4,096 bytes, damaged, 10 min ago: checksumDelete");
  expect(third).toContain("10.20.1.121 message by syslog over UDP");
  expect(third).toContain("trying again");
  expect(fourth).toContain("deleting");
});

test("what was fixed is tried again", async () => {
  const { user, sent } = shown(file("a/b.bin"));
  await user.click(screen.getByRole("button", { name: "Try again" }));
  await waitFor(() => expect(sent()).toEqual(["POST /quarantine/a%2Fb.bin/again"]));
});

test("what was received is not deleted by one click", async () => {
  const { user, sent } = shown(file("a/b.bin"));
  await user.click(screen.getByRole("button", { name: "Delete" }));
  expect(sent()).toEqual([]);
  await user.click(screen.getByRole("button", { name: "Delete it for good" }));
  await waitFor(() => expect(sent()).toEqual(["POST /quarantine/a%2Fb.bin/give-up"]));
});
