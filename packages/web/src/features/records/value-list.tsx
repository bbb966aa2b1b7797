import type { ValuesAnswer } from "@halvik/contract/records";
import { countFromJson } from "@halvik/core/model/record";
import { quoteIfNeeded } from "@halvik/core/query/filter";
import { useQuery } from "@tanstack/react-query";
import { valuesQuery } from "../../data/api";
import { usOf } from "../../data/view-store";
import { NamedText } from "../../shared/address-names";
import { difference } from "../../shared/compared-window";
import { safeText } from "../../ui/safe-text";
import { dayMinute } from "../../ui/time";
import { Tooltip } from "../../ui/tooltip";
import { amountText } from "./measure";
import type { ValueScope } from "./value-scope";

const TOP = 8;
/** Values of the other window that are known by themselves; one that is not among them was there less often than all of these. */
const TOP_COMPARED = 500;
const TOP_GONE = 3;

/** The values of one field, the most first; beside another window, with what is more and less than there. */
export function ValueList({
  field,
  name,
  window,
  compared,
  filter,
  zone,
  measure,
  onOnly,
  onWithout,
}: ValueScope & {
  readonly field: string;
  /** Of `data`: which. */
  readonly name?: string;
}) {
  const asked = name === undefined ? field : `data ${quoteIfNeeded(name)}`;
  const { data, error } = useQuery(valuesQuery(window, filter, zone, field, TOP, measure, name));
  const before = useQuery({
    ...valuesQuery(compared ?? window, filter, zone, field, TOP_COMPARED, measure, name),
    enabled: compared !== null,
  }).data;
  if (error) return <p className="text-vermilion">{safeText(error.message)}</p>;
  if (!data) return <p className="text-quiet">counting …</p>;
  const other = compared === null ? null : before;
  const gone = other ? goneValues(data, other) : [];
  if (data.values.length === 0 && gone.length === 0)
    return (
      <p className="text-quiet">
        {data.records === 0 ? "nothing matches" : "none of these records has one"}
        {data.exact ? "" : " so far"}
      </p>
    );
  const most = Number(countFromJson(data.values[0]?.amount ?? 1)) || 1;
  return (
    <div>
      {data.values.map(({ value, label, amount }) => (
        <ValueLine
          key={value}
          part={`${asked} is ${quoteIfNeeded(label)}`}
          shown={value === "" ? "(empty)" : <NamedText>{label}</NamedText>}
          amount={amountText(measure, amount)}
          share={Number(countFromJson(amount)) / most}
          change={other ? changeOf(value, Number(countFromJson(amount)), other, measure.by === "bytes") : null}
          onOnly={onOnly}
          onWithout={onWithout}
        />
      ))}
      {data.restCount > 0 && (
        <p className="flex justify-between pr-[22px] text-quiet">
          <span>{(data.distinct - data.values.length).toLocaleString("en")} others</span>
          <span className="tabular-nums">
            {data.restAmount === undefined ? "" : amountText(measure, data.restAmount)}
          </span>
        </p>
      )}
      {gone.map(({ value, label, amount }) => (
        <p key={value} className="flex justify-between gap-2 pr-[22px] text-quiet">
          <span className="truncate font-mono text-small line-through">{safeText(label)}</span>
          <span className="shrink-0 tabular-nums">was {amountText(measure, amount)}</span>
        </p>
      ))}
      {!data.exact && (
        <p className="text-ochre">of the newest records, back to {dayMinute(usOf(data.coveredFrom), zone)}</p>
      )}
      {other && !other.exact && <p className="text-ochre">the other window is counted in part only</p>}
    </div>
  );
}

function ValueLine({
  part,
  shown,
  amount,
  share,
  change,
  onOnly,
  onWithout,
}: {
  part: string;
  shown: React.ReactNode;
  amount: string;
  share: number;
  /** Null: nothing is compared. */
  change: string | null;
  onOnly: (part: string) => void;
  onWithout: (part: string) => void;
}) {
  return (
    <div
      className={`group grid items-baseline gap-1.5 ${change === null ? "grid-cols-[1fr_auto_1rem]" : "grid-cols-[1fr_auto_3.25rem_1rem]"}`}
    >
      <Tooltip text={`Only with ${part}`}>
        <button
          type="button"
          onClick={() => onOnly(part)}
          className="relative truncate text-left font-mono text-small hover:text-fjord"
        >
          <span aria-hidden className="absolute bottom-0 left-0 h-px bg-ink/50" style={{ width: `${100 * share}%` }} />
          {shown}
        </button>
      </Tooltip>
      <span className="text-right text-quiet tabular-nums">{amount}</span>
      {change !== null && <span className="text-right text-small tabular-nums">{change}</span>}
      <Tooltip text={`Without ${part}`}>
        <button
          type="button"
          aria-label={`without ${part}`}
          onClick={() => onWithout(part)}
          className="text-quiet opacity-0 group-hover:opacity-100 hover:text-vermilion focus-visible:opacity-100"
        >
          ×
        </button>
      </Tooltip>
    </div>
  );
}

/** More or less than in the other window; empty where the other's figure is not known. */
function changeOf(value: string, amount: number, other: ValuesAnswer, asShare: boolean): string {
  const there = other.values.find((v) => v.value === value);
  if (there === undefined && (!other.exact || other.distinct > other.values.length)) return "";
  const before = Number(countFromJson(there?.amount ?? 0));
  if (!asShare || before === 0 || amount === before) return difference(amount, before);
  const percent = Math.round((100 * (amount - before)) / before);
  return percent < 0 ? `−${-percent} %` : `+${percent} %`;
}

/** The most frequent values of the other window that are not there any more; none where that is not known. */
function goneValues(now: ValuesAnswer, before: ValuesAnswer): ValuesAnswer["values"] {
  if (!now.exact || now.distinct > now.values.length) return [];
  const there = new Set(now.values.map((v) => v.value));
  return before.values.filter((v) => !there.has(v.value)).slice(0, TOP_GONE);
}
