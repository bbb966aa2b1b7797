import type { FullLink, TileMade } from "@halvik/contract/boards";
import { sayNear, sayValue, type Unit } from "@halvik/core/report";
import type { ReactNode } from "react";
import { Link } from "react-router";
import { Cut } from "../../../ui/cut";
import { safeText } from "../../../ui/safe-text";
import { Tooltip } from "../../../ui/tooltip";
import { More } from "./queue";

type Made<Is extends TileMade["is"]> = Extract<TileMade, { is: Is }>;

/** From such a part of what it carries on, a link is close to full (common practice, no source). */
const FULL = 0.9;

/** Which part of the way to its line, or of what it carries. */
function Near({
  name,
  text,
  part,
  isOver,
  value,
}: {
  name: ReactNode;
  text: string;
  part: number | null;
  isOver: boolean;
  value: string;
}) {
  return (
    <tr className="border-t border-line first:border-t-0">
      <th scope="row" className="py-0.5 text-left font-normal">
        <Cut text={text}>{name}</Cut>
      </th>
      <td className="w-[18%] px-2 @max-xs:hidden">
        {part !== null && (
          <span className="block h-2 bg-wash">
            <span
              className={`block h-2 ${isOver ? "bg-vermilion" : "bg-ink/70"}`}
              style={{ width: `${Math.min(100, 100 * part)}%` }}
            />
          </span>
        )}
      </td>
      <td className={`w-12 text-right tabular-nums ${isOver ? "font-semibold text-vermilion" : ""}`}>
        {part === null ? "–" : sayNear(part)}
      </td>
      <td className="w-24 text-right whitespace-nowrap text-quiet tabular-nums">{value}</td>
    </tr>
  );
}

/** Limits, the nearest to its line first. */
export function LimitsTile({ made: { limits, more } }: { made: Made<"limits"> }) {
  if (limits.length === 0)
    return (
      <p className="text-ui text-quiet">
        Nothing is guarded by a line yet. <Link to="/reports">A row of a report</Link> can begin it.
      </p>
    );
  return (
    <>
      <table className="w-full table-fixed text-ui" aria-label="How near each is to its line">
        <tbody>
          {limits.map((l) => {
            const key = l.key.length === 0 ? "" : `: ${l.key.join(", ")}`;
            return (
              <Near
                key={l.rule}
                text={safeText(`${l.name}${key}`)}
                name={
                  <>
                    <Link to={`/rules/${l.rule}`}>{safeText(l.name)}</Link>
                    {safeText(key)}
                  </>
                }
                part={l.near}
                isOver={l.near !== null && l.near >= 1}
                value={l.raiseAt === null ? "usual" : `${l.side} ${sayValue(l.raiseAt, l.unit as Unit)}`}
              />
            );
          })}
        </tbody>
      </table>
      <More more={more} to="/reports/limits" />
    </>
  );
}

/** Interfaces by how full they were in the fullest step. */
export function LinksTile({ made: { links, more, isCounting } }: { made: Made<"fullest links"> }) {
  if (links.length === 0)
    return (
      <p className="text-ui text-quiet">
        No interface has a capacity that is known and traffic. <Link to="/traffic">Traffic</Link> says what an interface
        carries, and lets it be set.
      </p>
    );
  return (
    <>
      <table className="w-full table-fixed text-ui" aria-label="How full each link was">
        <tbody>
          {links.map((l) => (
            <Near
              key={`${l.exporter.id} ${l.interface.index} ${l.way}`}
              text={safeText(linkName(l))}
              name={
                <Link
                  to={`/traffic?${new URLSearchParams({ exporter: String(l.exporter.id), interface: String(l.interface.index) })}`}
                >
                  {safeText(linkName(l))}
                </Link>
              }
              part={l.most / l.capacity}
              isOver={l.most / l.capacity >= FULL}
              value={sayValue(l.most, "bits/s")}
            />
          ))}
        </tbody>
      </table>
      <Tooltip text={`In the fullest ${links[0]!.stepSeconds / 60} minutes of the window, of what it carries`}>
        <span className="text-small text-quiet">at most, in {links[0]!.stepSeconds / 60} min</span>
      </Tooltip>
      {isCounting && <span className="text-small text-ochre">; flows are still being summed: at least so much</span>}
      <More more={more} to="/traffic" />
    </>
  );
}

const linkName = (l: FullLink): string => `${l.exporter.name} ${l.interface.name} ${l.way}`;
