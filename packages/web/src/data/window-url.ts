import type { createBrowserRouter } from "react-router";
import { isoOf, type Stretch, useViewStore, usOf } from "./view-store";

type Router = ReturnType<typeof createBrowserRouter>;

const FOLLOWING = /^(\d{1,9})s$/;
const NAMES = ["last", "from", "to"] as const;

/**
 * Keeps the window in the address: `?last=21600s` follows the clock, `?from=…&to=…` stands still. Links restore it,
 * back and forward too. Works beside React, on the router's own state: an effect sees the address of the last
 * rendering, and writing that one again would call back a page that is on its way.
 */
export function keepWindowInUrl(router: Router): void {
  let written = "";
  let owing = false;
  const write = () => {
    // a page on its way keeps its turn; the window is written when it is there
    if (!router.state.initialized || router.state.navigation.state !== "idle") {
      owing = true;
      return;
    }
    owing = false;
    const { search } = router.state.location;
    const next = withWindow(search, useViewStore.getState().window);
    written = next;
    if (next !== canonical(search))
      void router.navigate({ pathname: router.state.location.pathname, search: next }, { replace: true });
  };
  const read = () => {
    const { search } = router.state.location;
    if (canonical(search) === written) return;
    const given = fromParams(new URLSearchParams(search));
    if (given && !owing) useViewStore.getState().setWindow(given);
    write();
  };
  read();
  router.subscribe(({ navigation }) => {
    if (navigation.state === "idle") read();
  });
  let window = useViewStore.getState().window;
  useViewStore.subscribe((state) => {
    if (state.window === window) return;
    window = state.window;
    write();
  });
}

/** One spelling of an address: a browser writes it with other escapes than we do. */
const canonical = (search: string): string => new URLSearchParams(search).toString();

/** A window as the parts of an address that say it; null: that one is not there. */
export const addressOf = ({ spanUs, endUs }: Stretch): Record<(typeof NAMES)[number], string | null> =>
  endUs === null
    ? { last: `${Math.round(spanUs / 1e6)}s`, from: null, to: null }
    : { last: null, from: isoOf(endUs - spanUs), to: isoOf(endUs) };

function withWindow(search: string, window: Stretch): string {
  const next = new URLSearchParams(search);
  for (const name of NAMES) next.delete(name);
  for (const [name, value] of Object.entries(addressOf(window))) if (value !== null) next.set(name, value);
  return next.toString();
}

/** The part of the present address that says the window, for links to other pages. */
export function windowParams(): string {
  return withWindow("", useViewStore.getState().window);
}

/** The same with a filter. */
export function windowAndFilter(filter: string): string {
  const params = new URLSearchParams(windowParams());
  params.set("filter", filter);
  return params.toString();
}

function fromParams(params: URLSearchParams): Stretch | null {
  const following = FOLLOWING.exec(params.get("last") ?? "");
  if (following) return { spanUs: Number(following[1]) * 1e6, endUs: null };
  const from = usOf(params.get("from") ?? "");
  const to = usOf(params.get("to") ?? "");
  return Number.isFinite(from) && Number.isFinite(to) && from < to ? { spanUs: to - from, endUs: to } : null;
}
