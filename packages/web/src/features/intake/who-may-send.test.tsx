import { EndpointJson, EndpointList, type SnmpUserList } from "@halvik/contract/kinds";
import type { SenderList } from "@halvik/contract/senders";
import { screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { useViewStore } from "../../data/view-store";
import { answering } from "../../testing/answering";
import { senderJson } from "../../testing/answers";
import { draw } from "../../testing/draw";
import { freshPage } from "../../testing/fresh-page";
import { AdmissionRules } from "./admission-rules";
import { type Admission, AdmitForm } from "./admit-form";
import { SnmpCommunities } from "./snmp-communities";
import { SnmpUsers } from "./snmp-users";

freshPage();
beforeEach(() => useViewStore.setState({ zone: "UTC" }));

const AT = "2026-11-28T02:14:07.000000Z";

describe("a sender that is admitted", () => {
  const admitting = () => {
    const admitted: Admission[] = [];
    let cancelled = 0;
    const sender = senderJson({ name: "10.20.3.9", state: "waiting" });
    draw(
      <AdmitForm
        sender={sender}
        sites={["Orvane", "Hestnes"]}
        onAdmit={(a) => admitted.push(a)}
        onCancel={() => cancelled++}
      />,
    );
    return { admitted, cancelled: () => cancelled, user: userEvent.setup() };
  };

  test("keeps the name it has and stands nowhere, unless somebody says otherwise", async () => {
    const { admitted, user } = admitting();
    await user.click(screen.getByRole("button", { name: "Admit" }));
    expect(admitted).toEqual([{ name: "10.20.3.9", site: null }]);
  });

  test("is named at once, since the name is selected; blanks around are dropped; the return key admits", async () => {
    const { admitted, user } = admitting();
    await user.keyboard(" sw-test ");
    await user.type(screen.getByLabelText("Site"), " Hestnes {Enter}");
    expect(admitted).toEqual([{ name: "sw-test", site: "Hestnes" }]);
  });

  test("waits on where somebody thinks better of it", async () => {
    const { admitted, cancelled, user } = admitting();
    await user.keyboard("{Escape}");
    expect([admitted, cancelled()]).toEqual([[], 1]);
  });
});

test("blocks that are admitted: by whom, since when, whom they let in, taken back by a button", async () => {
  const rule = { id: 1, network: "10.20.0.0/16", by: "owner", since: AT, admitted: 0, later: 0 };
  const back: number[] = [];
  const rules = [rule, { ...rule, id: 2, admitted: 1, later: 1 }, { ...rule, id: 3, admitted: 1_200, later: 4 }];
  draw(<AdmissionRules rules={rules as SenderList["networks"]} onTakeBack={({ id }) => back.push(id)} />);
  const said = screen.getAllByTestId("admission-rule").map((r) => r.textContent);
  expect(said[0]).toContain("admitted when first heard · owner, 28 Nov 02:14 · nobody of it so far");
  expect(said[1]).toContain("1 sender of it, 1 since then");
  expect(said[2]).toContain("1,200 senders of it, 4 since then");
  await userEvent.setup().click(screen.getAllByRole("button", { name: "take back" })[1]!);
  expect(back).toEqual([2]);
});

describe("communities of SNMP", () => {
  const endpoint = (over: Partial<EndpointJson>) =>
    EndpointJson.parse({
      ...{ id: 4, name: "SNMP", kind: "snmp", host: "127.0.0.1", port: 5162, portSetting: null, enabled: true },
      ...{ settings: {}, state: "listening", detail: "", counters: {}, communities: [], refused: [], samples: [] },
      ...over,
    });
  const LIST: EndpointList = EndpointList.parse({ endpoints: [], fingerprint: null, windowsScript: "" });
  const refused = (count: number) => ({ digest: "d1", mask: "p•••", peer: "10.20.1.14", count, at: AT });

  test.each([
    [null, "any may speak: admit one, and the others are refused"],
    [[], "None: nobody may speak by v1 and v2c."],
  ])("who may speak is said: %j", (communities, said) => {
    draw(<SnmpCommunities endpoint={endpoint({ communities })} />);
    expect(screen.getByText(said)).toBeTruthy();
  });

  test.each([
    [1, "once, from 10.20.1.14 at 28 Nov 02:14:07"],
    [1_200, "1,200 times, the last from 10.20.1.14 at 28 Nov 02:14:07"],
  ])("who was refused %d times is said, and admitted by one key, unseen", async (count, said) => {
    const asked = answering({ "POST /endpoints/4/communities": LIST });
    draw(<SnmpCommunities endpoint={endpoint({ refused: [refused(count)] })} />);
    expect(screen.getByText(said)).toBeTruthy();
    await userEvent.setup().click(screen.getByRole("button", { name: "Admit p•••" }));
    expect(asked).toEqual([["POST /endpoints/4/communities", { digest: "d1" }]]);
  });

  test("one is typed, admitted and gone from the field; one is taken out", async () => {
    const asked = answering({ "POST /endpoints/4/communities": LIST, "DELETE /endpoints/4/communities/d2": LIST });
    draw(<SnmpCommunities endpoint={endpoint({ communities: [{ digest: "d2", mask: "o•••" }] })} />);
    const user = userEvent.setup();
    const field = screen.getByLabelText("A community to admit") as HTMLInputElement;
    await user.click(screen.getByRole("button", { name: "Admit" }));
    expect(asked).toEqual([]);
    await user.type(field, "orvane{Enter}");
    await waitFor(() => expect(field.value).toBe(""));
    await user.click(screen.getByRole("button", { name: "Take out o•••" }));
    expect(asked.map(([what]) => what)).toEqual([
      "POST /endpoints/4/communities",
      "DELETE /endpoints/4/communities/d2",
    ]);
  });
});

describe("users of SNMPv3", () => {
  const users = (list: SnmpUserList["users"]) =>
    draw(<SnmpUsers />, { answers: [[["snmp-users"], { users: list } satisfies SnmpUserList]] });
  const NOC = { name: "noc", authProtocol: "sha256", privProtocol: null, sender: "ups-1" };

  test("what protects each, and whom it is bound to; without any it is said what follows", () => {
    users([NOC]);
    expect(screen.getByText("noc").parentElement!.textContent).toBe("noc sha256, no privacy, only ups-1");
  });
  test("without any it is said what follows", () => {
    users([]);
    expect(screen.getByText("none: SNMPv3 is refused")).toBeTruthy();
  });

  test("one is added with the protections that have a password, and shown", async () => {
    const asked = answering({ "POST /snmp-users": { users: [NOC] } });
    users([]);
    const user = userEvent.setup();
    await user.click(screen.getByRole("button", { name: "Add a user" }));
    await user.click(screen.getByRole("button", { name: "Add" }));
    expect(screen.getByText("A name is needed.")).toBeTruthy();
    await user.type(screen.getByLabelText("Name"), "noc");
    const [auth] = screen.getAllByLabelText("Password");
    await user.type(auth!, "short");
    await user.click(screen.getByRole("button", { name: "Add" }));
    expect(screen.getByText("At least 8 characters.")).toBeTruthy();
    await user.type(auth!, " but longer");
    await user.click(screen.getByRole("button", { name: "Add" }));
    expect(await screen.findByText("noc")).toBeTruthy();
    expect(asked).toEqual([
      ["POST /snmp-users", { name: "noc", authProtocol: "sha256", authPassword: "short but longer" }],
    ]);
  });

  test("one is deleted, whatever stands in its name", async () => {
    const asked = answering({ "DELETE /snmp-users/a%2Fb": { users: [] } });
    users([{ ...NOC, name: "a/b" }]);
    const user = userEvent.setup();
    // its keys go with it, and nobody has the passwords any more: it is asked twice
    await user.click(screen.getByRole("button", { name: "delete: the user a/b" }));
    expect(asked).toEqual([]);
    await user.click(screen.getByRole("button", { name: "delete it for good: the user a/b" }));
    expect(await screen.findByText("none: SNMPv3 is refused")).toBeTruthy();
    expect(asked).toHaveLength(1);
  });
});
