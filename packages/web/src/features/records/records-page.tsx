import type { RecordJson } from "@halvik/contract/records";
import { aftersOf, asksForNew } from "@halvik/core/query/filter";
import { useMemo, useState } from "react";
import { useNavigate } from "react-router";
import { useWindow } from "../../data/use-window";
import { isoOf, useView, usOf } from "../../data/view-store";
import { usePageKeys } from "../../navigation/keys";
import { readComparison } from "../../shared/compared-window";
import { usePinChoices } from "../../shared/pinning";
import { useBoardChoices } from "../../shared/put-on-board";
import { listOf, useAddress } from "../../shared/use-address";
import { Kbd, TextButton } from "../../ui/button";
import { Trouble } from "../../ui/empty-state";
import { Page } from "../../ui/page";
import { safeText } from "../../ui/safe-text";
import { Segments } from "../../ui/segments";
import { AnswerLine } from "./answer-line";
import { ColumnMenu } from "./column-menu";
import { CompareChoice } from "./compare-choice";
import { CompareMargin } from "./compare-margin";
import { ContrastView } from "./contrast/contrast-view";
import { CopyLink } from "./copy-link";
import { ExportMenu } from "./export-menu";
import { FilterBar, focusFilter } from "./filter-bar";
import { TEXT_COLUMN } from "./list-columns";
import { inOrder, readOrder, writeOrder } from "./list-order";
import { LiveLine } from "./live-line";
import { measureValue, readMeasure } from "./measure";
import { Nothing } from "./nothing";
import { PasteValues } from "./paste-values";
import { RecordList } from "./record-list";
import { isDecidable, policySearch, RecordMargin } from "./record-margin";
import { recordPins } from "./record-pins";
import { recordTiles } from "./record-tiles";
import { RIGHT_AFTER_US, RightAfter } from "./right-after";
import { SavedFilters } from "./saved-filters";
import { SeenLine } from "./seen-line";
import { ShapeMargin } from "./shapes/shape-margin";
import { ShapesView } from "./shapes/shapes-view";
import { useColumns } from "./use-columns";
import { useComparedWindow } from "./use-comparison";
import { useCounts } from "./use-counts";
import { useFilter } from "./use-filter";
import { useLive, useLiveKept } from "./use-records";
import { useSearch } from "./use-search";
import { useSelection } from "./use-selection";
import { readMatrix } from "./value-matrix";
import { ValueStrip } from "./value-strip";
import { type Pivot, type PivotActions, pivotOf } from "./values";

/** Ways to look at the records of a window: one line each, folded to what they say, or by what is different as against another time. */
const VIEWS = [
  { value: "lines", label: "lines" },
  { value: "shapes", label: "shapes" },
  { value: "changed", label: "what changed" },
] as const;
type View = (typeof VIEWS)[number]["value"];
const readView = (text: string | null): View => VIEWS.find((v) => v.value === text)?.value ?? "lines";

const AROUND_US = 60_000_000;
/** What folds records asks much of the server: with the clock it moves once a minute, so that an answer comes before the next question. */
const FOLDED_STEP_US = 60_000_000;
/** What the strip of values opens with. */
const DEFAULT_VALUES = "severity,sender";

