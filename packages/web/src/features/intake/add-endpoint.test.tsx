import { screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { draw } from "../../testing/draw";
import { freshPage } from "../../testing/fresh-page";
import { AddEndpoint } from "./add-endpoint";

freshPage();

const adding = () => {
  const added: object[] = [];
  let closed = 0;
  draw(<AddEndpoint onAdd={async (body) => added.push(body)} onClose={() => closed++} />);
  const user = userEvent.setup();
  return {
    ...{ added, user, closed: () => closed },
    type: async (label: string, text: string) => {
      await user.clear(screen.getByLabelText(label));
      await user.type(screen.getByLabelText(label), text);
    },
    add: () => user.click(screen.getByRole("button", { name: "Add" })),
  };
};

test("a protocol and a port; the address only where it is not the configured one", async () => {
  const { added, type, add, closed } = adding();
  await type("Name", "second door");
  await type("Port", "1514");
  await add();
  expect(added).toEqual([{ name: "second door", kind: "syslog-udp", port: 1514 }]);
  expect(closed()).toBe(1);
  await type("Address", "10.20.1.5");
  await add();
  expect(added[1]).toEqual({ name: "second door", kind: "syslog-udp", port: 1514, host: "10.20.1.5" });
});

test.each(["", "0", "65536", "12a", "-1"])("a port that is none is refused where it stands: %j", async (port) => {
  const { added, type, add, user } = adding();
  await type("Name", "x");
  if (port !== "") await user.type(screen.getByLabelText("Port"), port);
  await add();
  expect(screen.getByText("1 to 65535.")).toBeTruthy();
  expect(added).toEqual([]);
});

test("packets are of an interface, with what is kept of them, and have no port", async () => {
  const { added, type, add, user } = adding();
  await user.click(screen.getByRole("combobox", { name: "Protocol" }));
  await user.click(screen.getByRole("option", { name: "packets" }));
  expect(screen.queryByLabelText("Port")).toBeNull();
  await type("Name", "mirror");
  await add();
  expect(screen.getByText("Name an interface.")).toBeTruthy();
  await type("Interface", "eth1");
  await type("Filter", "not port 22");
  await user.click(screen.getByRole("checkbox", { name: "packets to others too" }));
  await add();
  const packets = { interface: "eth1", filter: "not port 22", mirror: true, keepQueries: false };
  expect(added).toEqual([{ name: "mirror", kind: "packets", settings: { packets } }]);
});
