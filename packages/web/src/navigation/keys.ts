import { useEffect, useRef } from "react";
import { useNavigate } from "react-router";
import { DEFAULT_WINDOW_US, scaled, shifted, useViewStore } from "../data/view-store";
import { windowParams } from "../data/window-url";
import { changedSearch, SECTIONS, searchOf } from "./sections";

/** Every key, for the help page; pages add theirs through `usePageKeys`. */
export const ALL_KEYS: readonly (readonly [keys: string, what: string])[] = [
  ["g n / r / i / v / t / p / u / k", "go to Now, Records, Incidents, Investigations, Traffic, Reports, Rules, Intake"],
  ["/", "filter"],
  ["[ and ]", "window back, forward"],
  ["{ and }", "window narrower, wider"],
  [".", "window to now"],
  ["t", "choose the time"],
  ["l", "live"],
  ["j and k", "next, previous"],
  ["Enter", "open in the margin"],
  ["Esc", "close"],
  ["x", "mark the selected record for comparison; select the incident"],
  ["X", "select all incidents, or none"],
  ["v", "values with their counts"],
  ["f", "fold records to their shapes, and back"],
  ["d", "what was different in the window, or when an incident happened"],
  ["w and o", "only with, without the selected record’s sender"],
  ["p", "pin to an investigation"],
  ["y", "was the selected record’s traffic allowed?"],
  ["a", "acknowledge"],
  ["n", "note"],
  ["c", "close an incident"],
  ["Ctrl K", "command palette"],
  ["?", "all keys"],
];

const GO_MS = 1_200;

export const isTyping = (target: EventTarget | null): boolean =>
  target instanceof HTMLElement &&
  (target.isContentEditable ||
    /^(INPUT|TEXTAREA|SELECT)$/.test(target.tagName) ||
    target.closest("[role=menu], [role=dialog], [role=listbox], [role=combobox]") !== null);

/** Keys that work on every page. */
export function useGlobalKeys({
  openPalette,
  openHelp,
  pin,
}: {
  openPalette: () => void;
  openHelp: () => void;
  /** Pins what the page that is looked at offers, if it does. */
  pin: () => void;
}): void {
  const navigate = useNavigate();
  const goAt = useRef(Number.NEGATIVE_INFINITY);
  useEffect(() => {
    const listener = (e: KeyboardEvent) => {
      if ((e.ctrlKey || e.metaKey) && e.key.toLowerCase() === "k") {
        e.preventDefault();
        openPalette();
        return;
      }
      if (e.ctrlKey || e.metaKey || e.altKey || isTyping(e.target)) return;
      const { window, nowUs, setWindow } = useViewStore.getState();
      if (performance.now() - goAt.current < GO_MS) {
        goAt.current = Number.NEGATIVE_INFINITY;
        const section = SECTIONS.find((s) => s.key === e.key);
        if (section) {
          // a page's own keys (k: previous) stay quiet
          e.stopImmediatePropagation();
          navigate({ pathname: section.path, search: searchOf(section.path) });
          return;
        }
      }
      switch (e.key) {
        case "g":
          goAt.current = performance.now();
          return;
        case "[":
          return setWindow(shifted(window, -0.5, nowUs));
        case "]":
          return setWindow(shifted(window, 0.5, nowUs));
        case "{":
          return setWindow(scaled(window, 0.5, nowUs));
        case "}":
          return setWindow(scaled(window, 2, nowUs));
        case ".":
          return setWindow({ spanUs: Math.min(window.spanUs, DEFAULT_WINDOW_US * 4), endUs: null });
        case "t":
          // the letter is not for the field that opens
          e.preventDefault();
          return useViewStore.getState().setChoosingTime(true);
        case "d":
          // Records and an incident have it themselves
          if (!/^\/(records|incidents\/)/.test(location.pathname))
            navigate({ pathname: "/records", search: changedSearch(new URLSearchParams(windowParams())) });
          return;
        case "p":
          // the letter is not for the field that opens
          e.preventDefault();
          return pin();
        case "?":
          return openHelp();
      }
    };
    addEventListener("keydown", listener, { capture: true });
    return () => removeEventListener("keydown", listener, { capture: true });
  }, [navigate, openPalette, openHelp, pin]);
}

/** A page's own keys; not while typing. */
export function usePageKeys(keys: Readonly<Record<string, (e: KeyboardEvent) => void>>): void {
  const latest = useRef(keys);
  latest.current = keys;
  useEffect(() => {
    const listener = (e: KeyboardEvent) => {
      if (e.ctrlKey || e.metaKey || e.altKey || isTyping(e.target)) return;
      // Enter and Space belong to the control that has the focus
      if (
        (e.key === "Enter" || e.key === " ") &&
        e.target instanceof HTMLElement &&
        e.target.closest("button, a, [role=slider]")
      )
        return;
      latest.current[e.key]?.(e);
    };
    addEventListener("keydown", listener);
    return () => removeEventListener("keydown", listener);
  }, []);
}
