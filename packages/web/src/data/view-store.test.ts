import { act, renderHook } from "@testing-library/react";
import { createMemoryRouter } from "react-router";

import { readColumns, writeColumns } from "../features/records/columns";
import { freshPage } from "../testing/fresh-page";
import { recentFilters, rememberFilter } from "./recent-filters";
import {
  bounds,
  DEFAULT_RAIL_US,
  DEFAULT_WINDOW_US,
  isoOf,
  scaled,
  shifted,
  useView,
  useViewStore,
  usOf,
} from "./view-store";
import { keepWindowInUrl, windowParams } from "./window-url";

freshPage();

/** The window every page obeys, and how the address keeps it. */
const H = 3_600e6;
const NOW = Date.UTC(2026, 10, 25, 12) * 1_000;
const store = () => useViewStore.getState();
beforeEach(() => {
  store().tick(NOW);
  store().setLive(false);
  useViewStore.setState({
    window: { spanUs: DEFAULT_WINDOW_US, endUs: null },
    rail: { spanUs: DEFAULT_RAIL_US, endUs: null },
  });
});

describe("moments as text", () => {
  test.each([
    ["2026-11-25T12:00:00Z", NOW],
    ["2026-11-25T12:00:00.5Z", NOW + 500_000],
    ["2026-11-25T12:00:00.000001Z", NOW + 1],
    ["2026-11-25T12:00:00.1234567Z", NOW + 123_456],
    ["2026-11-25T13:00:00+01:00", NOW],
  ])("%s", (text, us) => expect(usOf(text)).toBe(us));
  test("what is no moment is no number", () => expect(usOf("yesterday")).toBeNaN());
  test("there and back, to the millisecond the API takes", () =>
    expect(usOf(isoOf(NOW + 123_000))).toBe(NOW + 123_000));
});

describe("the window", () => {
  test("follows the clock, or stands", () => {
    expect(bounds({ spanUs: H, endUs: null }, NOW)).toEqual({ fromUs: NOW - H, toUs: NOW });
    expect(bounds({ spanUs: H, endUs: NOW - H }, NOW)).toEqual({ fromUs: NOW - 2 * H, toUs: NOW - H });
  });
  test.each([
    ["an end in the future follows the clock", { spanUs: H, endUs: NOW + 1 }, { spanUs: H, endUs: null }],
    ["ten seconds at least", { spanUs: 1, endUs: NOW - H }, { spanUs: 10e6, endUs: NOW - H }],
    ["four hundred days at most", { spanUs: 9_999 * 24 * H, endUs: null }, { spanUs: 400 * 24 * H, endUs: null }],
  ])("%s", (_what, asked, want) => {
    store().setWindow(asked);
    expect(store().window).toEqual(want);
  });
  test("moved into the future it follows the clock; into the past it stands", () => {
    expect(shifted({ spanUs: H, endUs: NOW - 0.2 * H }, 0.5, NOW)).toEqual({ spanUs: H, endUs: null });
    expect(shifted({ spanUs: H, endUs: null }, -0.5, NOW)).toEqual({ spanUs: H, endUs: NOW - 0.5 * H });
  });
  test("narrowed around its middle; one that follows the clock keeps its end", () => {
    expect(scaled({ spanUs: 4 * H, endUs: NOW - H }, 0.5, NOW)).toEqual({ spanUs: 2 * H, endUs: NOW - 2 * H });
    expect(scaled({ spanUs: 4 * H, endUs: null }, 2, NOW)).toEqual({ spanUs: 8 * H, endUs: null });
  });
  test("the rail stays where it is while the window lies on it, and comes along when it leaves", () => {
    const before = store().rail;
    store().setWindow({ spanUs: H, endUs: NOW - 3 * H });
    expect(store().rail).toBe(before);
    store().setWindow({ spanUs: H, endUs: NOW - 100 * H });
    const rail = bounds(store().rail, NOW);
    const window = bounds(store().window, NOW);
    expect(rail.fromUs).toBeLessThan(window.fromUs);
    expect(rail.toUs).toBeGreaterThan(window.toUs);
  });
  test("live follows the clock on window and rail; a window that stands ends it", () => {
    store().setWindow({ spanUs: H, endUs: NOW - 100 * H });
    store().setLive(true);
    expect([store().window.endUs, store().rail.endUs, store().live]).toEqual([null, null, true]);
    store().setWindow({ spanUs: H, endUs: NOW - H });
    expect(store().live).toBe(false);
  });
});

