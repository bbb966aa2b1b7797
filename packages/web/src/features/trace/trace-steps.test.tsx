import { Trace } from "@halvik/contract/trace";
import { screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { useViewStore } from "../../data/view-store";
import { recordJson } from "../../testing/answers";
import { draw } from "../../testing/draw";
import { freshPage } from "../../testing/fresh-page";
import { TraceSteps } from "./trace-steps";

freshPage();
beforeEach(() => useViewStore.setState({ zone: "UTC" }));

const AT = "2026-11-28T02:14:07.120000Z";
const rule = (id: string, verdict: "met" | "clears" | "near" | "not", over: object = {}) => ({
  ...{ rule: id, name: `Rule ${id}`, verdict, missing: "", raises: false },
  ...over,
});
const trace = (over: object = {}): Trace =>
  Trace.parse({
    steps: [
      { step: "received", state: "done", says: "41 octets by syslog over UDP", at: AT, tookMs: null },
      { step: "decoded", state: "done", says: "a message of sshd", at: null, tookMs: 0.042 },
    ],
    ...{ record: null, records: 1, rules: [], incidents: [], ...over },
  });
const steps = () =>
  within(screen.getByRole("list", { name: "Steps" }))
    .getAllByRole("listitem")
    .map((li) => li.textContent);

test("each step with what it came to, when, and how long it took, as short as that was", () => {
  const step = { step: "stored", state: "done", says: "in today's segment", at: AT };
  draw(
    <TraceSteps
      isStored
      trace={trace({
        steps: [
          { ...step, tookMs: 0.0004 },
          { ...step, tookMs: 0.42 },
          { ...step, tookMs: 12.34 },
          { ...step, tookMs: 2_345 },
        ],
      })}
    />,
  );
  expect(steps().map((text) => text!.split("02:14:07.120")[1])).toEqual(["+0 µs", "+420 µs", "+12.3 ms", "+2.3 s"]);
});

test.each([
  ["done", "done"],
  ["would", "would be"],
  ["waits", "waits"],
  ["ends", "ends here"],
] as const)("a step that is %s says so to whoever does not see the sign", (state, says) => {
  draw(
    <TraceSteps
      isStored={false}
      trace={trace({ steps: [{ step: "stored", state, says: "x", at: null, tookMs: null }] })}
    />,
  );
  expect(screen.getByRole("img", { name: says })).toBeTruthy();
});

test("one that is stored leads to its record among those around it; one that is not is said as what it would be", () => {
  const record = recordJson({
    id: "77",
    time: AT,
    sentence: "k.lind was refused",
    data: [["method", "pass\u202eword"]],
  });
  const drawn = draw(<TraceSteps isStored trace={trace({ record })} />);
  const link = screen.getByRole("link", { name: "k.lind was refused" }).getAttribute("href")!;
  expect(Object.fromEntries(new URLSearchParams(link.split("?")[1]))).toEqual({
    ...{ record: "77", from: "2026-11-28T02:09:07.120Z", to: "2026-11-28T02:19:07.120Z" },
  });
  // what was received is text
  expect(screen.getByText("pass⟨202E⟩word")).toBeTruthy();
  drawn.unmount();
  draw(<TraceSteps isStored={false} trace={trace({ record })} />);
  expect(screen.queryByRole("link")).toBeNull();
  expect(screen.getByText(/it would be/).parentElement!.textContent).toContain("k.lind was refused");
});

test("rules it concerns stand first, with what is missing; the others are one click away", async () => {
  const rules = [
    rule("a", "met", { raises: true }),
    rule("b", "near", { missing: "outcome is failure" }),
    rule("c", "clears"),
    rule("d", "not"),
  ];
  draw(<TraceSteps isStored={false} trace={trace({ rules })} />);
  expect(screen.getByText("4 run")).toBeTruthy();
  const said = (name: string) => screen.getByText(name).closest("p")!.textContent;
  expect(said("Rule a")).toBe("looks for itRule araises by it alone");
  expect(said("Rule b")).toBe("nearlyRule bmissing: outcome is failure");
  expect(said("Rule c")).toBe("ends with itRule c");
  expect(screen.queryByText("Rule d")).toBeNull();
  const user = userEvent.setup();
  await user.click(screen.getByRole("button", { name: "and the 1 it does not concern" }));
  expect(said("Rule d")).toBe("notRule d");
  await user.click(screen.getByRole("button", { name: "only those it concerns" }));
  expect(screen.queryByText("Rule d")).toBeNull();
});

test("where none is concerned that is said; incidents that came of it are led to", () => {
  draw(
    <TraceSteps
      isStored
      trace={trace({ rules: [rule("d", "not")], incidents: [{ id: 83, title: "let in <b>as</b> t.vik" }] })}
    />,
  );
  expect(screen.getByText("None looks for it, and none nearly does.")).toBeTruthy();
  expect(screen.getByRole("link", { name: "let in <b>as</b> t.vik" }).getAttribute("href")).toBe("/incidents/83");
});
