import type { Session, Summary } from "@halvik/contract/status";
import { useQuery } from "@tanstack/react-query";
import { LayoutGrid, Moon, Pin, Sun } from "lucide-react";
import { useEffect, useState } from "react";
import { NavLink, Outlet, useLocation, useNavigate } from "react-router";
import { queryClient, RequestError, request, sessionQuery, summaryQuery } from "../data/api";
import { presentUs, useView, useViewStore } from "../data/view-store";
import { useGlobalKeys } from "../navigation/keys";
import { SECTIONS, searchOf } from "../navigation/sections";
import { AddressNames } from "../shared/address-names";
import { OF_PAGE } from "../shared/page-choices";
import { usePinning } from "../shared/pinning";
import { usePutOnBoard } from "../shared/put-on-board";
import { Kbd, TextButton } from "../ui/button";
import { Menu, MenuItem, MenuSeparator } from "../ui/menu";
import { MAIN } from "../ui/page";
import { setPresent } from "../ui/time";
import { Toasts } from "../ui/toasts";
import { Tooltip, TooltipProvider } from "../ui/tooltip";
import { KeysHelp } from "./keys-help";
import { LoadingNotice } from "./loading-notice";
import { Notices } from "./notices";
import { Palette } from "./palette";
import { PastBand } from "./past-band";
import { PinDialog } from "./pin-dialog";
import { PutOnBoardDialog } from "./put-on-board-dialog";
import { TimeRail } from "./rail";
import { ChoosePassword, SignIn } from "./sign-in";
import { TimeDialog } from "./time-dialog";

/** Who is it? Sign-in, then a password of one's own, then the page frame. */
export function Frame() {
  const session = useQuery(sessionQuery);
  const theme = useViewStore((s) => s.theme);
  useEffect(() => {
    document.documentElement.dataset.theme = theme;
  }, [theme]);
  if (session.isPending) return null;
  if (session.error)
    return (
      <SignIn
        trouble={session.error instanceof RequestError && session.error.status === 401 ? null : session.error.message}
      />
    );
  if (session.data.mustChange) return <ChoosePassword session={session.data} />;
  return <SignedIn session={session.data} />;
}

function SignedIn({ session }: { session: Session }) {
  const summary = useQuery(summaryQuery);
  const { tick, zone } = useView("tick", "zone");
  setPresent(presentUs(), zone);
  const [palette, setPalette] = useState(false);
  const [help, setHelp] = useState(false);
  useGlobalKeys({ openPalette: () => setPalette(true), openHelp: () => setHelp(true), pin: pinOfPage });
  useEffect(() => {
    const timer = setInterval(() => tick(Date.now() * 1_000), 1_000);
    return () => clearInterval(timer);
  }, [tick]);
  return (
    <TooltipProvider>
      <AddressNames>
        <div className="flex h-full flex-col">
          <TopLine
            session={session}
            summary={summary.data}
            onPalette={() => setPalette(true)}
            onHelp={() => setHelp(true)}
          />
          <Troubles summary={summary.data} error={summary.error} />
          <PastBand />
          <div className="flex min-h-0 flex-1">
            <TimeRail />
            <Outlet />
          </div>
          <Palette open={palette} onOpenChange={setPalette} />
          <TimeDialog />
          <PutOnBoardDialog />
          <PinDialog />
          <KeysHelp open={help} onOpenChange={setHelp} />
          <Toasts theme={useViewStore.getState().theme === "night" ? "dark" : "light"} />
        </div>
      </AddressNames>
    </TooltipProvider>
  );
}

