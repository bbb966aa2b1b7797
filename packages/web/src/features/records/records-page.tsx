import type { RecordJson } from "@halvik/contract";
import { type ParseContext, parseFilter, readFilter, type SavedText } from "@halvik/core/query/filter";
import { useQuery } from "@tanstack/react-query";
import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import { useSearchParams } from "react-router";
import { savedFiltersQuery, sendersQuery } from "../../data/api";
import { toDirectory } from "../../data/to-directory";
import { stopOffering, useFieldValues } from "../../data/use-field-values";
import { useWindow } from "../../data/use-window";
import { useViewStore, usOf } from "../../data/view-store";
import { usePageKeys } from "../../navigation/keys";
import { FilterField } from "../../shared/filter-field";
import { Kbd } from "../../ui/button";
import { Trouble } from "../../ui/empty-state";
import { Page } from "../../ui/page";
import { dayMinute } from "../../ui/time";
import { AnswerLine } from "./answer-line";
import { ColumnMenu } from "./column-menu";
import { type ChosenColumn, readColumns, rememberColumns, rememberedColumns, writeColumns } from "./columns";
import { CompareMargin } from "./compare-margin";
import { DraftPreview } from "./draft-preview";
import { ExportMenu } from "./export-menu";
import { FilterForm } from "./filter-form";
import { columnsOf, isColumn, onlyKind, TEXT_COLUMN, usualColumns } from "./list-columns";
import { Nothing } from "./nothing";
import { rememberFilter } from "./recent-filters";
import { RecordList } from "./record-list";
import { RecordMargin } from "./record-margin";
import { SavedFilters } from "./saved-filters";
import { SeenLine } from "./seen-line";
import { useCounts } from "./use-counts";
import { useHistory, useLive, useLiveKept } from "./use-records";
import { ValueStrip } from "./value-strip";
import { type Pivot, type PivotActions, pivotOf } from "./values";

const AROUND_US = 60_000_000;
const MOST_COMPARED = 4;
/** Lines after which a search that takes long waits to be told to go on. */
const ENOUGH = 100;
/** What the strip of values opens with. */
const DEFAULT_VALUES = "severity,sender";
const NO_FILTERS: readonly SavedText[] = [];

const listOf = (text: string | null): string[] => (text ?? "").split(",").filter((v) => v !== "");

/** What the address says now, whether rendered yet or not. */
const addressed = (name: string): string | null => new URLSearchParams(location.search).get(name);

