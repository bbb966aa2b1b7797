import { CONTRAST_FIELDS, type ContrastAnswer, type ContrastLine } from "@halvik/contract/contrast";
import { COMPARED_PER, type ComparedPer } from "@halvik/core/contrast";
import { parseFilter } from "@halvik/core/query/filter";
import { useQuery } from "@tanstack/react-query";
import { type ReactNode, useMemo, useState } from "react";
import type { WindowParts } from "../../../data/api";
import { type Against, contrastQuery } from "../../../data/contrast-queries";
import { usOf } from "../../../data/view-store";
import { usePageKeys } from "../../../navigation/keys";
import { Coverage } from "../../../shared/coverage";
import { addressed, type SetParam } from "../../../shared/use-address";
import { Button } from "../../../ui/button";
import { Trouble } from "../../../ui/empty-state";
import { Input } from "../../../ui/field";
import { safeText } from "../../../ui/safe-text";
import { Segments } from "../../../ui/segments";
import { Select } from "../../../ui/select";
import { dayMinute } from "../../../ui/time";
import { ShapeText } from "../shapes/shape-text";
import { CONTRASTED, type Contrasted, contrastedWindows, readContrasted } from "./contrasted";
import { Sparkline } from "./sparkline";

/** Fields whose values are many take longer: what is soon there is shown soon. */
const LATER: readonly string[] = ["src", "dst", "dst port", "pair"];
const SOON = CONTRAST_FIELDS.filter((f) => !LATER.includes(f));
const COLUMNS = "grid-cols-[6rem_4.5rem_minmax(0,1fr)_34px_5rem_5rem_5.5rem_5.5rem]";

interface ContrastViewProps {
  readonly window: WindowParts & { readonly fromUs: number; readonly toUs: number };
  /** Null: the filter has a mistake in it. */
  readonly filter: string | null;
  readonly zone: string;
  readonly params: URLSearchParams;
  readonly setParam: SetParam;
  readonly onOnly: (part: string) => void;
  readonly onWithout: (part: string) => void;
  /** The records of a part, one line each. */
  readonly onLines: (part: string) => void;
}

/** What is different in the window as against another time, or another filter: what came, went, rose and fell, the most surprising first. */
export function ContrastView(props: ContrastViewProps) {
  const { window, filter, zone, params, setParam } = props;
  const contrasted = readContrasted(params.get("against"));
  const per = COMPARED_PER.find((p) => p === params.get("per")) ?? "time";
  const other = params.get("other");
  const against = useMemo<Against | null>(() => {
    if (contrasted === "other") return other === null ? null : { other };
    return { windows: contrastedWindows(contrasted, window, zone) };
  }, [contrasted, other, window, zone]);
  return (
    <>
      <div className="flex flex-wrap items-center gap-x-3 gap-y-1 py-1 text-ui text-quiet">
        held against
        <Select
          label="Held against"
          value={contrasted}
          onChange={(v) => setParam({ against: v === "before" ? null : v })}
          options={CONTRASTED.map((c) => ({ value: c.name, label: c.label }))}
          className="!py-0"
        />
        {contrasted === "other" && (
          <OtherFilter other={other ?? ""} zone={zone} onOther={(text) => setParam({ other: text })} />
        )}
        <Segments<ComparedPer>
          label="How counts are compared"
          value={per}
          onChange={(v) => setParam({ per: v === "time" ? null : v })}
          options={[
            { value: "time", label: "by how often" },
            { value: "records", label: "by share of all" },
          ]}
        />
      </div>
      {filter === null || against === null ? (
        <p className="py-2 text-ui text-quiet">Write the filter whose records it is held against.</p>
      ) : (
        <Differences {...props} filter={filter} against={against} per={per} contrasted={contrasted} />
      )}
    </>
  );
}

