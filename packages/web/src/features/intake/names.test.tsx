import { ApplicationList, DomainList } from "@halvik/contract/kinds";
import { screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { useViewStore } from "../../data/view-store";
import { draw } from "../../testing/draw";
import { freshPage } from "../../testing/fresh-page";
import { ApplicationNames } from "./application-names";
import { OwnDomains } from "./own-domains";

freshPage();
beforeEach(() => useViewStore.setState({ zone: "UTC" }));

const acts = () => {
  const done: unknown[] = [];
  return { done, act: async (...of: unknown[]) => done.push(of), user: userEvent.setup() };
};

describe("domains that are ours", () => {
  const LIST = DomainList.parse({
    domains: [
      { domain: "orvane.example", by: "owner", at: "2026-11-28T02:14:07.000000Z" },
      { domain: "orvane", by: "command line", at: "2026-11-28T02:14:07.000000Z" },
    ],
    suggested: [
      { domain: "ferries.example", names: 1, alsoBare: 0, example: "till-3.ferries.example" },
      { domain: "HARBOUR", names: 41, alsoBare: 7, example: "HARBOUR\\k.lind" },
    ],
  });

  test("what each means is shown by names, long and short; what records suggest, with an example", () => {
    const { act } = acts();
    draw(<OwnDomains list={LIST} act={act} />);
    const text = document.body.textContent ?? "";
    expect(text).toContain("dc-1.orvane.example is dc-1, k.lind@orvane.example is k.lind · owner, 28 Nov 02:14");
    expect(text).toContain("ORVANE\\k.lind is k.lind · command line");
    expect(text).toContain("suggested: one name is written with it in the last day, such as till-3.ferries.example");
    expect(text).toContain("suggested: 41 names are written with it in the last day, 7 of them also without");
  });

  test("one is taken back, a suggested one taken, one typed; what is none is refused where it stands", async () => {
    const { act, done, user } = acts();
    draw(<OwnDomains list={LIST} act={act} />);
    await user.click(screen.getAllByRole("button", { name: "take back" })[0]!);
    await user.click(screen.getAllByRole("button", { name: "it is ours" })[1]!);
    const field = screen.getByLabelText("Domain") as HTMLInputElement;
    await user.type(field, "not a domain{Enter}");
    expect(screen.getByText("Expected a domain such as orvane.example.")).toBeTruthy();
    await user.clear(field);
    await user.type(field, " islands.example {Enter}");
    expect(done).toEqual([
      ["DELETE", "/domains/orvane.example"],
      ["POST", "/domains", { domain: "HARBOUR" }],
      ["POST", "/domains", { domain: "islands.example" }],
    ]);
    expect(field.value).toBe("");
  });
});

describe("names of traffic", () => {
  const LIST = ApplicationList.parse({
    applications: [
      { id: 1, name: "ticket sales", protocol: 6, lowPort: 7_100, highPort: 7_110, network: "10.20.1.0/24" },
      { id: 2, name: "tide gauge", protocol: null, lowPort: 9_000, highPort: 9_000, network: null },
    ],
    unnamed: [
      { protocol: 17, port: 47_808, flows: 1_204, bytes: 5_100_000 },
      { protocol: 132, port: 3_868, flows: 2, bytes: 900 },
    ],
  });
  const names = () => {
    const a = acts();
    draw(<ApplicationNames list={LIST} act={a.act} />);
    return a;
  };

  test("what each is of: protocol, one port or a range, where", () => {
    names();
    expect(screen.getByText("ticket sales").nextSibling!.textContent).toBe("TCP, port 7100–7110, at 10.20.1.0/24");
    expect(screen.getByText("tide gauge").nextSibling!.textContent).toBe("any protocol, port 9000");
  });

  test("the biggest without a name lead to their flows, and into the form", async () => {
    const { done, user } = names();
    const [flows] = screen.getAllByRole("link", { name: "its flows" });
    expect(new URLSearchParams(flows!.getAttribute("href")!.split("?")[1]).get("filter")).toBe(
      "kind is flow and protocol is 17 and (src port is 47808 or dst port is 47808)",
    );
    await user.click(screen.getAllByRole("button", { name: "name it" })[1]!);
    // the form knows three protocols: another means any
    await user.keyboard("diameter");
    await user.click(screen.getByRole("button", { name: "Name it" }));
    expect(done).toEqual([
      ["POST", "/applications", { name: "diameter", protocol: null, lowPort: 3_868, highPort: null, network: null }],
    ]);
  });

  test.each([
    ["Port", "70000", "0 to 65535."],
    ["up to", "12x", "0 to 65535."],
    ["Name", "", "A name is needed."],
  ])("%s %j is refused where it stands", async (label, text, said) => {
    const { done, user } = names();
    if (label !== "Name") await user.type(screen.getByLabelText("Name"), "x");
    if (text !== "") await user.type(screen.getByLabelText(label), text);
    await user.click(screen.getByRole("button", { name: "Name it" }));
    expect(screen.getByText(said)).toBeTruthy();
    expect(done).toEqual([]);
  });

  test("a name at a block, with a range, is taken back by its number", async () => {
    const { done, user } = names();
    for (const [label, text] of [
      ["Name", "till"],
      ["Port", "7200"],
      ["up to", "7210"],
      ["At", " 10.20.2.0/24 "],
    ] as const)
      await user.type(screen.getByLabelText(label), text);
    await user.click(screen.getByRole("button", { name: "Name it" }));
    await user.click(screen.getAllByRole("button", { name: "take back" })[1]!);
    expect(done).toEqual([
      [
        "POST",
        "/applications",
        { name: "till", protocol: 17, lowPort: 7_200, highPort: 7_210, network: "10.20.2.0/24" },
      ],
      ["DELETE", "/applications/2"],
    ]);
  });
});
