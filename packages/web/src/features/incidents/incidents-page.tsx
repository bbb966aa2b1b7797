import { OwnMeasure } from "@halvik/core/query/measure";
import { useQuery } from "@tanstack/react-query";
import { Fragment, useState } from "react";
import { useNavigate } from "react-router";
import { incidentsQuery } from "../../data/api";
import { useWindow } from "../../data/use-window";
import { usePageKeys } from "../../navigation/keys";
import { IncidentStrip, StripHeadings } from "../../shared/incident-strip";
import { usePinChoices } from "../../shared/pinning";
import { type BoardChoice, useBoardChoices } from "../../shared/put-on-board";
import { useCurrent } from "../../shared/use-current";
import { Button, Kbd, TextButton } from "../../ui/button";
import { EmptyState, Trouble } from "../../ui/empty-state";
import { CONTROL } from "../../ui/look";
import { Heading, Page, Scroller } from "../../ui/page";
import { safeText } from "../../ui/safe-text";
import { Segments } from "../../ui/segments";
import { Select } from "../../ui/select";
import { Acts } from "./acts";
import { GROUPS, type GroupBy, grouped } from "./grouping";
import { choicesOf, NARROWED_BY, type Narrowing, narrowed } from "./queue-filter";
import { counted } from "./use-acts";

const VIEWS = [
  { state: "attention", name: "need you" },
  { state: "open", name: "open" },
  { state: "closed", name: "closed" },
  { state: "all", name: "all in the window" },
] as const;

const ON_BOARD: readonly BoardChoice[] = [
  {
    label: "what needs somebody",
    tile: { shows: { is: "needs somebody", title: "Needs somebody", most: 8 }, window: null },
  },
  {
    label: "incidents by rule",
    tile: {
      shows: {
        is: "bars",
        title: "Incidents by rule",
        compare: true,
        measure: OwnMeasure.parse({ source: "incidents", by: ["rule"] }),
      },
      window: null,
    },
  },
];

