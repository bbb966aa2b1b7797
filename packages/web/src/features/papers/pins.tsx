import type { PaperDetail, PinJson, PinMade } from "@halvik/contract/papers";
import { sayLead } from "@halvik/core/papers";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { type ChangeEvent, useEffect, useRef } from "react";
import { query, upload } from "../../data/api";
import { recentFilters } from "../../data/recent-filters";
import { useWindow } from "../../data/use-window";
import { useViewStore } from "../../data/view-store";
import { usePageKeys } from "../../navigation/keys";
import { usePinning } from "../../shared/pinning";
import { addressed, type SetParam } from "../../shared/use-address";
import { TextButton } from "../../ui/button";
import { EmptyState } from "../../ui/empty-state";
import { KindMark, SeverityMark } from "../../ui/marks";
import { safeText } from "../../ui/safe-text";
import { Select } from "../../ui/select";
import { dayClock } from "../../ui/time";
import { Tooltip } from "../../ui/tooltip";
import { PinOpened } from "./pin-opened";
import { pinUs, said } from "./pin-words";

/** Follows the clock by the minute: counts are costly. */
const STEP_US = 60_000_000;

interface PinsProps {
  readonly paper: PaperDetail;
  /** The one that is opened; null: none. */
  readonly opened: number | null;
  readonly setParam: SetParam;
  readonly mayWrite: boolean;
}

/** What is pinned, in the order in which it happened; what is of no time comes last. */
export function Pins({ paper, opened, setParam, mayWrite }: PinsProps) {
  const pins = [...paper.pins].sort(
    (a, b) => (pinUs(a) ?? Number.POSITIVE_INFINITY) - (pinUs(b) ?? Number.POSITIVE_INFINITY) || a.number - b.number,
  );
  const open = (number: number | null) => setParam({ pin: number === null ? null : String(number) });
  const move = (by: number) => {
    const at = pins.findIndex((p) => String(p.number) === addressed("pin"));
    const next = pins[at < 0 ? 0 : Math.min(Math.max(at + by, 0), pins.length - 1)];
    if (next) open(next.number);
  };
  usePageKeys({
    j: () => move(1),
    k: () => move(-1),
    ArrowDown: () => move(1),
    ArrowUp: () => move(-1),
    Escape: () => open(null),
  });
  return (
    <>
      {pins.length === 0 && (
        <EmptyState
          title="Nothing is pinned yet"
          text="On any page, p pins what it shows: the selected record, the search, a shape, what changed, an incident, a portrait. It is kept here as it is now, a record with its bytes."
        />
      )}
      <ol aria-label="Pins">
        {pins.map((p) => (
          <Line
            key={p.number}
            pin={p}
            paper={paper}
            isOpened={p.number === opened}
            mayWrite={mayWrite}
            onOpen={() => open(p.number === opened ? null : p.number)}
            onShow={open}
          />
        ))}
      </ol>
      {mayWrite && (
        <p className="flex flex-wrap items-baseline gap-x-4 py-1.5 text-ui">
          <AddFile paper={paper} onAdded={open} />
          <PinRecent />
        </p>
      )}
    </>
  );
}