function OtherFilter({
  other,
  zone,
  onOther,
}: {
  readonly other: string;
  readonly zone: string;
  readonly onOther: (text: string) => void;
}) {
  const [text, setText] = useState(other);
  const parsed = parseFilter(text, { zone });
  return (
    <form
      className="flex items-center gap-2"
      onSubmit={(e) => {
        e.preventDefault();
        if (parsed.ok) onOther(text.trim());
      }}
    >
      <span className="w-72">
        <Input
          aria-label="The other filter"
          value={text}
          onChange={(e) => setText(e.target.value)}
          placeholder="sender in group kiosks"
        />
      </span>
      <Button type="submit" disabled={!parsed.ok}>
        Compare
      </Button>
      {!parsed.ok && <span className="text-vermilion">{parsed.error.message}</span>}
    </form>
  );
}

function Differences({
  window,
  filter,
  zone,
  params,
  setParam,
  against,
  per,
  contrasted,
  onOnly,
  onWithout,
  onLines,
}: ContrastViewProps & {
  readonly filter: string;
  readonly against: Against;
  readonly per: ComparedPer;
  readonly contrasted: Contrasted;
}) {
  const soon = useQuery(contrastQuery(window, filter, zone, against, per, SOON));
  const later = useQuery({
    ...contrastQuery(window, filter, zone, against, per, LATER),
    enabled: soon.data !== undefined,
  });
  const lines = useMemo(
    () =>
      [...(soon.data?.differences ?? []), ...(later.data?.differences ?? [])].sort((a, b) => b.surprise - a.surprise),
    [soon.data, later.data],
  );
  const selected = params.get("difference");
  const keyOf = (l: ContrastLine) => `${l.by} ${l.value}`;
  const current = lines.find((l) => keyOf(l) === selected);
  const move = (by: number) => {
    const at = lines.findIndex((l) => keyOf(l) === addressed("difference"));
    const next = lines[at < 0 ? 0 : Math.min(Math.max(at + by, 0), lines.length - 1)];
    if (next) setParam({ difference: keyOf(next) });
  };
  usePageKeys({
    j: () => move(1),
    k: () => move(-1),
    ArrowDown: () => move(1),
    ArrowUp: () => move(-1),
    Enter: () => current && onLines(current.part),
    w: () => current && onOnly(current.part),
    o: () => current && onWithout(current.part),
    Escape: () => setParam({ difference: null }),
  });
  const error = soon.error ?? later.error;
  if (error) return <Trouble error={error} what="What changed is not known" />;
  if (!soon.data) return <p className="py-2 text-ui text-quiet">counting both sides …</p>;
  const most = Math.max(1, ...lines.map((l) => l.surprise));
  return (
    <>
      <Says soon={soon.data} later={later.data} contrasted={contrasted} zone={zone} />
      {contrasted !== "other" && soon.data.against[0] && (
        <p className="pb-1 text-code text-quiet">
          there, {dayMinute(usOf(soon.data.against[0].from), zone)} on:{" "}
          <Coverage window={soon.data.against[0]} zone={zone} />
        </p>
      )}
      <div
        aria-hidden
        className={`grid ${COLUMNS} gap-2 border-b border-line pr-1 pl-0.5 text-small leading-[1.125rem] text-quiet`}
      >
        <span>what it did</span>
        <span>by</span>
        <span>of what</span>
        <span>when</span>
        <span className="text-right">here</span>
        <span className="text-right">there</span>
        <span className="text-right">times as often</span>
        <span className="text-right">surprise</span>
      </div>
      <ul className="min-h-0 flex-1 overflow-auto max-wide:h-[65vh] max-wide:flex-none" aria-label="Differences">
        {lines.map((line) => (
          <li key={keyOf(line)}>
            <button
              type="button"
              aria-current={keyOf(line) === selected}
              data-testid="difference"
              onClick={() => (keyOf(line) === selected ? onLines(line.part) : setParam({ difference: keyOf(line) }))}
              className={`grid w-full ${COLUMNS} items-center gap-2 border-b border-line py-0.5 pr-1 pl-0.5 text-left text-ui ${keyOf(line) === selected ? "bg-fjord-wash shadow-[inset_2px_0_var(--fjord)]" : "hover:bg-wash"}`}
            >
              <span className={line.change === "appeared" ? "font-semibold text-ochre" : ""}>{line.change}</span>
              <span className="text-code text-quiet">{line.by}</span>
              <span className="min-w-0 truncate font-mono text-code">
                {line.shape ? <ShapeLabel line={line} /> : safeText(line.label)}
              </span>
              <Sparkline window={window} filter={filter} part={line.part} zone={zone} />
              <Figure>{line.a.toLocaleString("en")}</Figure>
              <Figure quiet>{line.b.toLocaleString("en")}</Figure>
              <Figure>{timesText(line.ratio)}</Figure>
              <span className="relative text-right text-code tabular-nums">
                <span
                  aria-hidden
                  className="absolute right-0 bottom-0 h-px bg-ink/60"
                  style={{ width: `${(100 * line.surprise) / most}%` }}
                />
                {line.surprise.toLocaleString("en", { maximumFractionDigits: line.surprise < 100 ? 1 : 0 })}
              </span>
            </button>
          </li>
        ))}
      </ul>
      {current && (
        <p className="flex flex-wrap gap-2 border-t border-line-strong py-1 text-ui">
          <Button onClick={() => onLines(current.part)}>Its records</Button>
          <Button onClick={() => onOnly(current.part)} shortcut="w">
            Only this
          </Button>
          <Button onClick={() => onWithout(current.part)} shortcut="o">
            Without
          </Button>
        </p>
      )}
    </>
  );
}

