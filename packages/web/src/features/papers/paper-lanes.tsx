import type { LeadJson, PaperDetail, PinJson } from "@halvik/contract/papers";
import { type Lane, sayLead } from "@halvik/core/papers";
import { useView } from "../../data/view-store";
import { LaneFrame } from "../../shared/lane-frame";
import { TextButton } from "../../ui/button";
import { EmptyState } from "../../ui/empty-state";
import { safeText } from "../../ui/safe-text";
import { Select } from "../../ui/select";
import { isWithin, lanesOf, lanesToChoose, pinLanes, spanOf } from "./lane-choice";
import { pinUs, said } from "./pin-words";
import { changedFacts, usePaperAct } from "./use-paper-act";

const HEIGHT = 560;

interface PaperLanesProps {
  readonly paper: PaperDetail;
  readonly mayWrite: boolean;
  readonly onPin: (number: number) => void;
}

/** Pins on one time line, a lane a thing they name, newest on top like the rail; arrows where one leads to another. */
export function PaperLanes({ paper, mayWrite, onPin }: PaperLanesProps) {
  const { setNeedle, setWindow } = useView("setNeedle", "setWindow");
  const { mutate, error } = usePaperAct(paper.id);
  const lanes = lanesOf(paper);
  const span = spanOf(paper);
  const others = lanesToChoose(paper, lanes);
  const put = (chosen: readonly Lane[]) => mutate(changedFacts(paper, { lanes: [...chosen] }));
  if (span === null)
    return (
      <EmptyState
        title="Nothing to draw yet"
        text="Pinned records, incidents and searches stand here by when they happened."
      />
    );
  const { fromUs, toUs } = span;
  const inSight = paper.pins.filter((p) => {
    const us = pinUs(p);
    return us !== null && isWithin(us, span);
  });
  const nameOf = ({ kind, value }: Lane) => `${kind} ${value}`;
  return (
    <>
      <p className="flex flex-wrap items-baseline gap-x-3 py-1 text-ui">
        <span className="text-quiet">lanes{paper.facts.lanes.length === 0 ? ", those that most pins name" : ""}</span>
        {lanes.map((lane) => (
          <span key={nameOf(lane)} className="font-mono text-code">
            {safeText(lane.value)}
            {mayWrite && (
              <TextButton
                aria-label={`No lane for ${nameOf(lane)}`}
                className="ml-0.5"
                onClick={() => put(lanes.filter((l) => l !== lane))}
              >
                ×
              </TextButton>
            )}
          </span>
        ))}
        {mayWrite && others.length > 0 && (
          <Select
            plain
            label="A lane more"
            value=""
            placeholder="+ a lane"
            options={others.map((lane) => ({ value: nameOf(lane), label: lane.value, about: lane.kind }))}
            onChange={(name) => {
              const lane = others.find((l) => nameOf(l) === name);
              if (lane) put([...lanes, lane]);
            }}
          />
        )}
        <TextButton
          onClick={() =>
            setWindow({ spanUs: Math.max(60e6, (toUs - fromUs) * 1.1), endUs: toUs + (toUs - fromUs) * 0.05 + 1e6 })
          }
        >
          set the window to it
        </TextButton>
      </p>
      {error && (
        <p role="alert" className="text-vermilion">
          {error.message}
        </p>
      )}
      <figure className="m-0 overflow-x-auto">
        <LaneFrame
          label="Pins by what they name over time, with arrows from one to the next"
          lanes={lanes.map(({ kind, value }) => ({ field: kind, value }))}
          fromUs={fromUs}
          toUs={toUs}
          height={HEIGHT}
        >
          {({ x, y, left }) => {
            const at = (pin: PinJson) => pinLanes(pin, lanes);
            const marks = inSight.flatMap((pin) => {
              const us = pinUs(pin)!;
              const places = at(pin);
              return (places.length === 0 ? [null] : places).map((lane) => (
                <Mark
                  key={`${pin.number} ${lane}`}
                  pin={pin}
                  x={lane === null ? left + 8 : x(lane)}
                  y={y(us)}
                  onPin={() => onPin(pin.number)}
                  onEnter={() => setNeedle(us)}
                />
              ));
            });
            return (
              <>
                {paper.leads.map((lead) => (
                  <Arrow
                    key={`${lead.from} ${lead.to} ${lead.kind}`}
                    lead={lead}
                    paper={paper}
                    lanes={lanes}
                    span={span}
                    x={x}
                    y={y}
                    left={left}
                  />
                ))}
                {marks}
              </>
            );
          }}
        </LaneFrame>
        <figcaption className="text-code text-quiet">
          numbers are pins; arrows: found by what both say, dashed: drawn by hand
          {inSight.some((p) => pinLanes(p, lanes).length === 0) && "; at the left edge: of no lane"}
        </figcaption>
      </figure>
    </>
  );
}

function Mark({
  pin,
  x,
  y,
  onPin,
  onEnter,
}: {
  readonly pin: PinJson;
  readonly x: number;
  readonly y: number;
  readonly onPin: () => void;
  readonly onEnter: () => void;
}) {
  const isBad = pin.record?.outcome === "failure";
  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: the same pins are reached by keyboard in their list
    <g onClick={onPin} onMouseEnter={onEnter} className="cursor-pointer">
      <rect x={x - 7} y={y - 1.5} width={14} height={3} fill={isBad ? "var(--ochre)" : "var(--ink)"} />
      <text x={x + 9} y={y + 3.5} fontSize={10.5} fill="var(--quiet)" className="font-mono">
        {pin.number}
      </text>
      <title>{`#${pin.number} ${said(pin)}`}</title>
    </g>
  );
}

/** From one pin to another, between the lanes that tell most of it. */
function Arrow({
  lead,
  paper,
  lanes,
  span,
  x,
  y,
  left,
}: {
  readonly lead: LeadJson;
  readonly paper: PaperDetail;
  readonly lanes: readonly Lane[];
  readonly span: { readonly fromUs: number; readonly toUs: number };
  readonly x: (lane: number) => number;
  readonly y: (us: number) => number;
  readonly left: number;
}) {
  const end = (number: number) => {
    const pin = paper.pins.find((p) => p.number === number);
    const us = pin === undefined ? null : pinUs(pin);
    return pin === undefined || us === null || !isWithin(us, span) ? null : { lanes: pinLanes(pin, lanes), y: y(us) };
  };
  const [from, to] = [end(lead.from), end(lead.to)];
  if (from === null || to === null) return null;
  const place = (lane: number | undefined) => (lane === undefined ? left + 8 : x(lane));
  // the reporter's lane comes last among those of a record: where it happened
  const [x1, x2] = [place(from.lanes.at(-1)), place(to.lanes.at(-1))];
  const bend = x1 === x2 ? 22 : 0;
  return (
    <g pointerEvents="visiblePainted">
      <path
        d={`M${x1} ${from.y}C${x1 + bend} ${from.y} ${x2 + bend} ${to.y} ${x2} ${to.y}`}
        fill="none"
        stroke="var(--fjord)"
        strokeWidth={1.5}
        strokeDasharray={lead.kind === "drawn" ? "4 3" : undefined}
      />
      <circle cx={x2} cy={to.y} r={3.5} fill="var(--paper)" stroke="var(--fjord)" strokeWidth={1.5} />
      <title>{`#${lead.from} → #${lead.to}: ${safeText(sayLead(lead))}`}</title>
    </g>
  );
}