function Line({
  pin,
  paper,
  isOpened,
  mayWrite,
  onOpen,
  onShow,
}: {
  readonly pin: PinJson;
  readonly paper: PaperDetail;
  readonly isOpened: boolean;
  readonly mayWrite: boolean;
  readonly onOpen: () => void;
  readonly onShow: (number: number) => void;
}) {
  const zone = useViewStore((s) => s.zone);
  const line = useRef<HTMLLIElement>(null);
  const us = pinUs(pin);
  useEffect(() => {
    if (isOpened) line.current?.scrollIntoView({ block: "nearest" });
  }, [isOpened]);
  const leads = paper.leads.filter((l) => l.from === pin.number);
  return (
    <li ref={line} className={`border-b border-line ${isOpened ? "bg-sheet" : ""}`} data-testid="pin">
      <button
        type="button"
        aria-expanded={isOpened}
        onClick={onOpen}
        className="grid w-full grid-cols-[2.25rem_8.5rem_1.75rem_minmax(0,1fr)] items-baseline gap-2 py-1 text-left text-ui"
      >
        <span className="text-right font-mono text-code text-quiet">#{pin.number}</span>
        <span className="font-mono text-code whitespace-nowrap">{us === null ? "" : dayClock(us, zone)}</span>
        <PinMark pin={pin} />
        <span className="min-w-0">
          <span className={isOpened ? "wrap-anywhere" : "block truncate"}>{said(pin)}</span>
          {pin.reason !== "" && <span className="block text-quiet wrap-anywhere">{safeText(pin.reason)}</span>}
          {(pin.techniques.length > 0 || leads.length > 0) && (
            <span className="block text-small text-quiet">
              {pin.techniques.length > 0 && <span className="mr-2 font-mono">{pin.techniques.join(" ")}</span>}
              {leads.map((l) => `→ #${l.to} ${safeText(sayLead(l))}`).join(" · ")}
            </span>
          )}
        </span>
      </button>
      {isOpened && <PinOpened pin={pin} paper={paper} mayWrite={mayWrite} onShow={onShow} />}
    </li>
  );
}

/** What sort of thing it is: a record by its kind and severity, all else by a word. */
function PinMark({ pin: { pinned, record } }: { readonly pin: PinJson }) {
  if (record !== null)
    return (
      <span className="flex items-center gap-1">
        <SeverityMark severity={record.severity} height={13} />
        <KindMark kind={record.kind} />
      </span>
    );
  return (
    <Tooltip text={pinned.is}>
      <span role="img" aria-label={pinned.is} className="text-center font-mono text-code text-quiet">
        {MARKS[pinned.is]}
      </span>
    </Tooltip>
  );
}
const MARKS: Readonly<Record<PinJson["pinned"]["is"], string>> = {
  record: "·",
  search: "≡",
  shape: "▦",
  contrast: "≠",
  portrait: "◍",
  incident: "!",
  chart: "▁",
  file: "▯",
};

/** A file or picture that comes from elsewhere. */
function AddFile({ paper, onAdded }: { readonly paper: PaperDetail; readonly onAdded: (number: number) => void }) {
  const field = useRef<HTMLInputElement>(null);
  const client = useQueryClient();
  const add = useMutation({
    mutationFn: (file: File) => upload<PinMade>(`/papers/${paper.id}/files${query({ name: file.name })}`, file),
    onSuccess: async ({ number }) => {
      await client.invalidateQueries({ queryKey: ["papers"] });
      onAdded(number);
    },
  });
  const choose = (e: ChangeEvent<HTMLInputElement>) => {
    const file = e.target.files?.[0];
    if (file !== undefined) add.mutate(file);
    // the same one may be chosen again
    e.target.value = "";
  };
  return (
    <span>
      <TextButton onClick={() => field.current?.click()}>add a file or picture …</TextButton>
      <input ref={field} type="file" aria-label="A file or picture" className="sr-only" onChange={choose} />
      {add.error && (
        <span role="alert" className="ml-2 text-vermilion">
          {add.error.message}
        </span>
      )}
    </span>
  );
}

/** A search that was made lately in this browser, asked of the window of the rail. */
function PinRecent() {
  const { from, to } = useWindow(STEP_US);
  const zone = useViewStore((v) => v.zone);
  const { begin } = usePinning();
  const recent = recentFilters();
  if (recent.length === 0) return null;
  return (
    <Select
      plain
      label="Pin a recent search"
      value=""
      placeholder="pin a recent search …"
      options={recent}
      onChange={(filter) => begin([{ label: `the search ${filter}`, pin: { is: "search", filter, zone, from, to } }])}
    />
  );
}
