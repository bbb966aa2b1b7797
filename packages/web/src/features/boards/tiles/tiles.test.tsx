import { screen, within } from "@testing-library/react";
import type { ReactElement } from "react";
import { useViewStore, usOf } from "../../../data/view-store";
import { incidentJson } from "../../../testing/answers";
import { draw } from "../../../testing/draw";
import { freshPage } from "../../../testing/fresh-page";
import { IntakeTile, LoadTile } from "./load";
import { LimitsTile, LinksTile } from "./near";
import { IncidentDaysTile, NightTile, SitesTile } from "./night";
import { QueueTile, SilentTile } from "./queue";

freshPage();
beforeEach(() => useViewStore.setState({ zone: "Europe/Oslo", nowUs: usOf("2026-11-28T02:15:00.000000Z") }));

const shown = (tile: ReactElement) => {
  draw(tile);
  return document.body.textContent ?? "";
};
const cells = (name: string | RegExp) =>
  [...screen.getByRole("rowheader", { name }).parentElement!.querySelectorAll("td")] as HTMLElement[];
const isMarked = (e: HTMLElement) => /text-(?:ochre|vermilion)/.test(e.className);

describe("last night beside the nights before", () => {
  const night = { from: "2026-11-27T21:00:00.000000Z", to: "2026-11-28T05:00:00.000000Z" };
  const figure = (name: string, lastNight: number | null, usual: number | null, over: object = {}) => ({
    ...{ name, filter: "failed", unit: "records" as const, lastNight, usual, before: [1, null, 3] },
    ...over,
  });
  const tile = (...figures: ReturnType<typeof figure>[]) =>
    shown(<NightTile made={{ night, figures } as Parameters<typeof NightTile>[0]["made"]} />);

  test("what is half as much again, or less by a third, is marked; few differ by chance", () => {
    tile(
      figure("as usual", 140, 100),
      figure("more", 151, 100),
      figure("less", 60, 100),
      figure("few", 9, 1),
      figure("new", 10, 0),
      figure("unknown", 900, null),
    );
    const marked = ["as usual", "more", "less", "few", "new", "unknown"].filter((n) => isMarked(cells(n)[0]!));
    expect(marked).toEqual(["more", "less", "new"]);
    expect(cells("unknown")[1]!.textContent).toBe("not known");
  });

  test("each figure leads to its records of that night; one that no filter tells leads nowhere", () => {
    const text = tile(figure("refused", 1, 1), figure("octets", 5e9, 4e9, { filter: "", unit: "bytes" }));
    const to = new URLSearchParams(screen.getByRole("link", { name: "refused" }).getAttribute("href")!.split("?")[1]);
    expect(to.get("filter")).toBe("failed");
    expect([...to.keys()].length).toBeGreaterThan(1);
    expect(screen.queryByRole("link", { name: "octets" })).toBeNull();
    expect(
      cells("octets")
        .slice(0, 2)
        .map((c) => c.textContent),
    ).toEqual(["5.0 GB", "4.0 GB"]);
    expect(text).toContain("22:00 – 06:00, against the median of the nights before");
  });

  test("where there is nothing to count, a sentence stands and no empty table", () => {
    expect(tile()).toContain("Nothing to count last night or in the nights before (22:00 – 06:00).");
    expect(screen.queryByRole("table")).toBeNull();
  });

  test("what is still being counted says so, and is told from no usual", () => {
    tile(figure("traffic of flows", null, null, { filter: "", unit: "bytes", before: [null, null, null] }));
    expect(cells(/traffic/)[0]!.textContent).toBe("counting …");
    expect(isMarked(cells(/traffic/)[0]!)).toBe(false);
  });

  test("a night that nothing is known of is a gap among the bars", () => {
    tile(figure("x", 3, 3));
    const heights = cells("x")[2]!.querySelectorAll("rect");
    expect([...heights].map((r) => Number(r.getAttribute("height")) > 0)).toEqual([true, false, true, true]);
  });
});

