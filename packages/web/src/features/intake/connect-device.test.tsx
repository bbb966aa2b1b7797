import { EndpointJson, type EndpointList } from "@halvik/contract/kinds";
import { screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { useViewStore, usOf } from "../../data/view-store";
import { senderJson } from "../../testing/answers";
import { draw } from "../../testing/draw";
import { freshPage } from "../../testing/fresh-page";
import { ConnectDevice } from "./connect-device";
import { instructionsFor } from "./instructions";

freshPage();

const endpoint = (kind: EndpointJson["kind"], port: number, over: Partial<EndpointJson> = {}): EndpointJson =>
  EndpointJson.parse({
    ...{ id: port, name: `${kind} ${port}`, kind, host: "10.20.1.5", port, portSetting: null, enabled: true },
    ...{ settings: {}, state: "listening", detail: "", counters: {}, communities: null, refused: [], samples: [] },
    ...over,
  });
const ENDPOINTS = [
  endpoint("syslog-udp", 5514),
  endpoint("syslog-tcp", 5514, { id: 2 }),
  endpoint("syslog-tls", 6514),
  endpoint("snmp", 5162),
  endpoint("flow", 2055),
  endpoint("flow", 4739),
  endpoint("flow", 6343),
  endpoint("https", 8481),
];
const list = (endpoints: readonly EndpointJson[]): EndpointList => ({
  endpoints: [...endpoints],
  fingerprint: "c4:f5:e4",
  windowsScript: "85aac4",
});
const NOW = usOf("2026-11-28T02:15:07.000000Z");
beforeEach(() => useViewStore.setState({ nowUs: NOW }));

const connect = async (
  family: string,
  endpoints: readonly EndpointJson[] = ENDPOINTS,
  senders = [] as ReturnType<typeof senderJson>[],
) => {
  const props = { senders, sites: ["Orvane"], onAdmit: () => undefined, onClose: () => undefined };
  const drawn = draw(<ConnectDevice list={list(endpoints)} {...props} />);
  const user = userEvent.setup();
  await user.click(screen.getByLabelText("What kind of device"));
  await user.click(screen.getByRole("option", { name: family }));
  return { text: () => screen.getByRole("region", { name: "Connect a device" }).textContent ?? "", drawn, props };
};

test.each([
  [
    "Linux or Unix server",
    ["*.*  @10.20.1.5:5514", "*.*  @@10.20.1.5:5514", "certificate.pem"],
    ["schtasks", "RFC 5424"],
  ],
  [
    "Network switch or router",
    ["syslog server 10.20.1.5, port 5514, UDP", "loopback interface", "Version 3", "snmptrap"],
    ["*.*", "schtasks"],
  ],
  ["Firewall", ["every policy", "action=deny", "port 6514, TLS"], ["*.*", "logger"]],
  [
    "Windows computer",
    ["send-events.ps1", "85aac4", "-CertificateSha256 c4f5e4", "-Server 10.20.1.5 -Port 8481"],
    ["curl", "sniff"],
  ],
  ["Flow exporter", ["NetFlow 9 or IPFIX", "protocol IPFIX", "sampling 1 in 400"], ["*.*"]],
  ["Power supply or other device with SNMP", ["UDP port 5162"], ["syslog server"]],
  ["A program that sends JSON", ["curl --cacert", "token create"], ["schtasks"]],
])("%s: its own instructions, with address and port as they are", async (family, says, saysNot) => {
  const { text } = await connect(family);
  for (const part of says) expect(text()).toContain(part);
  for (const part of saysNot) expect(text()).not.toContain(part);
});

test("what holds for every way in stands once", async () => {
  const { text } = await connect("Firewall");
  expect(text().split("from every policy")).toHaveLength(2);
  expect(text().split("action=deny srcip")).toHaveLength(2);
});

test("an endpoint that only this machine reaches says so, once, and by name where others are reached", async () => {
  const here = { host: "127.0.0.1" };
  const { text } = await connect("Linux or Unix server", [
    endpoint("syslog-udp", 5514, here),
    endpoint("syslog-tcp", 5514, { id: 2 }),
  ]);
  expect(text()).toContain("syslog-udp 5514: reachable from this machine only.");
  expect(text().split("HALVIK_LISTEN_HOST=0.0.0.0")).toHaveLength(2);
});

test("without an endpoint for it, which to add is said", async () => {
  const { text } = await connect("Flow exporter", [endpoint("flow", 2055, { enabled: false })]);
  expect(text()).toContain("No endpoint for this is switched on: add one of flows, UDP first.");
});

test("what comes is counted from when this was opened, and who waits is offered for admission", async () => {
  const before = { ...ENDPOINTS[0]!, counters: { datagrams: 41 } };
  const { text, drawn, props } = await connect("Linux or Unix server", [before]);
  expect(text()).toContain("Waiting for its first message");
  const waiting = senderJson({ id: 9, name: "10.20.3.9", state: "waiting", held: 1 });
  drawn.unmount();
  const again = await connect("Linux or Unix server", [before], [waiting]);
  expect(again.text()).toContain("10.20.3.9 waits for admission, 1 record held");
  expect(props.senders).toEqual([]);
});

test("a flow port that is registered for one protocol speaks of that alone", () => {
  const titles = (port: number) =>
    instructionsFor(endpoint("flow", port), "h", list([])).map((i) => i.title.split("’")[0]);
  expect(titles(4739)).toEqual(["A router"]);
  expect(titles(6343)).toEqual(["A switch"]);
  expect(titles(9995)).toHaveLength(3);
});
