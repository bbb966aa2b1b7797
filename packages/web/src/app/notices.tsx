import type { Notices as NoticesAnswer } from "@halvik/contract/notify";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef } from "react";
import { Link, useNavigate } from "react-router";
import { toast } from "sonner";
import { noticesQuery, request } from "../data/api";
import { useViewStore, usOf } from "../data/view-store";
import { NamedText } from "../shared/address-names";
import { SeverityMark } from "../ui/marks";
import { Popover, PopoverClose } from "../ui/popover";
import { safeText } from "../ui/safe-text";
import { dayClock } from "../ui/time";

const WORDS = { raise: "raised", update: "lasts", clear: "over" } as const;
/** Lines of one notice that are shown; the incident has them all. */
const LINES = 4;

type NoticeJson = NoticesAnswer["notices"][number];

/** What happened to incidents lately; what was raised since the page was opened is said at once. */
export function Notices() {
  const client = useQueryClient();
  const answer = useQuery(noticesQuery);
  const notices = answer.data?.notices ?? [];
  const unread = answer.data?.unread ?? 0;
  useSayRaised(answer.data);
  const read = async () => {
    const newest = notices[0]?.id;
    if (newest === undefined || unread === 0) return;
    await request("POST", "/notices/read", { upTo: newest });
    void client.invalidateQueries({ queryKey: ["notices"] });
  };
  return (
    <Popover
      label="Notices"
      onOpenChange={(open) => !open && void read()}
      className="w-[28.75rem] py-1"
      trigger={
        <button type="button" className="text-quiet hover:text-ink">
          Notices
          {unread > 0 && (
            <sup className="ml-0.5 text-micro font-bold text-vermilion">
              {unread}
              <span className="sr-only"> not read</span>
            </sup>
          )}
        </button>
      }
    >
      {notices.length === 0 && <p className="px-3 py-2 text-quiet">Nothing has happened in the last day.</p>}
      {notices.map((n) => (
        <Notice key={n.id} notice={n} />
      ))}
      <p className="border-t border-line px-3 pt-1.5 text-quiet">
        The last day. <Link to="/notify">Notifications by mail</Link>
      </p>
    </Popover>
  );
}

function Notice({ notice: n }: { notice: NoticeJson }) {
  const zone = useViewStore((s) => s.zone);
  return (
    <PopoverClose>
      <Link
        to={`/incidents/${n.incident.id}`}
        className="grid grid-cols-[10px_1fr_auto] gap-2.5 border-b border-line px-3 py-1.5 text-ink no-underline hover:bg-wash"
      >
        <SeverityMark severity={n.tells === "clear" ? "informational" : n.incident.severity} />
        <span className="min-w-0">
          <span className={n.read ? "text-quiet" : "font-semibold"}>
            {WORDS[n.tells]}: <NamedText>{n.incident.title}</NamedText>
          </span>
          {linesBeside(n).map((line) => (
            <span key={line.id} className="block truncate text-quiet">
              {safeText(line.said)}
            </span>
          ))}
        </span>
        <time className="font-mono text-small whitespace-nowrap text-quiet">{dayClock(usOf(n.at), zone)}</time>
      </Link>
    </PopoverClose>
  );
}

/** What stands below the incident's title: of several lines each says what it is. */
function linesBeside({ lines }: NoticeJson): { id: number; said: string }[] {
  if (lines.length === 1) return lines.filter((l) => l.detail !== "").map((l) => ({ id: l.id, said: l.detail }));
  const room = lines.length > LINES ? LINES - 1 : LINES;
  const said = lines
    .slice(0, room)
    .map((l) => ({ id: l.id, said: l.detail === "" ? l.what : `${l.what}: ${l.detail}` }));
  const left = lines.length - room;
  return left > 0 ? [...said, { id: lines[lines.length - 1]!.id, said: `and ${left} more` }] : said;
}

/** Says what is raised while one looks at another page. */
function useSayRaised(answer: NoticesAnswer | undefined): void {
  const navigate = useNavigate();
  const told = useRef<number | null>(null);
  useEffect(() => {
    if (answer === undefined) return;
    const newest = answer.notices[0]?.id ?? 0;
    const before = told.current;
    told.current = newest;
    // what was there when the page was opened stands in the list
    if (before === null) return;
    for (const n of answer.notices) {
      const raised = n.lines.find((l) => l.id > before && l.tells === "raise");
      if (raised !== undefined)
        toast(safeText(n.incident.title), {
          description: `${n.incident.severity}, ${raised.what}`,
          action: { label: "Open", onClick: () => navigate(`/incidents/${n.incident.id}`) },
        });
    }
  }, [answer, navigate]);
}