function TopLine({
  session,
  summary,
  onPalette,
  onHelp,
}: {
  session: Session;
  summary: Summary | undefined;
  onPalette: () => void;
  onHelp: () => void;
}) {
  const { zone, theme, setTheme, setChoosingTime } = useView("zone", "theme", "setTheme", "setChoosingTime");
  const navigate = useNavigate();
  // what goes along to another section is of this moment
  useViewStore((v) => v.window);
  useLocation();
  return (
    <header className="flex min-h-11 shrink-0 flex-wrap items-center gap-x-5 border-b border-line-strong pr-4">
      <a
        href={`#${MAIN}`}
        onClick={(e) => {
          // the address is the page's own: only the focus goes there
          e.preventDefault();
          document.getElementById(MAIN)?.focus();
        }}
        className="absolute -top-20 left-2 z-40 border border-fjord bg-sheet px-3 py-1 focus:top-1.5"
      >
        Skip to the page
      </a>
      <div className="flex w-[100px] items-center gap-[7px] pl-4 text-title font-bold">
        <svg viewBox="0 0 15 18" width={15} height={18} aria-hidden="true">
          <path d="M1.5 1v16M13.5 1v16M1.5 9.5c3-3 5 2.4 12-.8" fill="none" stroke="currentColor" strokeWidth={2.2} />
        </svg>
        Halvik
      </div>
      <nav aria-label="Sections" className="flex flex-wrap gap-x-5 self-stretch max-slim:px-4">
        {SECTIONS.map((s) => (
          <NavLink
            key={s.path}
            to={{ pathname: s.path, search: searchOf(s.path) }}
            className={({ isActive }) =>
              `flex min-h-8 items-center border-b-2 pt-0.5 no-underline ${isActive ? "border-fjord font-semibold text-ink" : "border-transparent text-quiet hover:text-ink"}`
            }
          >
            {s.name}
            {s.path === "/incidents" && summary !== undefined && summary.attention > 0 && (
              <sup className="ml-0.5 text-micro font-bold text-vermilion">
                {summary.attention}
                <span className="sr-only"> need attention</span>
              </sup>
            )}
          </NavLink>
        ))}
      </nav>
      <div className="ml-auto flex flex-wrap items-center gap-x-4 py-1 pl-4 text-ui whitespace-nowrap text-quiet">
        {summary && (
          <span>
            {summary.recordsPerSecond.toLocaleString("en")} {summary.recordsPerSecond === 1 ? "record" : "records"}/s ·{" "}
            {summary.lost === 0 ? (
              "nothing lost"
            ) : (
              <b className="text-vermilion">{summary.lost.toLocaleString("en")} lost</b>
            )}
          </span>
        )}
        <Notices />
        {/* where the rail has no room, the time is still chosen */}
        <TextButton className="slim:hidden" onClick={() => setChoosingTime(true)}>
          time
        </TextButton>
        <Tooltip text="Times on screen are in this zone">
          <span>{zone}</span>
        </Tooltip>
        <PageActs />
        <button type="button" onClick={onPalette} aria-label="Command palette">
          <Kbd>Ctrl K</Kbd>
        </button>
        <button
          type="button"
          aria-label={theme === "night" ? "Light theme" : "Night theme"}
          onClick={() => setTheme(theme === "night" ? "light" : "night")}
        >
          {theme === "night" ? <Sun size={15} /> : <Moon size={15} />}
        </button>
        <Menu
          className="min-w-44"
          trigger={
            <button type="button" className="text-ink">
              {session.display}
            </button>
          }
        >
          <MenuItem onSelect={() => navigate("/notify")}>Notifications</MenuItem>
          <MenuItem onSelect={() => navigate("/lists")}>Lists</MenuItem>
          <MenuItem onSelect={() => navigate("/load")}>Alarm load</MenuItem>
          <MenuItem onSelect={onHelp}>
            All keys <Kbd>?</Kbd>
          </MenuItem>
          <MenuSeparator />
          <MenuItem
            onSelect={async () => {
              await request("DELETE", "/session");
              queryClient.clear();
              location.assign("/");
            }}
          >
            Sign out
          </MenuItem>
        </Menu>
      </div>
    </header>
  );
}

/** Where the page has something for a board, or for an investigation. */
function PageActs() {
  const { ofPage, begin } = usePutOnBoard();
  const pins = usePinning();
  return (
    <>
      {pins.ofPage.length > 0 && (
        <Tooltip text="Pin what this page shows to an investigation (p)">
          <button type="button" aria-label="Pin to an investigation" onClick={pinOfPage}>
            <Pin size={15} />
          </button>
        </Tooltip>
      )}
      {ofPage.length > 0 && (
        <Tooltip text="Put what this page shows on a board">
          <button type="button" aria-label="Put on a board" onClick={() => begin(OF_PAGE)}>
            <LayoutGrid size={15} />
          </button>
        </Tooltip>
      )}
    </>
  );
}

/** Pins what the page that is looked at offers, if it does. */
function pinOfPage(): void {
  const { ofPage, begin } = usePinning.getState();
  if (ofPage.length > 0) begin(OF_PAGE);
}

/** What every page must say: history that is still loading, an engine or database that is away. */
function Troubles({ summary, error }: { summary: Summary | undefined; error: Error | null }) {
  if (error)
    return (
      <p role="alert" className="shrink-0 border-b border-line-strong bg-vermilion-wash px-4 py-1 text-ui">
        {error.message}
      </p>
    );
  return <LoadingNotice jobs={summary?.jobs ?? []} />;
}