test("sites: how many of their senders are silent", () => {
  shown(
    <SitesTile
      made={{
        sites: [
          { site: "Hestnes", senders: 4, silent: 1, lastNight: 1_234.4, usual: null },
          { site: "Orvane\u202e", senders: 9, silent: 0, lastNight: 10, usual: 9.6 },
        ],
      }}
    />,
  );
  expect(cells("Hestnes").map((c) => c.textContent)).toEqual(["1 of 4 silent", "1,234", "not known"]);
  expect(isMarked(cells("Hestnes")[0]!)).toBe(true);
  expect(cells(/^Orvane⟨202E⟩/).map((c) => c.textContent)).toEqual(["9", "10", "10"]);
});

test("no sites are said", () => {
  expect(shown(<SitesTile made={{ sites: [] }} />)).toBe("No sender is at a site yet.");
});

test("incidents a day are said to who sees no bars, by the days of the zone", () => {
  shown(
    <IncidentDaysTile
      made={{ incidents: [{ from: "2026-11-26T23:00:00.000000Z", raised: 12, errors: 3 }] } as never}
    />,
  );
  expect(screen.getByRole("listitem").textContent).toBe("12Fr 27, 3 of them error or worse");
});

describe("what needs somebody", () => {
  const made = (incidents: ReturnType<typeof incidentJson>[], more = 0) =>
    ({ is: "needs somebody", title: "", incidents, more }) as Parameters<typeof QueueTile>[0]["made"];
  test("nothing", () => expect(shown(<QueueTile made={made([])} />)).toBe("Nothing needs anybody."));
  test("each with who has it and for how long, and how many more", () => {
    const text = shown(
      <QueueTile made={made([incidentJson({ id: 7, title: "a\u202eb", assignedTo: "t.vik" })], 1_204)} />,
    );
    expect(screen.getByRole("link", { name: "a⟨202E⟩b" }).getAttribute("href")).toBe("/incidents/7");
    expect(text).toContain("t.vik · 53 s");
    expect(screen.getByRole("link", { name: "1,204 more" }).getAttribute("href")).toBe("/incidents");
  });
});

describe("whom nothing is heard of", () => {
  const made = (senders: object, more = 0) =>
    ({
      is: "silent senders",
      title: "",
      senders: { admitted: 20, waiting: 0, silent: [], ...senders },
      more,
    }) as unknown as Parameters<typeof SilentTile>[0]["made"];
  const since = "2026-11-28T01:15:00.000000Z";
  test("since when, behind what, and what it sent", () => {
    const silent = [
      { name: "sw 1", since, explainedBy: null },
      { name: "ap-3", since, explainedBy: "sw 1" },
    ];
    const text = shown(<SilentTile made={made({ silent }, 3)} />);
    expect(text).toContain("silent 1 h");
    expect(text).toContain("ap-3 behind sw 1");
    expect(text).toContain("20 senders, 15 as usual");
    const to = screen.getByRole("link", { name: "sw 1" }).getAttribute("href")!;
    expect(new URLSearchParams(to.split("?")[1]).get("filter")).toBe('sender is "sw 1"');
  });
  test.each([
    [{ admitted: 0 }, /No sender has been admitted yet/],
    [{}, /Every sender is as active as usual/],
    [{ waiting: 1_500 }, /1,500 waiting for admission/],
  ])("%j", (senders, said) => expect(shown(<SilentTile made={made(senders)} />)).toMatch(said));
});

