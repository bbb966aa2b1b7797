import type { FormatPreview } from "@halvik/contract/formats";
import { SEVERITIES } from "@halvik/core/model/record";
import { usOf } from "../../data/view-store";
import { safeText } from "../../ui/safe-text";
import { clockMs } from "../../ui/time";

const n = (count: number): string => count.toLocaleString("en");

/** What a format reads: of the lines that were given, and of what is stored. */
export function Preview({ preview: p, zone }: { preview: FormatPreview; zone: string }) {
  const fits = p.lines.filter((l) => "values" in l).length;
  return (
    <section aria-label="What it reads" role="status" className="mt-2 text-ui">
      <p>
        {p.lines.length > 0 && (
          <>
            Of these lines <b className="font-semibold">{fits}</b> of {p.lines.length} fit.{" "}
          </>
        )}
        {p.spans.map((s) => (
          <span key={s.says}>
            Of {s.exact ? "" : "the latest "}
            {n(s.of)} records of {s.says} it is tried on, <b className="font-semibold">{n(s.fits)}</b> fit
            {s.near > 0 && <span className="text-ochre">, {n(s.near)} nearly</span>}.{" "}
          </span>
        ))}
      </p>
      {p.lines.map((l, i) => (
        <Line key={i} line={l} />
      ))}
      {p.near.length > 0 && <p className="mt-1 text-quiet">Stored, and nearly fitting:</p>}
      {p.near.map((l, i) => (
        <Line key={i} line={l} at={clockMs(usOf(l.at), zone)} />
      ))}
      {p.fits.length > 0 && <p className="mt-1 text-quiet">Stored, and what comes out:</p>}
      {p.fits.map((l, i) => (
        <Line key={i} line={l} at={clockMs(usOf(l.at), zone)} />
      ))}
    </section>
  );
}

function Line({ line, at }: { line: FormatPreview["lines"][number]; at?: string }) {
  return (
    <div className="border-t border-line py-0.5">
      <p className="font-mono text-code break-words">
        {at !== undefined && <span className="mr-2 text-quiet">{at}</span>}
        {"values" in line ? (
          safeText(line.text)
        ) : (
          <>
            {safeText(line.text.slice(0, line.place))}
            <mark className="bg-ochre/25 text-ink">{safeText(line.text.slice(line.place) || "⏎")}</mark>
          </>
        )}
      </p>
      {"values" in line ? (
        <p className="text-small">
          {line.values.map((v, i) => (
            <span key={i} className="mr-3">
              <span className={v.isField ? "text-fjord" : "text-quiet"}>{safeText(v.name)}</span>{" "}
              <span className="font-mono">{safeText(v.value)}</span>
            </span>
          ))}
          <span className="text-quiet">
            {line.kind === "firewall" && "a firewall’s decision, "}
            {SEVERITIES[line.severity]}
          </span>
        </p>
      ) : (
        <p className="text-small text-ochre">here expected {safeText(line.expected)}</p>
      )}
    </div>
  );
}
