import { quoteIfNeeded } from "@halvik/core/query/filter";
import { useQuery } from "@tanstack/react-query";
import { type WindowParts, whyNothingQuery } from "../../data/api";
import { useViewStore, usOf } from "../../data/view-store";
import { TextButton } from "../../ui/button";
import { EmptyState } from "../../ui/empty-state";
import { safeText } from "../../ui/safe-text";
import { dayMinute } from "../../ui/time";

const MARGIN_US = 1_800e6;

interface NothingProps {
  readonly filter: string;
  readonly window: WindowParts;
  readonly zone: string;
  readonly live: boolean;
  readonly onFilter: (text: string) => void;
}

/** Why there is no line, in one of five different sentences, and what to do about it. */
export function Nothing({ filter, window, zone, live, onFilter }: NothingProps) {
  const setWindow = useViewStore((s) => s.setWindow);
  const widen = () => setWindow({ spanUs: 7 * 86_400e6, endUs: null });
  if (live)
    return (
      <EmptyState
        title="Following; nothing matches yet"
        text="Lines appear here as soon as a matching record is stored."
      />
    );
  if (filter !== "")
    return (
      <EmptyState title="Nothing in this window matches" text="The filter is understood as the sentence under it says.">
        <Why filter={filter} window={window} zone={zone} onFilter={onFilter} />
        <TextButton className="mr-4 underline" onClick={widen}>
          Look at the last 7 days
        </TextButton>
        <TextButton className="underline" onClick={() => onFilter("")}>
          Clear the filter
        </TextButton>
      </EmptyState>
    );
  return (
    <EmptyState title="No records in this window" text="Nothing has arrived whose time lies in the window on the rail.">
      <TextButton className="mr-4 underline" onClick={widen}>
        Look at the last 7 days
      </TextButton>
      <a href="/intake">See the endpoints</a>
    </EmptyState>
  );
}

function Why({ filter, window, zone, onFilter }: Pick<NothingProps, "filter" | "window" | "zone" | "onFilter">) {
  const setWindow = useViewStore((s) => s.setWindow);
  const asked = whyNothingQuery({ from: window.from, to: window.to }, filter, zone);
  const { data } = useQuery({
    ...asked,
    // the window moves with time: what can be done about this filter stays where it is, and keeps the focus
    placeholderData: (previous, before) => (before?.queryKey[3] === asked.queryKey[3] ? previous : undefined),
  });
  if (!data) return null;
  const goTo = (us: number) => setWindow({ spanUs: 2 * MARGIN_US, endUs: us + MARGIN_US });
  const moments = [
    ["It last matched at", data.lastBefore],
    ["It next matches at", data.firstAfter],
  ] as const;
  return (
    <div className="mb-3" data-testid="why-nothing">
      {data.parts.length > 0 && (
        <ul className="mb-2">
          {data.parts.map((p) => (
            <li key={p.text}>
              <code className="font-mono text-code">{safeText(p.text)}</code>{" "}
              <span className={p.count === 0 ? "text-ochre" : "text-quiet"}>
                {p.count === 0
                  ? "matches nothing in this window"
                  : `alone matches ${p.exact ? "" : "at least "}${p.count.toLocaleString("en")}`}
              </span>
              {p.near && (
                <TextButton
                  className="ml-2 underline"
                  onClick={() => onFilter(filter.replace(p.text, replaceValue(p.text, p.near!.value)))}
                >
                  did you mean {safeText(p.near.value)} ({p.near.count.toLocaleString("en")})?
                </TextButton>
              )}
            </li>
          ))}
        </ul>
      )}
      {moments.map(
        ([said, moment]) =>
          moment && (
            <p key={said}>
              {said}{" "}
              <TextButton className="underline" onClick={() => goTo(usOf(moment))}>
                {dayMinute(usOf(moment), zone)}
              </TextButton>
            </p>
          ),
      )}
      {!data.lastBefore && !data.firstAfter && <p>Nothing stored matches, before or after this window.</p>}
    </div>
  );
}

/** The part with another value in place of its last one. */
const replaceValue = (part: string, value: string): string =>
  part.replace(/("(?:[^"\\]|\\.)*"|\S+)\s*$/, quoteIfNeeded(value));
