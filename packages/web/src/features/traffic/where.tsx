import type { TrafficLists } from "@halvik/contract/traffic";
import { TextButton } from "../../ui/button";
import { safeText } from "../../ui/safe-text";
import { sayAmount } from "./amounts";
import type { Sentence } from "./asked";

interface WhereProps {
  readonly where: TrafficLists["where"];
  readonly measure: Sentence["measure"];
  /** Goes to one of them. */
  readonly onGo: (to: Readonly<Record<string, string | null>>) => void;
}

/** Which exporters tell of it, or which interfaces of one; each is where one can go. */
export function Where({ where, measure, onGo }: WhereProps) {
  const [first] = where;
  if (first === undefined) return null;
  const isInterfaces = first.interface !== null;
  const title = isInterfaces ? "Interfaces" : "Exporters";
  const size = (w: (typeof where)[number]) => w.in[measure] + (w.out?.[measure] ?? 0);
  const most = Math.max(...where.map(size), 1e-9);
  return (
    <section aria-label={title} className="mb-3">
      <h2 className="text-ui font-semibold">
        {title}
        <small className="ml-1.5 text-code font-normal text-quiet">
          {isInterfaces ? "in · out" : "as they exported: what several report is in each"}
        </small>
      </h2>
      <ul className="m-0 list-none p-0 text-ui">
        {where.map((w) => (
          <li
            key={`${w.exporter} ${w.interface}`}
            className="grid grid-cols-[minmax(0,1fr)_minmax(0,7rem)_minmax(40px,120px)_auto] @max-xl:grid-cols-[minmax(0,1fr)_minmax(0,5rem)_auto] items-baseline gap-x-3 py-px"
          >
            <span className="truncate">
              <TextButton
                onClick={() =>
                  onGo({
                    site: null,
                    exporter: String(w.exporter),
                    interface: w.interface === null ? null : String(w.interface),
                  })
                }
              >
                {safeText(w.label)}
              </TextButton>
            </span>
            <span className="truncate text-quiet">
              {!isInterfaces && w.site !== null && (
                <TextButton onClick={() => onGo({ site: w.site, exporter: null, interface: null })}>
                  {safeText(w.site)}
                </TextButton>
              )}
            </span>
            <span aria-hidden className="h-1.5 self-center @max-xl:hidden">
              <span
                className="block h-full bg-ink opacity-75"
                style={{ width: `${Math.max(0.5, (100 * size(w)) / most)}%` }}
              />
            </span>
            <span className="min-w-20 text-right">
              {sayAmount(w.in[measure], measure)}
              {w.out !== null && ` · ${sayAmount(w.out[measure], measure)}`}
            </span>
          </li>
        ))}
      </ul>
    </section>
  );
}
