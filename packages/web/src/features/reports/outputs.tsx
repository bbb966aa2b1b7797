import type { ReportKept } from "@halvik/contract/reports";
import { Link } from "react-router";
import { useViewStore, usOf } from "../../data/view-store";
import { TextButton } from "../../ui/button";
import { Menu, MenuLink } from "../../ui/menu";
import { Heading } from "../../ui/page";
import { safeText } from "../../ui/safe-text";
import { dayMinute } from "../../ui/time";

export const FORMATS = [
  ["pdf", "PDF"],
  ["html", "HTML"],
  ["csv", "CSV of every table (ZIP)"],
  ["json", "JSON"],
] as const;

/** What was made of a report: when, by whom, to take away. */
export function Outputs({ kept }: { kept: ReportKept }) {
  const zone = useViewStore((s) => s.zone);
  return (
    <section aria-label="Outputs">
      <Heading small={kept.runs.length > 0 ? "the newest first" : undefined}>Outputs</Heading>
      {kept.runs.length === 0 && <p className="text-ui text-quiet">Nothing was made yet.</p>}
      <ul className="text-ui">
        {kept.runs.map((r) => (
          <li key={r.id} className="flex items-baseline justify-between gap-2 border-b border-line py-1">
            <span className="min-w-0">
              {r.window !== null && (
                <Link to={`/reports/${kept.id}/outputs/${r.id}`}>
                  {dayMinute(usOf(r.window.from), zone)} – {dayMinute(usOf(r.window.to), zone)}
                </Link>
              )}
              <span className="block text-small text-quiet">
                {r.state === "waiting" && "is being made"}
                {r.state === "failed" && <span className="text-vermilion">failed: {safeText(r.why)}</span>}
                {r.state === "made" && r.made !== null && `made ${dayMinute(usOf(r.made), zone)}`}
                {r.due === null ? ` by ${safeText(r.by)}` : `, due ${dayMinute(usOf(r.due), zone)}`}
                {r.late && <span className="text-ochre"> late: Halvik was away when it was due</span>}
              </span>
            </span>
            {r.state === "made" && (
              <Menu trigger={<TextButton>take away</TextButton>}>
                {FORMATS.map(([format, label]) => (
                  <MenuLink
                    key={format}
                    href={`/api/v1/reports/${kept.id}/runs/${r.id}/file?format=${format}`}
                    download
                  >
                    {label}
                  </MenuLink>
                ))}
              </Menu>
            )}
          </li>
        ))}
      </ul>
    </section>
  );
}