const ShapeLabel = ({ line: { shape } }: { readonly line: ContrastLine }) => (
  <>
    {shape!.name !== "" && <b className="mr-2 font-sans">{safeText(shape!.name)}</b>}
    {shape!.app && <span className="text-quiet">{safeText(shape!.app)} </span>}
    <ShapeText shape={shape!} />
  </>
);

const Figure = ({ children, quiet = false }: { readonly children: ReactNode; readonly quiet?: boolean }) => (
  <span className={`text-right tabular-nums ${quiet ? "text-quiet" : ""}`}>{children}</span>
);

/** How many times as often; of what became rarer, how many times as rare. */
function timesText(ratio: number | undefined): string {
  if (ratio === undefined) return "";
  const times = ratio >= 1 ? ratio : 1 / ratio;
  return `${ratio >= 1 ? "×" : "÷"} ${times >= 10 ? Math.round(times).toLocaleString("en") : times.toFixed(2)}`;
}

/** What was compared, and what may be missing. */
function Says({
  soon,
  later,
  contrasted,
  zone,
}: {
  readonly zone: string;
  readonly soon: ContrastAnswer;
  readonly later: ContrastAnswer | undefined;
  readonly contrasted: Contrasted;
}) {
  const n = (count: number) => count.toLocaleString("en");
  const compared = soon.compared + (later?.compared ?? 0);
  const told = soon.differences.length + soon.others + (later ? later.differences.length + later.others : 0);
  const hidden = soon.others + (later?.others ?? 0);
  return (
    <p className="pb-1 text-code text-quiet" data-testid="contrast-said">
      {n(soon.a.records)} records here, {n(soon.b.records)} {contrasted === "other" ? "of the other filter" : "there"}.
      Of {n(compared)} values {told === 1 ? "1 differs" : `${n(told)} differ`} by more than chance explains
      {hidden > 0 && `; the ${n(told - hidden)} most surprising are shown`}; of a hundred such about one does by chance
      (G², corrected for how many were compared).
      {later === undefined && " Addresses and ports are still counted …"}
      {soon.keptFrom !== undefined && (
        <span className="text-ochre">
          {" "}
          {soon.against.length === 0 ? "Nothing of that time is kept" : "Only what is kept is held against each other"}:
          records begin {dayMinute(usOf(soon.keptFrom), zone)}.
        </span>
      )}
      {!soon.isCounted && (
        <span className="text-ochre"> There was no time to count both sides: narrow the window, or the filter.</span>
      )}
      {soon.isCounted && later?.isCounted === false && (
        <span className="text-ochre">
          {" "}
          There was no time to count addresses and ports: narrow the window, or the filter.
        </span>
      )}
    </p>
  );
}
