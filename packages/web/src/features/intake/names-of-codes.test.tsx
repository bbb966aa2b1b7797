import { MeaningList, MibList } from "@halvik/contract/kinds";
import { screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { draw } from "../../testing/draw";
import { freshPage } from "../../testing/fresh-page";
import { EventMeanings } from "./event-meanings";
import { SnmpModules } from "./snmp-modules";

freshPage();

const acts = (refuse: (path: string, body?: object) => string | null = () => null) => {
  const done: unknown[] = [];
  const act = async (method: string, path: string, body?: object) => {
    done.push(body === undefined ? [method, path] : [method, path, body]);
    const why = refuse(path, body);
    if (why !== null) throw new Error(why);
  };
  return { done, act, user: userEvent.setup() };
};

describe("modules of SNMP", () => {
  const LIST = MibList.parse({
    modules: [
      { name: "IF-MIB", shipped: true, addedBy: null, problems: [] },
      { name: "IP-MIB", shipped: true, addedBy: null, problems: [] },
      {
        name: "ORVANE-RAMP-MIB",
        ...{ shipped: false, addedBy: "owner" },
        problems: [{ code: "MISSING", line: 3, column: 7, message: "LAMP-MIB is not here" }],
      },
    ],
    unnamed: [{ oid: "1.3.6.1.4.1.32473.9.0.1", count: 1_204, last: "2026-11-28T02:14:07.000000Z", sender: "crane-2" }],
  });
  const file = (name: string, text: string) => new File([text], name, { type: "text/plain" });

  test("one's own are shown, with what they lack and where; standard ones when somebody asks", async () => {
    const { act, user } = acts();
    draw(<SnmpModules list={LIST} act={act} />);
    expect(screen.getByText("ORVANE-RAMP-MIB").nextSibling!.textContent).toBe(
      "added by ownerline 3, column 7: LAMP-MIB is not here",
    );
    expect(screen.queryByText("IF-MIB")).toBeNull();
    expect(document.body.textContent).toContain("2 standard ones come with Halvik");
    await user.click(screen.getByRole("button", { name: "list them" }));
    expect(screen.getByText("IF-MIB").nextSibling!.textContent).toBe("standard");
    // what comes with Halvik is not deleted
    expect(screen.getAllByRole("button", { name: /^delete/ })).toHaveLength(1);
  });

  test("several files that are chosen at once are all added, also where one of them is none", async () => {
    const { act, done, user } = acts((_, body) =>
      (body as { source: string }).source === "two" ? "line 1: no module" : null,
    );
    draw(<SnmpModules list={LIST} act={act} />);
    await user.upload(screen.getByLabelText("Add modules"), [
      file("a.mib", "one"),
      file("b.mib", "two"),
      file("c.my", "three"),
    ]);
    await waitFor(() => expect(done).toHaveLength(3));
    expect(done).toEqual(["one", "two", "three"].map((source) => ["POST", "/mibs", { source }]));
    expect((await screen.findByRole("alert")).textContent).toBe("b.mib: line 1: no module");
  });

  test("one is deleted; an identifier without a name leads to its records", async () => {
    const { act, done, user } = acts();
    draw(<SnmpModules list={LIST} act={act} />);
    await user.click(screen.getByRole("button", { name: "delete: the module ORVANE-RAMP-MIB" }));
    expect(done).toEqual([]);
    await user.click(screen.getByRole("button", { name: "delete it for good: the module ORVANE-RAMP-MIB" }));
    expect(done).toEqual([["DELETE", "/mibs/ORVANE-RAMP-MIB"]]);
    const link = screen.getByRole("link", { name: "its records" }).getAttribute("href")!;
    expect(new URLSearchParams(link.split("?")[1]).get("filter")).toBe(
      'kind is snmp and (event is "1.3.6.1.4.1.32473.9.0.1" or text has "1.3.6.1.4.1.32473.9.0.1")',
    );
    expect(document.body.textContent).toContain("1,204 timeslast from crane-2");
  });
});

describe("what events mean", () => {
  const meaning = (kind: "windows" | "snmp" | "syslog", code: string, over: object = {}) => ({
    ...{ kind, code, severity: null, category: "logon", outcome: "success", sentence: `says ${code}`, next: null },
    own: false,
    ...over,
  });
  const many = Array.from({ length: 80 }, (_, i) =>
    meaning("windows", `Provider ${5_000 + i}`, { category: "service" }),
  );
  const LIST = MeaningList.parse({
    meanings: [
      meaning("windows", "Security 4625", { outcome: "failure", next: "Who asked?" }),
      meaning("syslog", "ramp stuck", { category: "service", severity: 3, sentence: null, own: true }),
      ...many,
    ],
    severities: [
      { kind: "windows", original: "level 1", severity: 2, own: false },
      { kind: "json", original: "sev-A", severity: 1, own: true },
    ],
  });
  const shown = () => {
    const a = acts();
    draw(<EventMeanings list={LIST} act={a.act} />);
    return { ...a, find: (text: string) => a.user.type(screen.getByLabelText("Find events"), text) };
  };

  test("found by code, category and sentence, all words of what is typed; the first sixty of many", async () => {
    const { find, user } = shown();
    expect(screen.getByText("22 more; type more words to narrow it down.")).toBeTruthy();
    await find("LOGON 4625");
    expect(screen.getAllByRole("button", { name: /^Change / }).map((b) => b.getAttribute("aria-label"))).toEqual([
      "Change Security 4625",
    ]);
    await user.clear(screen.getByLabelText("Find events"));
    await find("weather");
    expect(screen.getByText("No event matches. An unknown one shows its own text.")).toBeTruthy();
  });

  test("one is changed: what is emptied is the record's own, and a syslog phrase has no sentence", async () => {
    const { find, user, done } = shown();
    await find("4625");
    await user.click(screen.getByRole("button", { name: "Change Security 4625" }));
    await user.clear(screen.getByLabelText("What to look at next"));
    await user.click(screen.getByRole("combobox", { name: "Severity" }));
    await user.click(screen.getByRole("option", { name: "critical" }));
    await user.click(screen.getByRole("button", { name: "Save" }));
    expect(done).toEqual([
      [
        "POST",
        "/meanings",
        {
          ...{ kind: "windows", code: "Security 4625", category: "logon", outcome: "failure", severity: 2 },
          ...{ sentence: "says Security 4625", next: null },
        },
      ],
    ]);
    await user.clear(screen.getByLabelText("Find events"));
    await find("ramp");
    await user.click(screen.getByRole("button", { name: "Change ramp stuck" }));
    expect(screen.queryByLabelText("Sentence")).toBeNull();
  });

  test("a phrase is added, and one's own is taken back", async () => {
    const { user, done } = shown();
    await user.click(screen.getByRole("button", { name: "Add a syslog phrase" }));
    await user.type(screen.getByLabelText("Phrase"), "ramp: moved /up");
    await user.click(screen.getByRole("button", { name: "Save" }));
    await user.click(screen.getByRole("button", { name: "reset" }));
    expect(done).toEqual([
      [
        "POST",
        "/meanings",
        {
          ...{ kind: "syslog", code: "ramp: moved /up", category: "other", outcome: "unknown", severity: null },
          ...{ sentence: null, next: null },
        },
      ],
      ["DELETE", "/meanings/syslog/ramp%20stuck"],
    ]);
  });

  test("a kind's own word gets a severity where it stands; which were changed is said", async () => {
    const { user, done } = shown();
    expect(screen.getByText("sev-A").parentElement!.textContent).toBe("json sev-A · changed");
    await user.click(screen.getByRole("combobox", { name: "windows level 1" }));
    await user.click(screen.getByRole("option", { name: "emergency" }));
    // only what was changed can be taken back
    expect(screen.queryByRole("button", { name: "Reset windows level 1" })).toBeNull();
    await user.click(screen.getByRole("button", { name: "Reset json sev-A" }));
    expect(done).toEqual([
      ["POST", "/severities", { kind: "windows", original: "level 1", severity: 0 }],
      ["DELETE", "/severities/json/sev-A"],
    ]);
  });
});
