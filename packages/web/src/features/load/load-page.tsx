import type { LoadAnswer } from "@halvik/contract/load";
import { formatDuration } from "@halvik/core/base/time";
import { useQuery } from "@tanstack/react-query";
import { Link, useSearchParams } from "react-router";
import { loadQuery } from "../../data/api";
import { useWindow } from "../../data/use-window";
import { type BoardChoice, useBoardChoices } from "../../shared/put-on-board";
import { Checkbox } from "../../ui/checkbox";
import { Trouble } from "../../ui/empty-state";
import { Facts, Heading, Page, Scroller } from "../../ui/page";
import { safeText } from "../../ui/safe-text";
import { Select } from "../../ui/select";
import { FigureTable, figureText } from "./figure-table";
import { LoadProfile } from "./profile";
import { SuggestionList } from "./suggestion-list";

const EVERYBODY = "";

const ON_BOARD: readonly BoardChoice[] = [
  { label: "alarm load", tile: { shows: { is: "alarm load", title: "Alarm load" }, window: null } },
  { label: "incidents a day", tile: { shows: { is: "incidents a day", title: "Incidents a day" }, window: null } },
];

/** The alarms put on people, beside the figures published for that, what makes most of them, and what would make them fewer. */
export function LoadPage() {
  const [params, setParams] = useSearchParams();
  const person = params.get("person") ?? EVERYBODY;
  const liveOnly = params.get("live") === "true";
  const window = useWindow();
  const { data, error } = useQuery(loadQuery(window, person, liveOnly));
  useBoardChoices(ON_BOARD);
  const set = (name: string, value: string) =>
    setParams((before) => {
      const next = new URLSearchParams(before);
      if (value === "") next.delete(name);
      else next.set(name, value);
      return next;
    });
  const unit = person === EVERYBODY ? "Incidents" : "Messages";
  return (
    <Page title="Alarm load" margin={data && <LoadMargin answer={data} />}>
      <div className="flex items-end justify-between gap-4 border-b border-line-strong pb-1.5">
        <div>
          <h1 className="text-page leading-[1.625rem] font-semibold">Alarm load</h1>
          <p className="text-quiet">{data && <Sentence answer={data} unit={unit} />}</p>
        </div>
        <span className="flex shrink-0 items-center gap-3 text-ui whitespace-nowrap">
          <Checkbox checked={liveOnly} onChange={(on) => set("live", on ? "true" : "")}>
            without imported history
          </Checkbox>
          <Select
            label="On whom"
            value={person}
            options={[
              { value: EVERYBODY, label: "everybody: incidents raised" },
              ...personOptions(data?.people ?? [], person),
            ]}
            onChange={(to) => set("person", to)}
            className="w-56"
          />
        </span>
      </div>
      <Scroller label="Alarm load">
        {error && <Trouble error={error} what="The load cannot be shown" />}
        {data && (
          <>
            <div className="grid grid-cols-[150px_1fr] gap-6 pt-3 max-slim:grid-cols-1">
              <LoadProfile answer={data} unit={unit} />
              <div>
                <FigureTable figures={data.figures} />
                <div className="grid grid-cols-2 gap-6 max-slim:grid-cols-1">
                  <Most what="Rules that raise most">
                    {data.rules.map((r) => (
                      <Line key={r.id} count={r.count} share={r.share}>
                        <Link to={`/rules/${r.id}`}>{safeText(r.name)}</Link>
                        {r.falseOrExpected > 0 && (
                          <span className="text-quiet">
                            {" "}
                            {r.falseOrExpected} of {r.closed} closed as false or expected
                          </span>
                        )}
                      </Line>
                    ))}
                  </Most>
                  <Most what="Senders they come from">
                    {data.senders.map((s) => (
                      <Line key={s.name} count={s.count} share={s.share}>
                        {safeText(s.name)}
                      </Line>
                    ))}
                  </Most>
                </div>
              </div>
            </div>
            <SuggestionList />
          </>
        )}
      </Scroller>
    </Page>
  );
}

