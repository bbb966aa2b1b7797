import type { RecordJson } from "@halvik/core/contract";
import { parseFilter, readFilter } from "@halvik/core/filter";
import { useQuery } from "@tanstack/react-query";
import { useCallback, useMemo, useRef, useState } from "react";
import { useSearchParams } from "react-router";
import { histogramQuery, sendersQuery } from "../../app/api";
import { usePageKeys } from "../../app/keys";
import { useWindow } from "../../app/use-window";
import { useViewStore, usOf } from "../../app/view-store";
import { Kbd } from "../../ui/button";
import { EmptyState, Trouble } from "../../ui/empty-state";
import { Page } from "../../ui/page";
import { dayMinute } from "../../ui/time";
import { FilterField, focusFilter } from "./filter-field";
import { RecordList } from "./record-list";
import { RecordMargin } from "./record-margin";
import { toDirectory } from "./to-directory";
import { useHistory, useLive } from "./use-records";
import { type Pivot, type PivotActions, pivotOf } from "./values";

const AROUND_US = 60_000_000;

/** Records: filter, reading, what the answer covers, one line a record, live or history. */
export function RecordsPage() {
  const [params, setParams] = useSearchParams();
  const window = useWindow();
  const { zone, live, setLive, setWindow } = useViewStore();
  const filter = params.get("filter") ?? "";
  const selectedId = params.get("record");
  const [draft, setDraft] = useState(filter);
  const [scrolledAway, setScrolledAway] = useState(false);
  const senders = useQuery(sendersQuery);
  const directory = useMemo(() => (senders.data ? toDirectory(senders.data.senders) : null), [senders.data]);
  // names are checked once the senders are known
  const parsed = useMemo(
    () => parseFilter(draft, directory === null ? { zone } : { zone, directory }),
    [draft, directory, zone],
  );
  const asked = useMemo(() => (parseFilter(filter, { zone }).ok ? filter : null), [filter, zone]);
  const history = useHistory(window, asked, zone, live);
  const loaded = useMemo(() => history.data?.pages.flatMap((p) => p.records) ?? [], [history.data]);
  const liveLines = useLive(asked, zone, live, scrolledAway, loaded);
  const records = live ? liveLines.records : loaded;
  const counts = useQuery({
    ...histogramQuery(window, 60, asked ?? "", zone, false),
    enabled: asked !== null && !live,
  });

  const setParam = useCallback(
    (changes: Readonly<Record<string, string | null>>) =>
      setParams((old) => {
        const next = new URLSearchParams(old);
        for (const [name, value] of Object.entries(changes)) {
          if (value === null || value === "") next.delete(name);
          else next.set(name, value);
        }
        return next;
      }),
    [setParams],
  );
  const submit = useCallback(
    (text: string) => {
      setDraft(text);
      if (parseFilter(text, { zone }).ok) setParam({ filter: text.trim() });
    },
    [setParam, zone],
  );
  const lastFilter = useRef(filter);
  if (lastFilter.current !== filter) {
    // another filter came by the address: a link, back and forward
    lastFilter.current = filter;
    if (draft.trim() !== filter) setDraft(filter);
  }
  const add = useCallback(
    (part: string) =>
      submit(filter === "" ? part : / or /.test(filter) ? `(${filter}) and ${part}` : `${filter} and ${part}`),
    [filter, submit],
  );
  const actions = useMemo<PivotActions>(
    () => ({
      only: (pivot: Pivot) => add(pivot.only),
      without: (pivot: Pivot) => add(`not ${pivot.only}`),
      around: (record: RecordJson) => {
        setWindow({ spanUs: 2 * AROUND_US, endUs: usOf(record.time) + AROUND_US });
        setParam({ filter: null, record: record.id });
        setDraft("");
      },
    }),
    [add, setParam, setWindow],
  );
  const select = useCallback((record: RecordJson) => setParam({ record: record.id }), [setParam]);
  const move = (by: number) => {
    const at = records.findIndex((r) => r.id === selectedId);
    const next = records[at < 0 ? 0 : Math.min(Math.max(at + by, 0), records.length - 1)];
    if (next) select(next);
  };
  const selected = records.find((r) => r.id === selectedId);
  usePageKeys({
    "/": (e) => {
      e.preventDefault();
      focusFilter();
    },
    l: () => setLive(!live),
    j: () => move(1),
    k: () => move(-1),
    ArrowDown: () => move(1),
    ArrowUp: () => move(-1),
    Enter: () => selectedId === null && move(0),
    Escape: () => setParam({ record: null }),
    w: () => selected && actions.only(pivotOf("sender", selected.sender.name)),
    o: () => selected && actions.without(pivotOf("sender", selected.sender.name)),
  });
  const { hasNextPage, isFetchingNextPage, fetchNextPage } = history;
  const onEnd = useCallback(() => {
    if (!live && hasNextPage && !isFetchingNextPage) void fetchNextPage();
  }, [live, hasNextPage, isFetchingNextPage, fetchNextPage]);

  const lastPage = history.data?.pages[history.data.pages.length - 1];
  return (
    <Page
      margin={
        selectedId !== null && (
          <RecordMargin id={selectedId} actions={actions} onClose={() => setParam({ record: null })} />
        )
      }
    >
      <h1 className="sr-only">Records</h1>
      <FilterField value={draft} directory={directory} zone={zone} onChange={setDraft} onSubmit={submit} />
      <div className="flex justify-between gap-4 pt-[5px] text-quiet">
        <span data-testid="reading" className="truncate">
          {parsed.ok ? (
            <>
              {readFilter(parsed.filter, (us) => dayMinute(us, zone))}{" "}
              {draft.trim() !== filter && <span className="text-ink">Enter applies it.</span>}
            </>
          ) : (
            <span className="text-vermilion">
              Column {parsed.error.span.start + 1}: {parsed.error.message}
            </span>
          )}
        </span>
        <button type="button" aria-pressed={live} onClick={() => setLive(!live)} className="shrink-0 text-fjord">
          {live ? "stop following" : "live"} <Kbd>l</Kbd>
        </button>
      </div>
      <div
        className="flex gap-3.5 overflow-hidden border-b border-line-strong pt-0.5 pb-2 text-[12.5px] whitespace-nowrap text-quiet"
        aria-live="polite"
      >
        {live ? (
          <>
            <span>{liveLines.connected ? "live: records as they are stored" : "live: connecting …"}</span>
            {liveLines.waiting > 0 && (
              <button
                type="button"
                className="text-fjord underline"
                onClick={() => {
                  document.querySelector('[aria-label="Records"][role="list"]')?.scrollTo({ top: 0 });
                  liveLines.catchUp();
                  setScrolledAway(false);
                }}
              >
                {liveLines.waiting.toLocaleString("en")} newer
              </button>
            )}
            {liveLines.notShown > 0 && (
              <b className="font-semibold text-ochre">
                {liveLines.notShown.toLocaleString("en")} more came than are listed
              </b>
            )}
          </>
        ) : (
          <>
            {counts.data && (
              <span data-testid="count">
                {counts.data.exact ? "" : "at least "}
                {counts.data.total.toLocaleString("en")} {counts.data.total === 1 ? "record" : "records"},{" "}
                {dayMinute(window.fromUs, zone)} – {window.following ? "now" : dayMinute(window.toUs, zone)}
                {counts.data.exact ? "" : ` (counted back to ${dayMinute(usOf(counts.data.coveredFrom), zone)})`}
              </span>
            )}
            {lastPage && (
              <span>
                {lastPage.segments} {lastPage.segments === 1 ? "segment" : "segments"} searched,{" "}
                {Math.round(lastPage.tookMs)} ms
              </span>
            )}
            {lastPage?.partial && (
              <button
                type="button"
                className="font-semibold text-ochre underline"
                onClick={() => void history.fetchNextPage()}
              >
                partial so far: search on
              </button>
            )}
          </>
        )}
      </div>
      {history.error && !live ? <Trouble error={history.error} what="The records cannot be shown" /> : null}
      {records.length === 0 && !history.isPending && !history.error ? (
        <Nothing
          filter={filter}
          live={live}
          onWiden={() => setWindow({ spanUs: 7 * 86_400e6, endUs: null })}
          onClear={() => submit("")}
        />
      ) : (
        <RecordList
          records={records}
          selectedId={selectedId}
          actions={actions}
          onSelect={select}
          onEnd={onEnd}
          onScrolledAway={setScrolledAway}
        />
      )}
    </Page>
  );
}

function Nothing({
  filter,
  live,
  onWiden,
  onClear,
}: {
  filter: string;
  live: boolean;
  onWiden: () => void;
  onClear: () => void;
}) {
  if (live)
    return (
      <EmptyState
        title="Listening; nothing that matches yet"
        text="Lines appear here as soon as a matching record is stored."
      />
    );
  if (filter !== "")
    return (
      <EmptyState
        title="Nothing in this window matches"
        text="The filter is understood as the sentence under it says. Records before or after the window on the rail are not looked at."
      >
        <button type="button" className="mr-4 text-fjord underline" onClick={onWiden}>
          Look at the last 7 days
        </button>
        <button type="button" className="text-fjord underline" onClick={onClear}>
          Take the filter away
        </button>
      </EmptyState>
    );
  return (
    <EmptyState title="No records in this window" text="Nothing has arrived whose time lies in the window on the rail.">
      <button type="button" className="mr-4 text-fjord underline" onClick={onWiden}>
        Look at the last 7 days
      </button>
      <a href="/intake">See what Halvik listens to</a>
    </EmptyState>
  );
}
