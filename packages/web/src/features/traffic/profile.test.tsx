import { fireEvent, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { useViewStore, usOf } from "../../data/view-store";
import { draw } from "../../testing/draw";
import { freshPage } from "../../testing/fresh-page";
import { Profile } from "./profile";

freshPage();

const FROM = usOf("2026-11-28T02:00:00.000000Z");
const MINUTE = 60e6;
type Answer = Parameters<typeof Profile>[0]["answer"];
type Sentence = Parameters<typeof Profile>[0]["sentence"];

beforeEach(() => useViewStore.setState({ zone: "UTC", nowUs: FROM + 60 * MINUTE, needleUs: null }));

const step = (i: number, whole: number[], weekBefore: number[] = whole.map(() => 0), bands: number[][] = []) => ({
  from: new Date((FROM + i * MINUTE) / 1_000).toISOString().replace("Z", "000Z"),
  whole,
  weekBefore,
  bands,
});
/** Ten minutes; of an interface 7.5 MB come in in the fourth: 1 Mb/s. */
const answer = (over: Partial<Answer> = {}): Answer => ({
  step: 60,
  sides: 1,
  bands: [],
  capacity: null,
  steps: Array.from({ length: 10 }, (_, i) => step(i, [i === 3 ? 7_500_000 : 75_000])),
  ...over,
});

function drawn(over: Partial<Answer> = {}, sentence: Partial<Sentence> = {}) {
  const gone: [number, number][] = [];
  draw(
    <Profile
      answer={answer(over)}
      sentence={{ measure: "bytes", scale: "linear", ...sentence } as Sentence}
      onGo={(from, to) => gone.push([(from - FROM) / MINUTE, (to - FROM) / MINUTE])}
    />,
  );
  return { gone, slider: screen.getByRole("slider"), user: userEvent.setup() };
}
const caption = () => document.querySelector("figcaption")!.textContent;
const lines = (stroke: string) => document.querySelectorAll(`path[stroke="var(--${stroke})"]`);

test("it says its busiest step until the needle is in it", () => {
  const { slider } = drawn();
  expect(caption()).toBe("busiest 28 Nov 02:031 Mb/s");
  expect(slider.getAttribute("aria-valuetext")).toBe("28 Nov 02:03, 1 Mb/s");
  fireEvent.pointerMove(slider, { clientY: 0 });
  // the newest is on top
  expect(caption()).toBe("28 Nov 02:0910 kb/s");
  fireEvent.pointerLeave(slider);
  expect(caption()).toMatch(/^busiest/);
});

test("a week before is said where something was there then", () => {
  const steps = Array.from({ length: 10 }, (_, i) => step(i, [75_000], [i === 9 ? 150_000 : 0]));
  const { slider } = drawn({ steps });
  fireEvent.pointerMove(slider, { clientY: 0 });
  expect(caption()).toContain("a week before 20 kb/s");
  fireEvent.pointerMove(slider, { clientY: 500 });
  expect(caption()).not.toContain("a week before");
});

test("by keyboard: up is later, to both ends and no further; enter goes to the step", async () => {
  const { gone, slider, user } = drawn();
  slider.focus();
  await user.keyboard("{ArrowUp}");
  expect(slider.getAttribute("aria-valuenow")).toBe("4");
  await user.keyboard("{ArrowDown}{ArrowDown}{Enter}");
  await user.keyboard("{Home}{ArrowUp}{Enter}");
  await user.keyboard("{End}{PageDown}{Enter}");
  expect(gone).toEqual([
    [2, 3],
    [9, 10],
    [0, 1],
  ]);
});

/** Nothing is laid out here: the chart begins at the top, and is as high as it says at first, 560 points with what stands below. */
const yOf = (minute: number) => 526 - (minute / 10) * 526;

test("a click goes to its step, a drag to all that it passes, whichever way", () => {
  const { gone, slider } = drawn();
  const drag = (from: number, to: number) => {
    fireEvent.pointerDown(slider, { clientY: yOf(from), pointerId: 1 });
    fireEvent.pointerMove(slider, { clientY: yOf(to), pointerId: 1 });
    fireEvent.pointerUp(slider, { clientY: yOf(to), pointerId: 1 });
  };
  drag(3.5, 3.5);
  drag(2.5, 6.5);
  drag(6.5, 2.5);
  // beyond the end is the end
  drag(8.5, 40);
  expect(gone).toEqual([
    [3, 4],
    [2, 7],
    [2, 7],
    [8, 10],
  ]);
});

test("a drag that is taken away goes nowhere", () => {
  const { gone, slider } = drawn();
  fireEvent.pointerDown(slider, { clientY: yOf(2), pointerId: 1 });
  fireEvent.pointerCancel(slider, { pointerId: 1 });
  fireEvent.pointerUp(slider, { clientY: yOf(8), pointerId: 1 });
  expect(gone).toEqual([]);
});

describe("of an interface", () => {
  const both = { sides: 2, steps: Array.from({ length: 10 }, (_, i) => step(i, [75_000 * (i + 1), 37_500])) };

  test("both ways are said, and how much that is of what it carries", () => {
    drawn({ ...both, capacity: 200_000 });
    expect(caption()).toBe(
      "busiest 28 Nov 02:09in 100 kb/s · 50 % of what it carriesout 5 kb/s · 2.5 % of what it carries",
    );
    expect(lines("ochre")).toHaveLength(2);
  });

  test("what it carries is drawn only where it is near, and said of octets alone", () => {
    drawn({ ...both, capacity: 1e9 });
    expect(lines("ochre")).toHaveLength(0);
    expect(caption()).toContain("0.0 % of what it carries");
  });

  test("of packets it is not said", () => {
    drawn({ ...both, capacity: 200_000 }, { measure: "packets" });
    expect(caption()).not.toContain("carries");
    expect(lines("ochre")).toHaveLength(0);
  });
});

test("bands and what has none of its own add up to the whole", () => {
  const steps = Array.from({ length: 10 }, (_, i) => step(i, [100_000], [0], [[60_000, 30_000]]));
  drawn({ steps, bands: ["https", "dns‮"] });
  const bars = [...document.querySelectorAll('rect[fill="var(--ink)"]')];
  expect(bars).toHaveLength(30);
  const width = (of: Element[]) => of.reduce((sum, b) => sum + Number(b.getAttribute("width")), 0);
  const weights = [...new Set(bars.map((b) => b.getAttribute("opacity")))];
  const [first, second, rest] = weights.map((w) => width(bars.filter((b) => b.getAttribute("opacity") === w)));
  expect(first! / second!).toBeCloseTo(2, 5);
  expect(first! / rest!).toBeCloseTo(6, 5);
  // named to who does not see it, signs of direction shown for what they are
  expect(document.querySelector("p.sr-only")!.textContent).toBe("https, dns⟨202E⟩");
});

test("by a logarithmic scale what is a thousandth is seen, and it says that it is one", () => {
  const steps = Array.from({ length: 10 }, (_, i) => step(i, [i === 3 ? 7_500_000 : 7_500]));
  drawn({ steps }, { scale: "log" });
  const widths = [...document.querySelectorAll('rect[fill="var(--ink)"]')].map((b) => Number(b.getAttribute("width")));
  expect(widths).toHaveLength(10);
  expect(Math.min(...widths) / Math.max(...widths)).toBeGreaterThan(0.2);
  expect(screen.getByText("logarithmic")).toBeTruthy();
});

test("nothing at all is drawn as nothing", () => {
  drawn({ steps: Array.from({ length: 10 }, (_, i) => step(i, [0])) });
  expect(document.querySelectorAll('rect[fill="var(--ink)"]')).toHaveLength(0);
  expect(caption()).toBe("busiest 28 Nov 02:000 b/s");
});