/** Records: filter, reading, what the answer covers, one line a record, live or history. */
export function RecordsPage() {
  const [params, setParams] = useSearchParams();
  const window = useWindow();
  const { zone, live, setLive, setWindow } = useViewStore();
  const filter = params.get("filter") ?? "";
  const selectedId = params.get("record");
  const [draft, setDraft] = useState(filter);
  const [building, setBuilding] = useState(false);
  const [scrolledAway, setScrolledAway] = useState(false);
  const senders = useQuery(sendersQuery);
  const directory = useMemo(() => (senders.data ? toDirectory(senders.data.senders) : null), [senders.data]);
  const saved = useQuery(savedFiltersQuery).data?.filters ?? NO_FILTERS;
  // names are checked once the senders are known
  const context = useMemo<ParseContext>(
    () => (directory === null ? { zone, saved } : { zone, saved, directory }),
    [directory, saved, zone],
  );
  const parsed = useMemo(() => parseFilter(draft, context), [draft, context]);
  const applied = useMemo(() => parseFilter(filter, { zone, saved }), [filter, zone, saved]);
  const kind = applied.ok ? onlyKind(applied.filter) : null;
  const asked = applied.ok ? filter : null;
  const history = useHistory(window, asked, zone, live);
  const loaded = useMemo(() => history.data?.pages.flatMap((p) => p.records) ?? [], [history.data]);
  const liveLines = useLive(asked, zone, live, scrolledAway, loaded);
  const liveKept = useLiveKept(live, history.isPlaceholderData ? 0 : history.dataUpdatedAt);
  const records = live || liveKept ? liveLines.records : loaded;
  // lines first: counting and searching at once would share one processor
  const isAnswered = history.data !== undefined && !history.isPlaceholderData;
  const counts = useCounts(window, asked, zone, !live && isAnswered);
  const marked = listOf(params.get("marked"));
  const seenText = params.get("seen");
  const openValues = listOf(params.get("values"));

  const setParam = useCallback(
    (changes: Readonly<Record<string, string | null>>) => {
      // the address itself, not the last rendering's: keys may come faster than pages
      const next = new URLSearchParams(location.search);
      for (const [name, value] of Object.entries(changes)) {
        if (value === null || value === "") next.delete(name);
        else next.set(name, value);
      }
      setParams(next);
    },
    [setParams],
  );
  const submit = useCallback(
    (text: string) => {
      setDraft(text);
      const next = parseFilter(text, { zone, saved });
      if (!next.ok) return;
      rememberFilter(text.trim());
      stopOffering();
      // another kind of record has columns of its own
      const sameKind = onlyKind(next.filter) === kind;
      setParam({ filter: text.trim(), ...(sameKind ? {} : { columns: null }) });
    },
    [setParam, zone, saved, kind],
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
      seen: (pivot: Pivot) => setParam({ seen: pivot.only }),
    }),
    [add, setParam, setWindow],
  );
  const chosen = params.get("columns");
  // while the answer to a new filter is on its way, the lines are still those of the one before
  const shownKind = records.every((r) => r.kind === kind) ? kind : null;
  const columns = useMemo(() => readColumns(chosen, isColumn) ?? usualColumns(shownKind), [chosen, shownKind]);
  const drawn = useMemo(() => columnsOf(columns), [columns]);
  const setColumns = useCallback(
    (next: readonly ChosenColumn[] | null) => {
      const text = next === null ? null : writeColumns(next);
      rememberColumns(kind, text);
      setParam({ columns: text });
    },
    [kind, setParam],
  );
  const onWidth = useCallback(
    (name: string, width: number | null) => setColumns(columns.map((c) => (c.name === name ? { name, width } : c))),
    [columns, setColumns],
  );
  useEffect(() => {
    // what was chosen before on this machine; in the address, so that a link carries it
    const remembered = rememberedColumns(kind);
    if (addressed("columns") === null && remembered !== null) setParam({ columns: remembered });
  }, [kind, setParam]);
  const valuesOf = useFieldValues(window, zone);
  const select = useCallback((record: RecordJson) => setParam({ record: record.id }), [setParam]);
  const move = (by: number) => {
    const at = records.findIndex((r) => r.id === addressed("record"));
    const next = records[at < 0 ? 0 : Math.min(Math.max(at + by, 0), records.length - 1)];
    if (next) select(next);
  };
  const mark = () => {
    const id = addressed("record");
    if (id === null) return;
    const before = listOf(addressed("marked"));
    const next = before.includes(id) ? before.filter((m) => m !== id) : [...before, id].slice(-MOST_COMPARED);
    setParam({ marked: next.join(",") });
  };
  const compared = marked.flatMap((id) => records.find((r) => r.id === id) ?? []);
  const selected = records.find((r) => r.id === selectedId);
  usePageKeys({
    "/": (e) => {
      e.preventDefault();
      focusFilter();
    },
    x: mark,
    v: () => setParam({ values: openValues.length > 0 ? null : DEFAULT_VALUES }),
    l: () => setLive(!live),
    j: () => move(1),
    k: () => move(-1),
    ArrowDown: () => move(1),
    ArrowUp: () => move(-1),
    Enter: () => selectedId === null && move(0),
    Escape: () => setParam(marked.length > 0 ? { marked: null } : { record: null }),
    w: () => selected && actions.only(pivotOf("sender", selected.sender.name)),
    o: () => selected && actions.without(pivotOf("sender", selected.sender.name)),
  });
  const { hasNextPage, isFetchingNextPage, fetchNextPage } = history;
  const onEnd = useCallback(() => {
    if (!live && hasNextPage && !isFetchingNextPage) void fetchNextPage();
  }, [live, hasNextPage, isFetchingNextPage, fetchNextPage]);

  const newestPage = history.data?.pages[history.data.pages.length - 1];
  const lastPage = newestPage?.filter === asked ? newestPage : undefined;
  const ofFilterBefore = !live && asked !== null && newestPage !== undefined && lastPage === undefined;
  const searchKey = `${window.from} ${window.to} ${filter}`;
  const [stoppedKey, setStoppedKey] = useState("");
  const goesOn = !live && lastPage?.partial === true && loaded.length < ENOUGH && stoppedKey !== searchKey;
  useEffect(() => {
    // an answer that ran out of time is only the beginning: the search goes on until there is a page to read
    if (goesOn && hasNextPage && !isFetchingNextPage) void fetchNextPage();
  }, [goesOn, hasNextPage, isFetchingNextPage, fetchNextPage]);
  return (
    <Page
      margin={
        compared.length > 1 ? (
          <CompareMargin records={compared} onClose={() => setParam({ marked: null })} />
        ) : (
          selectedId !== null && (
            <RecordMargin id={selectedId} actions={actions} onClose={() => setParam({ record: null })} />
          )
        )
      }
    >
      <h1 className="sr-only">Records</h1>
      <div id="filter-field">
        <FilterField
          label="Filter"
          placeholder="Every record. Filter with fields or words, such as: severity at least error and not app is cron"
          className="border border-b-2 border-line-strong border-b-ink bg-sheet"
          value={draft}
          directory={directory}
          saved={saved}
          zone={zone}
          valuesOf={valuesOf}
          onChange={setDraft}
          onSubmit={submit}
        />
      </div>
      {building && (
        <FilterForm
          text={draft}
          context={context}
          valuesOf={valuesOf}
          onChange={setDraft}
          onApply={() => submit(draft)}
          onClose={() => setBuilding(false)}
        />
      )}
      <div className="flex justify-between gap-4 pt-[5px] text-quiet">
        <span data-testid="reading" className="truncate">
          {parsed.ok ? (
            <>
              {readFilter(parsed.filter, (us) => dayMinute(us, zone))}{" "}
              {draft.trim() !== filter && <DraftPreview draft={draft.trim()} window={window} zone={zone} />}
            </>
          ) : (
            <span className="text-vermilion">
              Column {parsed.error.span.start + 1}: {parsed.error.message}
            </span>
          )}
        </span>
        <span className="relative flex shrink-0 gap-3.5">
          <button type="button" aria-expanded={building} onClick={() => setBuilding(!building)} className="text-fjord">
            as a form
          </button>
          <SavedFilters filter={filter} onPick={submit} />
          <ColumnMenu columns={columns} chosen={chosen !== null} onChange={setColumns} />
          {!live && <ExportMenu window={window} filter={filter} zone={zone} />}
          <button
            type="button"
            aria-pressed={openValues.length > 0}
            onClick={() => setParam({ values: openValues.length > 0 ? null : DEFAULT_VALUES })}
            className="text-fjord"
          >
            values <Kbd>v</Kbd>
          </button>
          <button type="button" aria-pressed={live} onClick={() => setLive(!live)} className="text-fjord">
            {live ? "stop following" : "live"} <Kbd>l</Kbd>
          </button>
        </span>
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
          <AnswerLine
            window={window}
            zone={zone}
            counts={counts.answer}
            lastPage={lastPage}
            onCountOn={counts.countOn}
            searching={goesOn}
            onStop={() => setStoppedKey(searchKey)}
            onSearchOn={() => {
              setStoppedKey("");
              void fetchNextPage();
            }}
          />
        )}
      </div>
      {seenText !== null && (
        <SeenLine
          what={seenText}
          zone={zone}
          onGo={(us, id) => {
            setWindow({ spanUs: 2 * AROUND_US, endUs: us + AROUND_US });
            setParam({ record: id });
          }}
          onClose={() => setParam({ seen: null })}
        />
      )}
      {history.error && !live ? <Trouble error={history.error} what="The records cannot be shown" /> : null}
      <div className="flex min-h-0 flex-1">
        <div className="flex min-w-0 flex-1 flex-col">
          {records.length === 0 &&
          !history.isPending &&
          !history.error &&
          lastPage?.partial !== true &&
          !ofFilterBefore ? (
            <Nothing filter={filter} window={window} zone={zone} live={live} onFilter={submit} />
          ) : (
            <RecordList
              records={records}
              ofFilterBefore={ofFilterBefore}
              selectedId={selectedId}
              marked={marked}
              actions={actions}
              onSelect={select}
              onEnd={onEnd}
              onScrolledAway={setScrolledAway}
              columns={drawn}
              header={chosen !== null || drawn[0]?.name !== TEXT_COLUMN}
              onWidth={onWidth}
            />
          )}
        </div>
        {openValues.length > 0 && (
          <ValueStrip
            window={window}
            filter={asked ?? ""}
            zone={zone}
            open={openValues}
            onToggle={(field) =>
              setParam({
                values: (openValues.includes(field)
                  ? openValues.filter((f) => f !== field)
                  : [...openValues, field]
                ).join(","),
              })
            }
            onOnly={add}
            onWithout={(part) => add(`not ${part}`)}
          />
        )}
      </div>
    </Page>
  );
}

/** Puts the cursor into the filter. */
const focusFilter = (): void => document.querySelector<HTMLElement>("#filter-field .cm-content")?.focus();