/** Those whom messages reached, and whoever is chosen though none did in this window. */
function personOptions(people: LoadAnswer["people"], chosen: string) {
  const names = people.map((p) => p.to);
  const all = chosen === EVERYBODY || names.includes(chosen) ? names : [...names, chosen];
  return all.map((to) => ({ value: to, label: `messages to ${to}` }));
}

function Sentence({ answer: { alarms, figures, imported, isCut }, unit }: { answer: LoadAnswer; unit: string }) {
  const bad = figures.filter((f) => f.band === "too much").length;
  const perDay = figures.find((f) => f.name === "a day");
  return (
    <>
      {alarms.toLocaleString("en")} {alarms === 1 ? unit.toLowerCase().replace(/s$/, "") : unit.toLowerCase()}
      {perDay && `, ${figureText(perDay.value, "number")} a day`}
      {bad === 0
        ? "; no figure is beyond what is published as bearable for one person."
        : `; ${bad} ${bad === 1 ? "figure is" : "figures are"} beyond what is published as bearable for one person.`}
      {imported > 0 && ` ${imported} were found in imported history: nobody was called for them.`}
      {isCut && " There are more than are counted here; choose a shorter window."}
    </>
  );
}

const Most = ({ what, children }: { what: string; children: React.ReactNode[] }) => (
  <section aria-label={what}>
    <Heading>{what}</Heading>
    {children.length === 0 ? <p className="text-ui text-quiet">None in this window.</p> : children}
  </section>
);

const Line = ({ count, share, children }: { count: number; share: number; children: React.ReactNode }) => (
  <div className="flex items-baseline justify-between gap-3 border-t border-line py-0.5 text-ui">
    <span className="min-w-0">{children}</span>
    <span className="shrink-0 tabular-nums">
      {count} <span className="inline-block w-12 text-right text-quiet">{figureText(share, "share")}</span>
    </span>
  </div>
);

function LoadMargin({ answer: { acknowledged, ended, closedAs, people, severities } }: { answer: LoadAnswer }) {
  const closed = Object.values(closedAs).reduce((sum, n) => sum + n, 0);
  const of = closed === 0 ? "" : ` of ${closed}`;
  return (
    <>
      <h2 className="text-title font-semibold">What people did with them</h2>
      <Facts
        facts={[
          ["seen after", spread(acknowledged, "not one was acknowledged")],
          ["over after", spread(ended, "not one is over")],
          ["fixed", `${closedAs.fixed}${of}`],
          ["expected", `${closedAs.expected}${of}`],
          ["false", `${closedAs.false}${of}`],
          ["duplicate", `${closedAs.duplicate}${of}`],
        ]}
      />
      <Heading small="published as 5, 15 and 80 %">How severe</Heading>
      <Facts
        facts={[
          ["critical", `${figureText(severities.high, "share")} or worse`],
          ["error", figureText(severities.medium, "share")],
          ["warning", `${figureText(severities.low, "share")} or milder`],
        ]}
      />
      <Heading small="sent in this window">Messages</Heading>
      {people.map((p) => (
        <div key={p.to} className="flex justify-between gap-2 border-t border-line py-0.5 text-ui">
          <Link to={`/load?person=${encodeURIComponent(p.to)}`} className="min-w-0 truncate">
            {safeText(p.to)}
          </Link>
          <span className="shrink-0 tabular-nums">
            {p.messages} <span className="text-quiet">at most {p.mostInTenMinutes} in 10 min</span>
          </span>
        </div>
      ))}
      {people.length === 0 && <p className="text-ui text-quiet">None was sent.</p>}
      <p className="mt-4 text-code text-quiet">
        The limits are those of ANSI/ISA-18.2, IEC 62682 and EEMUA 191 for one person on duty; each names its source.
      </p>
    </>
  );
}

const spread = ({ of, median, nineOfTen }: LoadAnswer["acknowledged"], none: string): string =>
  median === null || nineOfTen === null
    ? none
    : `${formatDuration(median * 1e6)} in the middle, nine of ten within ${formatDuration(nineOfTen * 1e6)} (${of})`;