describe("how near to a line", () => {
  const limit = (over: object) => ({
    ...{ rule: "r1", name: "Bytes", key: [], near: 0.5, raiseAt: 2e9, side: "over", unit: "bytes" },
    ...over,
  });
  test("which part of the way, of which key; beyond it is marked", () => {
    shown(
      <LimitsTile
        made={
          {
            is: "limits",
            title: "",
            limits: [
              limit({ key: ["10.0.0.1"], near: 1.2 }),
              limit({ rule: "r2", name: "Logons", near: null, raiseAt: null }),
            ],
            more: 0,
          } as never
        }
      />,
    );
    const over = cells(/^Bytes ?: 10\.0\.0\.1/);
    expect(isMarked(over[1]!)).toBe(true);
    expect(over[2]!.textContent).toBe("over 2 GB");
    expect((over[0]!.querySelector("span span") as HTMLElement).style.width).toBe("100%");
    expect(cells("Logons").map((c) => c.textContent)).toEqual(["", "–", "usual"]);
  });
  test("none", () => {
    expect(shown(<LimitsTile made={{ is: "limits", title: "", limits: [], more: 0 } as never} />)).toMatch(
      /^Nothing is guarded by a line yet/,
    );
  });

  const link = (most: number, way: string) => ({
    exporter: { id: 4, name: "rt-hestnes" },
    interface: { index: 7, name: "wan0" },
    ...{ way, most, capacity: 100e6, stepSeconds: 300 },
  });
  test("links by how full they were; from nine tenths on one is close to full", () => {
    const text = shown(
      <LinksTile
        made={{ is: "fullest links", title: "", links: [link(90e6, "in"), link(89e6, "out")], more: 2 } as never}
      />,
    );
    expect(isMarked(cells("rt-hestnes wan0 in")[1]!)).toBe(true);
    expect(isMarked(cells("rt-hestnes wan0 out")[1]!)).toBe(false);
    expect(cells("rt-hestnes wan0 in")[2]!.textContent).toBe("90 Mb/s");
    expect(screen.getByRole("link", { name: "rt-hestnes wan0 in" }).getAttribute("href")).toBe(
      "/traffic?exporter=4&interface=7",
    );
    expect(text).toMatch(/at most, in 5 min2 more/);
  });
  test("links while flows are not summed yet", () => {
    const made = { is: "fullest links", title: "", links: [link(0, "in")], more: 0, isCounting: true };
    expect(shown(<LinksTile made={made as never} />)).toMatch(/still being summed: at least so much$/);
  });
  test("no link", () => {
    expect(shown(<LinksTile made={{ is: "fullest links", title: "", links: [], more: 0 } as never} />)).toMatch(
      /^No interface has a capacity that is known and traffic/,
    );
  });
});

describe("alarm load", () => {
  const made = (over: object) =>
    ({
      ...{ is: "alarm load", title: "", alarms: 1_204, stepSeconds: 3_600, floods: [], figures: [], rules: [] },
      steps: [{ from: "2026-11-28T00:00:00.000000Z", count: 4, severe: 1 }],
      ...over,
    }) as unknown as Parameters<typeof LoadTile>[0]["made"];
  const figure = (band: string, value: number, unit = "share") => ({ band, value, unit, name: "of the ten busiest" });
  test("the worst figure of all is said, with its band", () => {
    const figures = [figure("good", 0.1), figure("bearable", 0.2), figure("too much", 0.432)];
    expect(shown(<LoadTile made={made({ figures, floods: [1] })} />)).toContain(
      "1,204 incidents raised, 1 flood. 43 % of the ten busiest: too much.",
    );
  });
  test("one is one", () => expect(shown(<LoadTile made={made({ alarms: 1 })} />)).toContain("1 incident raised."));
  test("where all are good that is said, and who makes most", () => {
    const text = shown(
      <LoadTile
        made={made({ figures: [figure("good", 3.26, "")], rules: [{ id: "scan", name: "A scan", share: 0.5 }] })}
      />,
    );
    expect(text).toContain("Every figure is in its good band.");
    expect(text).toContain("most by A scan, 50 %");
    expect(screen.getByRole("link", { name: "A scan" }).getAttribute("href")).toBe("/rules/scan");
    expect(screen.getByRole("img", { name: "1204 alarms, at most 4 in a step" })).toBeTruthy();
  });
});

test("what did not come through: what is nothing is quiet", () => {
  const intake = { lost: 0, refused: 1_204, capped: 0, problems: 0, late: 0 };
  const text = shown(
    <IntakeTile
      made={{ is: "intake", title: "", intake, recordsPerSecond: 9.8, engineBehindSeconds: 0.24 } as never}
    />,
  );
  const value = (name: RegExp) => within(screen.getByText(name).parentElement!).getByRole("definition");
  expect(value(/^refused/).textContent).toBe("1,204");
  expect(value(/^lost/).className).toContain("text-quiet");
  expect(text).toContain("9.8 records/s, rules 0.2 s behind");
});
