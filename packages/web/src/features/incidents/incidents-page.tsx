import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { incidentsQuery } from "../../app/api";
import { usePageKeys } from "../../app/keys";
import { useWindow } from "../../app/use-window";
import { EmptyState, Trouble } from "../../ui/empty-state";
import { IncidentStrip } from "../../ui/incident-strip";
import { Page, Scroller } from "../../ui/page";

const VIEWS = [
  { state: "attention", name: "need you" },
  { state: "open", name: "open" },
  { state: "all", name: "all in the window" },
] as const;

/** The queue: open ones first, the worst on top; those of the window on the rail. */
export function IncidentsPage() {
  const navigate = useNavigate();
  const window = useWindow();
  const [view, setView] = useState<(typeof VIEWS)[number]["state"]>("all");
  const [at, setAt] = useState(-1);
  const list = useQuery(incidentsQuery(view, view === "all" ? { from: window.from, to: window.to } : {}));
  const incidents = list.data?.incidents ?? [];
  usePageKeys({
    j: () => setAt(Math.min(at + 1, incidents.length - 1)),
    k: () => setAt(Math.max(at - 1, 0)),
    Enter: () => incidents[at] && navigate(`/incidents/${incidents[at].id}`),
  });
  return (
    <Page>
      <h1 className="text-[20px] leading-[26px] font-semibold">Incidents</h1>
      <div
        className="flex gap-4 border-b border-line-strong pb-1.5 text-quiet"
        role="radiogroup"
        aria-label="Which incidents"
      >
        {VIEWS.map((v) => (
          // biome-ignore lint/a11y/useSemanticElements: three words in a line, chosen by click or arrow, are no form
          <button
            key={v.state}
            type="button"
            role="radio"
            aria-checked={view === v.state}
            onClick={() => setView(v.state)}
            className={view === v.state ? "font-semibold text-ink" : "text-fjord"}
          >
            {v.name}
            {v.state === "attention" && list.data ? ` (${list.data.attention})` : ""}
          </button>
        ))}
      </div>
      <Scroller label="Queue">
        {list.error && <Trouble error={list.error} what="The incidents cannot be shown" />}
        {incidents.map((i, n) => (
          <IncidentStrip key={i.id} incident={i} selected={n === at} />
        ))}
        {list.data && incidents.length === 0 && <Nothing view={view} />}
      </Scroller>
    </Page>
  );
}

const Nothing = ({ view }: { view: string }) =>
  view === "all" ? (
    <EmptyState
      title="No incident touches this window"
      text="Rules raise incidents when enough records match. Widen the window on the rail to see older ones."
    />
  ) : (
    <EmptyState
      title="Nothing needs you"
      text="Every open incident has been seen, and nothing new has come to it since."
    />
  );
