import { quoteIfNeeded } from "@halvik/core/query/filter";
import { useQuery } from "@tanstack/react-query";
import { valuesQuery, type WindowParts } from "../../data/api";
import { usOf } from "../../data/view-store";
import { safeText } from "../../ui/safe-text";
import { dayMinute } from "../../ui/time";
import { Tooltip } from "../../ui/tooltip";

/** Fields in the order in which they are usually asked for. */
const FIELDS = [
  "severity",
  "sender",
  "kind",
  "category",
  "outcome",
  "app",
  "event",
  "action",
  "user",
  "host",
  "src",
  "dst",
  "dst port",
  "src port",
  "protocol",
  "interface",
  "policy",
  "log",
  "facility",
  "process",
  "application",
  "mark",
  "problem",
] as const;

const TOP = 8;

interface ValueStripProps {
  readonly window: WindowParts;
  readonly filter: string;
  readonly zone: string;
  readonly open: readonly string[];
  readonly onToggle: (field: string) => void;
  readonly onOnly: (part: string) => void;
  readonly onWithout: (part: string) => void;
}

/** Values of fields in the records that match, with their counts: to see what there is, and to go on from it. */
export function ValueStrip({ open, onToggle, ...rest }: ValueStripProps) {
  return (
    <section
      aria-label="Values"
      // biome-ignore lint/a11y/noNoninteractiveTabindex: what scrolls must be reached by keyboard
      tabIndex={0}
      className="w-[216px] shrink-0 overflow-y-auto border-l border-line pl-3 text-code leading-[18px]"
    >
      {FIELDS.map((field) => (
        <div key={field} className="border-b border-line py-[3px]">
          <button
            type="button"
            aria-expanded={open.includes(field)}
            onClick={() => onToggle(field)}
            className="flex w-full justify-between text-left hover:text-fjord"
          >
            <span className={open.includes(field) ? "font-semibold" : ""}>{field}</span>
            <span aria-hidden className="text-quiet">
              {open.includes(field) ? "−" : "+"}
            </span>
          </button>
          {open.includes(field) && <Values field={field} {...rest} />}
        </div>
      ))}
    </section>
  );
}

function Values({
  field,
  window,
  filter,
  zone,
  onOnly,
  onWithout,
}: Omit<ValueStripProps, "open" | "onToggle"> & { readonly field: string }) {
  const { data, error } = useQuery(valuesQuery({ from: window.from, to: window.to }, filter, zone, field, TOP));
  if (error) return <p className="text-vermilion">{safeText(error.message)}</p>;
  if (!data) return <p className="text-quiet">counting …</p>;
  if (data.values.length === 0)
    return (
      <p className="text-quiet">
        {data.records === 0 ? "nothing matches" : "none of these records has one"}
        {data.exact ? "" : " so far"}
      </p>
    );
  const most = data.values[0]!.count;
  return (
    <div>
      {data.values.map(({ value, label, count }) => {
        const part = `${field} is ${quoteIfNeeded(label)}`;
        return (
          <div key={value} className="group grid grid-cols-[1fr_auto_16px] items-baseline gap-1.5">
            <Tooltip text={`Only with ${part}`}>
              <button
                type="button"
                onClick={() => onOnly(part)}
                className="relative truncate text-left font-mono text-small hover:text-fjord"
              >
                <span
                  aria-hidden
                  className="absolute bottom-0 left-0 h-px bg-ink/50"
                  style={{ width: `${(100 * count) / most}%` }}
                />
                {value === "" ? "(empty)" : safeText(label)}
              </button>
            </Tooltip>
            <span className="text-right text-quiet tabular-nums">{count.toLocaleString("en")}</span>
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
      })}
      {data.restCount > 0 && (
        <p className="flex justify-between pr-[22px] text-quiet">
          <span>{(data.distinct - data.values.length).toLocaleString("en")} others</span>
          <span className="tabular-nums">{data.restCount.toLocaleString("en")}</span>
        </p>
      )}
      {!data.exact && (
        <p className="text-ochre">of the newest records, back to {dayMinute(usOf(data.coveredFrom), zone)}</p>
      )}
    </div>
  );
}
