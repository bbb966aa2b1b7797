import type { IncidentJson } from "@halvik/core/contract";
import { useQuery } from "@tanstack/react-query";
import { Fragment, useState } from "react";
import { useNavigate } from "react-router";
import { incidentsQuery } from "../../app/api";
import { usePageKeys } from "../../app/keys";
import { useWindow } from "../../app/use-window";
import { EmptyState, Trouble } from "../../ui/empty-state";
import { IncidentStrip } from "../../ui/incident-strip";
import { Heading, Page, Scroller } from "../../ui/page";
import { safeText } from "../../ui/safe-text";

const VIEWS = [
  { state: "attention", name: "need you" },
  { state: "open", name: "open" },
  { state: "all", name: "all in the window" },
] as const;

const GROUPS = ["nothing", "rule", "sender", "user", "src"] as const;

/** Incidents under what they share, in the order in which it first appears. */
function grouped(
  incidents: readonly IncidentJson[],
  by: (typeof GROUPS)[number],
): { readonly name: string; readonly incidents: IncidentJson[] }[] {
  const groups = new Map<string, IncidentJson[]>();
  for (const i of incidents) {
    const name =
      by === "nothing"
        ? ""
        : by === "rule"
          ? i.rule.name
          : (i.entities.find((e) => e.field === by)?.value ?? `no ${by}`);
    groups.set(name, [...(groups.get(name) ?? []), i]);
  }
  return [...groups].map(([name, own]) => ({ name, incidents: own }));
}

/** The queue: open ones first, the worst on top; those of the window on the rail. */
export function IncidentsPage() {
  const navigate = useNavigate();
  const window = useWindow();
  const [view, setView] = useState<(typeof VIEWS)[number]["state"]>("all");
  const [at, setAt] = useState(-1);
  const list = useQuery(incidentsQuery(view, view === "all" ? { from: window.from, to: window.to } : {}));
  const [words, setWords] = useState("");
  const [by, setBy] = useState<(typeof GROUPS)[number]>("nothing");
  const wanted = words.toLowerCase().split(/\s+/).filter(Boolean);
  const groups = grouped(
    (list.data?.incidents ?? []).filter((i) => {
      const text =
        `${i.id} ${i.title} ${i.rule.name} ${i.assignedTo ?? ""} ${i.entities.map((e) => e.value).join(" ")}`.toLowerCase();
      return wanted.every((w) => text.includes(w));
    }),
    by,
  );
  const incidents = groups.flatMap((g) => g.incidents);
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
        <span className="flex-1 text-[12.5px]">What needs you comes first; of these the worst, then the latest.</span>
        <label className="text-[13px]">
          grouped by{" "}
          <select
            value={by}
            onChange={(e) => setBy(e.target.value as typeof by)}
            className="rounded-[2px] border border-line-strong bg-sheet px-1 text-ink"
          >
            {GROUPS.map((g) => (
              <option key={g}>{g}</option>
            ))}
          </select>
        </label>
        <input
          aria-label="Incidents with these words"
          placeholder="with these words"
          value={words}
          onChange={(e) => setWords(e.target.value)}
          className="w-44 rounded-[2px] border border-line-strong bg-sheet px-2 text-[13px] text-ink"
        />
      </div>
      <Scroller label="Queue">
        {list.error && <Trouble error={list.error} what="The incidents cannot be shown" />}
        {groups.map((g) => (
          <Fragment key={g.name}>
            {by !== "nothing" && (
              <Heading small={g.incidents.length === 1 ? "one" : String(g.incidents.length)}>
                {safeText(g.name)}
              </Heading>
            )}
            {g.incidents.map((i) => (
              <IncidentStrip key={i.id} incident={i} selected={incidents[at]?.id === i.id} />
            ))}
          </Fragment>
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
