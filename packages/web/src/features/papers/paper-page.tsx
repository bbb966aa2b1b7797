import type { PaperDetail } from "@halvik/contract/papers";
import { PAPER_STATES, type PaperState } from "@halvik/core/papers";
import { type FormEvent, useState } from "react";
import { useParams } from "react-router";
import { bounds, isoOf, presentUs, useView, useViewStore, usOf } from "../../data/view-store";
import { useAddress } from "../../shared/use-address";
import { Button, TextButton } from "../../ui/button";
import { Trouble } from "../../ui/empty-state";
import { Input } from "../../ui/field";
import { Page, Scroller } from "../../ui/page";
import { safeText } from "../../ui/safe-text";
import { Segments } from "../../ui/segments";
import { Select } from "../../ui/select";
import { dayMinute } from "../../ui/time";
import { AskAgain } from "./ask-again";
import { HandOver } from "./hand-over";
import { PaperLanes } from "./paper-lanes";
import { Pins } from "./pins";
import { usePaper } from "./use-paper";
import { changedFacts, usePaperAct } from "./use-paper-act";
import { Written } from "./written";

const VIEWS = [
  { value: "pins", label: "pins" },
  { value: "lanes", label: "lanes" },
  { value: "ask", label: "ask again" },
  { value: "hand-over", label: "hand over" },
] as const;
type View = (typeof VIEWS)[number]["value"];

/** The papers of one investigation: what is pinned, as a list and as lanes; what is asked again; in the margin what people write. */
export function PaperPage() {
  const { id = "" } = useParams();
  const { paper, error } = usePaper(Number(id));
  const [params, setParam] = useAddress();
  const view: View = VIEWS.find((v) => v.value === params.get("view"))?.value ?? "pins";
  const opened = params.get("pin") === null ? null : Number(params.get("pin"));
  if (error && !paper)
    return (
      <Page title="Investigation">
        <h1 className="sr-only">Investigation</h1>
        <Trouble error={error} what="This investigation cannot be shown" />
      </Page>
    );
  if (!paper) return <Page title="Investigation">{null}</Page>;
  const mayWrite = paper.mayWrite && paper.facts.state !== "closed";
  const toPin = (number: number) => setParam({ view: null, pin: String(number) });
  return (
    <Page title={safeText(paper.facts.name)} margin={<Written paper={paper} onPin={toPin} />}>
      <Title paper={paper} />
      <div className="border-b border-line-strong pb-1.5 text-code text-quiet">
        <Segments
          label="View"
          value={view}
          onChange={(to) => setParam({ view: to === "pins" ? null : to })}
          options={VIEWS}
        />
      </div>
      <Scroller label={VIEWS.find((v) => v.value === view)!.label}>
        {view === "pins" && <Pins paper={paper} opened={opened} setParam={setParam} mayWrite={mayWrite} />}
        {view === "lanes" && <PaperLanes paper={paper} mayWrite={mayWrite} onPin={toPin} />}
        {view === "ask" && <AskAgain paper={paper} />}
        {view === "hand-over" && <HandOver paper={paper} />}
      </Scroller>
    </Page>
  );
}

function Title({ paper }: { readonly paper: PaperDetail }) {
  const zone = useViewStore((s) => s.zone);
  const { mutate, error } = usePaperAct(paper.id);
  const [name, setName] = useState<string | null>(null);
  const { facts } = paper;
  const submit = (e: FormEvent) => {
    e.preventDefault();
    if (name !== null && name.trim() !== "") mutate(changedFacts(paper, { name }), { onSuccess: () => setName(null) });
  };
  return (
    <div className="mb-1.5">
      {name === null ? (
        <div className="flex items-baseline gap-3">
          <h1 className="text-page leading-[1.625rem] font-semibold">{safeText(facts.name)}</h1>
          {paper.mayWrite && facts.state !== "closed" && (
            <TextButton className="text-small" onClick={() => setName(facts.name)}>
              rename
            </TextButton>
          )}
        </div>
      ) : (
        <form onSubmit={submit} className="flex gap-2">
          <Input
            aria-label="Its name"
            autoFocus
            value={name}
            maxLength={120}
            onChange={(e) => setName(e.target.value)}
            onKeyDown={(e) => e.key === "Escape" && setName(null)}
          />
          <Button type="submit" main disabled={name.trim() === ""}>
            Save
          </Button>
          <Button onClick={() => setName(null)}>Cancel</Button>
        </form>
      )}
      <p className="flex flex-wrap items-baseline gap-x-2 text-ui text-quiet">
        <Select
          plain
          label="State"
          value={facts.state}
          options={PAPER_STATES}
          disabled={!paper.mayWrite}
          onChange={(state) => mutate(changedFacts(paper, { state: state as PaperState }))}
        />
        <span>
          of {[paper.owner, ...facts.people.map((p) => p.name)].map(safeText).join(", ")}
          {facts.shared && ", read by all"} · begun {dayMinute(usOf(paper.created), zone)}
          {paper.closed !== null && ` · closed ${dayMinute(usOf(paper.closed), zone)}`} · changed{" "}
          {dayMinute(usOf(paper.changed), zone)} by {safeText(paper.changedBy)}
          {!paper.mayWrite && " · to read"}
        </span>
      </p>
      <About paper={paper} />
      {error && (
        <p role="alert" className="text-ui text-vermilion">
          {error.message}
        </p>
      )}
    </div>
  );
}

/** The time it is about: kept from the rail, and put back on it. */
function About({ paper }: { readonly paper: PaperDetail }) {
  const { zone, window: stretch, setWindow } = useView("zone", "window", "setWindow");
  const { mutate } = usePaperAct(paper.id);
  const { window: about, state } = paper.facts;
  const mayWrite = paper.mayWrite && state !== "closed";
  if (about === null && !mayWrite) return null;
  const keep = () => {
    const { fromUs, toUs } = bounds(stretch, presentUs());
    mutate(changedFacts(paper, { window: { from: isoOf(fromUs), to: isoOf(toUs) } }));
  };
  return (
    <p className="flex flex-wrap gap-x-3 text-ui text-quiet">
      {about !== null && (
        <TextButton onClick={() => setWindow({ spanUs: usOf(about.to) - usOf(about.from), endUs: usOf(about.to) })}>
          about {dayMinute(usOf(about.from), zone)} to {dayMinute(usOf(about.to), zone)}
        </TextButton>
      )}
      {mayWrite && (
        <TextButton onClick={keep}>
          {about === null ? "it is about the window of the rail" : "rather the window of the rail"}
        </TextButton>
      )}
    </p>
  );
}