/** Records: filter, reading, what the answer covers, one line a record, live or history. */
export function RecordsPage() {
  const [params, setParam] = useAddress();
  const window = useWindow();
  const foldedWindow = useWindow(FOLDED_STEP_US);
  const { zone, live: following, setLive, setWindow } = useView("zone", "live", "setLive", "setWindow");
  const [scrolledAway, setScrolledAway] = useState(false);
  const filter = params.get("filter") ?? "";
  const filtering = useFilter(filter, zone, setParam);
  const { asked, kind, submit, add, setDraft, applied } = filtering;
  // what came after something, and what is new, is asked of stored records only
  const canFollow = applied === null || (aftersOf(applied).length === 0 && asksForNew(applied) === null);
  const view = readView(params.get("view"));
  const inLines = view === "lines";
  const inShapes = view === "shapes";
  const live = following && canFollow && inLines;
  const search = useSearch(window, inLines ? asked : null, zone, live);
  const { loaded, lastPage, ofFilterBefore } = search;
  const liveLines = useLive(asked, zone, live, scrolledAway, loaded);
  const liveKept = useLiveKept(live, search.answeredAt);
  const found = live || liveKept ? liveLines.records : loaded;
  // lines first: counting and searching at once would share one processor
  const counts = useCounts(window, asked, zone, !live && (!inLines || search.isAnswered));
  const chosen = params.get("columns");
  const { columns, drawn, setColumns, setWidth } = useColumns(chosen, kind, found, setParam);
  const sort = params.get("sort");
  const order = useMemo(() => (live ? null : readOrder(sort)), [live, sort]);
  const records = useMemo(() => inOrder(found, drawn, order), [found, drawn, order]);
  const { selectedId, selected, marked, compared, select, move, mark } = useSelection(params, records, setParam);
  const comparison = live ? null : readComparison(params.get("compare"));
  const navigate = useNavigate();
  const otherWindow = useComparedWindow(comparison, window, zone);
  const by = params.get("by");
  const measure = useMemo(() => readMeasure(by), [by]);
  const seenText = params.get("seen");
  const openValues = listOf(params.get("values"));
  const toggleValues = () => setParam({ values: openValues.length > 0 ? null : DEFAULT_VALUES });

  const actions = useMemo<PivotActions>(
    () => ({
      only: (pivot: Pivot) => add(pivot.only),
      without: (pivot: Pivot) => add(`not ${pivot.only}`),
      around: (record: RecordJson) => {
        setWindow({ spanUs: 2 * AROUND_US, endUs: usOf(record.time) + AROUND_US });
        setParam({ filter: null, record: record.id });
        setDraft("");
      },
      rightAfter: (pivot: Pivot, record: RecordJson) => {
        const us = usOf(record.time);
        submit(`${pivot.only} and time between ${isoOf(us)} and ${isoOf(us + RIGHT_AFTER_US)}`);
      },
      show: (id: string) => setParam({ record: id }),
      seen: (pivot: Pivot) => setParam({ seen: pivot.only }),
    }),
    [add, submit, setParam, setWindow, setDraft],
  );
  useBoardChoices(useMemo(() => recordTiles(filter), [filter]));
  usePinChoices(
    recordPins({
      window: foldedWindow,
      filter: asked,
      zone,
      params,
      view,
      selectedId,
      records,
      marked: compared,
      counts: counts.answer,
    }),
  );
  /** What the views that fold records are of. */
  const folded = {
    window: foldedWindow,
    filter: asked,
    zone,
    params,
    setParam,
    onOnly: add,
    onWithout: (part: string) => add(`not ${part}`),
  };
  const lineKeys = {
    x: mark,
    j: () => move(1),
    k: () => move(-1),
    ArrowDown: () => move(1),
    ArrowUp: () => move(-1),
    Enter: () => selectedId === null && move(0),
    Escape: () => setParam(marked.length > 0 ? { marked: null } : { record: null }),
    w: () => selected && actions.only(pivotOf("sender", selected.sender.name)),
    o: () => selected && actions.without(pivotOf("sender", selected.sender.name)),
    y: () =>
      selected &&
      isDecidable(selected) &&
      void navigate({ pathname: "/traffic/policy", search: policySearch(selected) }),
  };
  const shapeId = inShapes && params.get("shape") !== null ? Number(params.get("shape")) : null;
  const setView = (to: View) =>
    setParam({ view: to === "lines" ? null : to, record: null, shape: null, marked: null, difference: null });
  const toLines = (part: string) => {
    setView("lines");
    add(part);
  };
  usePageKeys({
    "/": (e) => {
      e.preventDefault();
      focusFilter();
    },
    v: toggleValues,
    f: () => setView(inShapes ? "lines" : "shapes"),
    d: () => setView(view === "changed" ? "lines" : "changed"),
    l: () => canFollow && inLines && setLive(!live),
    // the other views have keys of their own
    ...(inLines ? lineKeys : {}),
  });
  const isNothing =
    records.length === 0 && !search.isPending && !search.error && lastPage?.partial !== true && !ofFilterBefore;
  return (
    <Page
      title={filter === "" ? "Records" : `${safeText(filter)} · Records`}
      opened={shapeId !== null || (inLines && (selectedId !== null || compared.length > 1))}
      margin={
        inShapes ? (
          shapeId !== null && (
            <ShapeMargin
              id={shapeId}
              window={foldedWindow}
              filter={asked ?? ""}
              zone={zone}
              onOnly={add}
              onWithout={folded.onWithout}
              onLines={toLines}
              onClose={() => setParam({ shape: null })}
            />
          )
        ) : !inLines ? null : compared.length > 1 ? (
          <CompareMargin records={compared} onClose={() => setParam({ marked: null })} />
        ) : (
          selectedId !== null && (
            <RecordMargin
              id={selectedId}
              filter={asked ?? ""}
              actions={actions}
              onLines={(record, part) => {
                setWindow({ spanUs: 2 * AROUND_US, endUs: usOf(record.time) + AROUND_US });
                submit(part);
              }}
              onClose={() => setParam({ record: null })}
            />
          )
        )
      }
    >
      <h1 className="sr-only">Records</h1>
      <FilterBar filter={filter} state={filtering} window={window} zone={zone} isRefused={search.error !== null}>
        <SavedFilters filter={filter} onPick={submit} />
        <PasteValues onAdd={add} />
        {filter !== "" && !live && <RightAfter filter={filter} onPick={submit} />}
        {inLines && <ColumnMenu columns={columns} chosen={chosen !== null} onChange={setColumns} />}
        <CopyLink fromUs={window.fromUs} toUs={window.toUs} zone={zone} />
        {!live && (
          <ExportMenu
            window={window}
            filter={filter}
            zone={zone}
            total={counts.answer?.exact ? counts.answer.total : null}
          />
        )}
        <TextButton aria-pressed={openValues.length > 0} onClick={toggleValues}>
          top values <Kbd>v</Kbd>
        </TextButton>
        {canFollow && inLines && (
          <TextButton aria-pressed={live} onClick={() => setLive(!live)}>
            {live ? "stop following" : "live"} <Kbd>l</Kbd>
          </TextButton>
        )}
      </FilterBar>
      <div
        className="flex flex-wrap gap-x-3.5 border-b border-line-strong pt-0.5 pb-2 text-code text-quiet"
        aria-live="polite"
      >
        <Segments label="View" value={view} onChange={setView} options={VIEWS} />
        {live ? (
          <LiveLine lines={liveLines} onTop={() => setScrolledAway(false)} />
        ) : (
          <AnswerLine
            window={window}
            zone={zone}
            counts={counts.answer}
            lastPage={lastPage}
            failed={search.error !== null}
            onCountOn={counts.countOn}
            searching={search.goesOn}
            onStop={search.stop}
            onSearchOn={search.searchOn}
          >
            {view !== "changed" && (
              <CompareChoice
                comparison={comparison}
                compared={otherWindow}
                filter={asked ?? ""}
                zone={zone}
                counts={counts.answer}
                onChange={(c) => setParam({ compare: c })}
              />
            )}
          </AnswerLine>
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
      {search.error ? <Trouble error={search.error} what="The records cannot be shown" /> : null}
      <div className="flex min-h-0 flex-1 max-wide:flex-none max-wide:flex-col">
        <div className="flex min-w-0 flex-1 flex-col">
          {inShapes ? (
            <ShapesView {...folded} />
          ) : view === "changed" ? (
            <ContrastView {...folded} onLines={toLines} />
          ) : isNothing ? (
            <Nothing filter={filter} window={window} zone={zone} live={live} onFilter={submit} />
          ) : (
            <RecordList
              records={records}
              // a filter with a mistake in it found nothing of this
              ofFilterBefore={ofFilterBefore || !filtering.parsed.ok}
              selectedId={selectedId}
              marked={marked}
              actions={actions}
              onSelect={select}
              onEnd={search.readOn}
              onScrolledAway={setScrolledAway}
              columns={drawn}
              order={order}
              onOrder={(o) => setParam({ sort: writeOrder(o) })}
              complete={!live && search.isComplete && records.length === found.length}
              header={chosen !== null || drawn[0]?.name !== TEXT_COLUMN}
              onWidth={setWidth}
            />
          )}
        </div>
        {openValues.length > 0 && (
          <ValueStrip
            window={window}
            compared={otherWindow}
            measure={measure}
            matrix={readMatrix(params.get("matrix"))}
            onMeasure={(m) => setParam({ by: m.by === "records" ? null : measureValue(m) })}
            onMatrix={(fields) => setParam({ matrix: fields === null ? null : fields.join("~") })}
            filter={asked ?? ""}
            zone={zone}
            open={openValues}
            onToggle={(field) => {
              const without = openValues.filter((f) => f !== field);
              setParam({ values: (openValues.includes(field) ? without : [...openValues, field]).join(",") });
            }}
            onOnly={add}
            onWithout={folded.onWithout}
          />
        )}
      </div>
    </Page>
  );
}