describe("the window in the address", () => {
  const routerAt = async (path: string) => {
    const router = createMemoryRouter([{ path: "*", element: null }], { initialEntries: [path] });
    keepWindowInUrl(router);
    await settle();
    return router;
  };
  const settle = () => new Promise((r) => setTimeout(r, 20));
  test("a link restores it, beside what else the address says", async () => {
    const router = await routerAt("/records?filter=a%20b&from=2026-11-24T00%3A00%3A00Z&to=2026-11-24T06%3A00%3A00Z");
    expect(store().window).toEqual({ spanUs: 6 * H, endUs: usOf("2026-11-24T06:00:00Z") });
    expect(new URLSearchParams(router.state.location.search).get("filter")).toBe("a b");
    router.dispose();
  });
  test("one that follows the clock is a length", async () => {
    const router = await routerAt("/now?last=7200s");
    expect(store().window).toEqual({ spanUs: 2 * H, endUs: null });
    store().setWindow({ spanUs: 3 * H, endUs: null });
    await settle();
    expect(router.state.location.search).toBe("?last=10800s");
    expect(windowParams()).toBe("last=10800s");
    router.dispose();
  });
  test.each(["?last=many", "?last=99999999999s", "?from=x&to=y", "?from=2026-11-24T06:00:00Z&to=2026-11-24T00:00:00Z"])(
    "%s says nothing: the window stays, and the address says it",
    async (search) => {
      const router = await routerAt(`/now${search}`);
      expect(store().window).toEqual({ spanUs: DEFAULT_WINDOW_US, endUs: null });
      expect(router.state.location.search).toBe(`?last=${DEFAULT_WINDOW_US / 1e6}s`);
      router.dispose();
    },
  );
  test("a page on its way keeps its turn", async () => {
    const router = await routerAt("/now?last=7200s");
    void router.navigate("/records?filter=x");
    store().setWindow({ spanUs: H, endUs: null });
    await settle();
    expect(router.state.location.pathname).toBe("/records");
    const params = new URLSearchParams(router.state.location.search);
    expect([params.get("filter"), params.get("last")]).toEqual(["x", "3600s"]);
    router.dispose();
  });
});

describe("what a machine remembers", () => {
  const isKnown = (name: string) => ["src", "dst", "user", "bytes"].includes(name);
  test.each<[string | null, string | null]>([
    ["src,dst:220,user", "src,dst:220,user"],
    ["src:5,dst:99999,user:1300", "src:40,dst,user:1200"],
    ["src,src:90,nobody,<b>", "src"],
    ["nobody", null],
    ["", null],
    [null, null],
  ])("columns %s", (text, want) => {
    const columns = readColumns(text, isKnown);
    expect(columns && writeColumns(columns)).toBe(want);
  });
  test("recent filters: the newest first, each once, fifteen at most, and never an empty one", () => {
    for (let i = 0; i < 20; i++) rememberFilter(`app is a${i}`);
    rememberFilter("app is a10");
    rememberFilter("");
    expect(recentFilters().slice(0, 3)).toEqual(["app is a10", "app is a19", "app is a18"]);
    expect(recentFilters()).toHaveLength(15);
  });
  test.each(["{", '{"a":1}', "[1,2]"])("what something else wrote there (%s) is no filter", (text) => {
    localStorage.setItem("halvik.recent-filters", text);
    expect(recentFilters()).toEqual([]);
  });
});

test("who asks for the zone is not drawn anew for the clock or the needle", () => {
  let drawn = 0;
  const { result } = renderHook(() => {
    drawn++;
    return useView("zone", "setNeedle");
  });
  act(() => store().tick(NOW + 1_000_000));
  act(() => result.current.setNeedle(NOW));
  expect(drawn).toBe(1);
  act(() => useViewStore.setState({ zone: "Asia/Tokyo" }));
  expect([drawn, result.current.zone]).toEqual([2, "Asia/Tokyo"]);
});