/** The queue: open ones first, the worst on top; those of the window on the rail. */
export function IncidentsPage() {
  const navigate = useNavigate();
  const window = useWindow();
  const [view, setView] = useState<(typeof VIEWS)[number]["state"]>("all");
  const list = useQuery(
    incidentsQuery(view, view === "all" || view === "closed" ? { from: window.from, to: window.to } : {}),
  );
  const [words, setWords] = useState("");
  const [by, setBy] = useState<GroupBy>("nothing");
  const [narrowing, setNarrowing] = useState<Narrowing>({});
  const all = list.data?.incidents ?? [];
  const shown = new Set(all.map((i) => i.id));
  // what another explains stands on the page of that one
  const standing = all.filter((i) => !(i.folded && i.explainedBy !== null && shown.has(i.explainedBy.id)));
  const groups = grouped(narrowed(standing, narrowing, words), by);
  const incidents = groups.flatMap((g) => g.incidents);
  const [chosen, setChosen] = useState<ReadonlySet<number>>(new Set());
  // what has left the list is not acted on
  const ticked = incidents.filter((i) => chosen.has(i.id)).map((i) => i.id);
  const { current, move, leave } = useCurrent(incidents);
  const ids = ticked.length > 0 || current === undefined ? ticked : [current.id];
  const toggle = (id: number) =>
    setChosen((all) => new Set(all.has(id) ? [...all].filter((a) => a !== id) : [...all, id]));
  const none = () => {
    setChosen(new Set());
    leave();
  };
  useBoardChoices(ON_BOARD);
  usePinChoices(
    incidents
      .filter((i) => ids.includes(i.id))
      .map((i) => ({ label: `the incident ${i.title}`, pin: { is: "incident" as const, id: i.id } })),
  );
  usePageKeys({
    x: () => current && toggle(current.id),
    X: () => setChosen(new Set(ticked.length === incidents.length ? [] : incidents.map((i) => i.id))),
    Escape: none,
    j: () => move(1),
    k: () => move(-1),
    Enter: () => current && navigate(`/incidents/${current.id}`),
  });
  return (
    <Page title="Incidents">
      <h1 className="text-page leading-[1.625rem] font-semibold">Incidents</h1>
      <div className="flex items-center gap-4 border-b border-line-strong pb-1.5 text-quiet">
        <Segments
          label="Which incidents"
          value={view}
          onChange={setView}
          options={VIEWS.map((v) => ({
            value: v.state,
            label: v.state === "attention" && list.data ? `${v.name} (${list.data.attention})` : v.name,
          }))}
        />
        <span className="flex-1 text-code">
          What needs you comes first; of these the most urgent. <Kbd>x</Kbd> selects.{" "}
          <a href="/api/v1/incidents/handover" target="_blank" rel="noopener" className="underline">
            Hand over
          </a>
        </span>
        <span className="inline-flex items-center gap-1.5 text-ui">
          grouped by
          <Select label="Grouped by" value={by} onChange={(g) => setBy(g as GroupBy)} options={GROUPS} />
        </span>
        <input
          aria-label="Incidents with these words"
          placeholder="with these words"
          value={words}
          onChange={(e) => setWords(e.target.value)}
          className={`${CONTROL} w-44 py-0 text-ui`}
        />
      </div>
      <fieldset
        aria-label="Only incidents of"
        className="flex flex-wrap items-center gap-x-4 gap-y-1 border-b border-line py-1 text-ui text-quiet"
      >
        {NARROWED_BY.map((name) => (
          <span key={name} className="inline-flex items-center gap-1.5">
            {name}
            <Select
              label={name}
              value={narrowing[name] ?? ""}
              onChange={(value) =>
                setNarrowing(({ [name]: _, ...rest }) => (value === "" ? rest : { ...rest, [name]: value }))
              }
              options={[
                { value: "", label: "any" },
                ...choicesOf(standing, name).map((value) => ({
                  value,
                  label: name === "severity" ? `${value} or worse` : safeText(value),
                })),
              ]}
            />
          </span>
        ))}
        {Object.keys(narrowing).length > 0 && (
          <TextButton className="underline" onClick={() => setNarrowing({})}>
            all again
          </TextButton>
        )}
      </fieldset>
      {ids.length > 0 && (
        <div role="toolbar" aria-label="Selected incidents" className="border-b border-line py-1.5">
          <Acts ids={ids} main="acknowledge" onDone={none}>
            <span className="order-first mr-2 text-ui">{counted(ids.length)} selected</span>
            <Button className="ml-auto" onClick={none}>
              None
            </Button>
          </Acts>
        </div>
      )}
      <Scroller label="Queue">
        {list.error && <Trouble error={list.error} what="The incidents cannot be shown" />}
        {incidents.length > 0 && <StripHeadings choosable />}
        {groups.map((g) => (
          <Fragment key={g.name}>
            {by !== "nothing" && (
              <Heading small={g.incidents.length === 1 ? "one" : String(g.incidents.length)}>
                {safeText(g.name)}
              </Heading>
            )}
            {g.incidents.map((i) => (
              <IncidentStrip
                key={i.id}
                incident={i}
                selected={current?.id === i.id}
                chosen={chosen.has(i.id)}
                onChoose={() => toggle(i.id)}
              />
            ))}
          </Fragment>
        ))}
        {list.data && incidents.length === 0 && <Nothing view={view} narrow={standing.length > 0} />}
      </Scroller>
    </Page>
  );
}

const Nothing = ({ view, narrow }: { view: string; narrow: boolean }) =>
  narrow ? (
    <EmptyState title="No incident is all of that" text="Take away one of the words or choices above to see more." />
  ) : view === "all" || view === "closed" ? (
    <EmptyState
      title="No incident touches this window"
      text="Rules raise incidents when enough records match. Widen the window on the rail to see older ones."
    />
  ) : (
    <EmptyState
      title="Nothing needs you"
      text="Every incident that is not over has been seen, and nothing new has come to it since."
    />
  );
