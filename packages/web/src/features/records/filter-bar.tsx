import { formatDuration } from "@halvik/core/base/time";
import { type Filter, readFilter } from "@halvik/core/query/filter";
import { type ReactNode, useState } from "react";
import type { WindowParts } from "../../data/api";
import { useFieldValues } from "../../data/use-field-values";
import { bounds, isoOf, MOST_SPAN_US, useView, useViewStore } from "../../data/view-store";
import { FilterField } from "../../shared/filter-field";
import { TextButton } from "../../ui/button";
import { dayMinute } from "../../ui/time";
import { DraftPreview } from "./draft-preview";
import { FilterForm } from "./filter-form";
import { isCutBy, windowOf } from "./filter-time";
import { UnknownWords } from "./unknown-words";
import type { FilterState } from "./use-filter";

/** A preview of what follows the clock is asked again in steps of this. */
const STEP_US = 30_000_000;

interface FilterBarProps {
  readonly filter: string;
  readonly state: FilterState;
  readonly window: WindowParts;
  readonly zone: string;
  /** Whether the search was refused: what is wrong with it is said in place of its records. */
  readonly isRefused: boolean;
  /** What can be done with the answer. */
  readonly children: ReactNode;
}

/** The filter, written or built, with how it is read and what can be done. */
export function FilterBar({ filter, state, window, zone, isRefused, children }: FilterBarProps) {
  const { draft, setDraft, submit, parsed, context, directory, saved } = state;
  const [building, setBuilding] = useState(false);
  const valuesOf = useFieldValues(window, zone);
  // where the page will look once it is applied
  const stretch = useViewStore((s) => s.window);
  const nowUs = useViewStore((s) => Math.ceil(s.nowUs / STEP_US) * STEP_US);
  const wanted = parsed.ok ? windowOf(parsed.filter, stretch, nowUs) : null;
  const own = wanted === null ? null : bounds(wanted, nowUs);
  const previewed = own === null ? null : { from: isoOf(own.fromUs), to: isoOf(own.toUs) };
  return (
    <>
      <div id="filter-field">
        <FilterField
          label="Filter"
          placeholder="Every record. Filter with fields or words, such as: severity at least error and not app is cron"
          className="border border-b-2 border-line-strong border-b-ink bg-sheet focus-within:outline-2 focus-within:outline-offset-1 focus-within:outline-fjord"
          value={draft}
          directory={directory}
          saved={saved}
          zone={zone}
          allowsAfter
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
      {/* a reading that has no room beside the actions has a line of its own */}
      <div className="flex flex-wrap justify-between gap-x-4 pt-[5px] text-quiet">
        <span data-testid="reading" className="max-h-15 max-w-full overflow-y-auto wrap-anywhere">
          {parsed.ok ? (
            <>
              {readFilter(parsed.filter, (us) => dayMinute(us, zone))}{" "}
              {draft.trim() !== filter ? (
                <DraftPreview
                  draft={draft.trim()}
                  window={previewed ?? window}
                  ofItsOwn={previewed !== null}
                  zone={zone}
                />
              ) : (
                <>
                  <BeyondWindow filter={state.applied} />{" "}
                  {!isRefused && <UnknownWords text={filter} filter={state.applied} zone={zone} />}
                </>
              )}
            </>
          ) : (
            <span className="text-vermilion">
              Column {parsed.error.span.start + 1}: {parsed.error.message}
            </span>
          )}
        </span>
        <span className="relative ml-auto flex flex-wrap gap-x-3.5">
          <TextButton aria-expanded={building} onClick={() => setBuilding(!building)}>
            as a form
          </TextButton>
          {children}
        </span>
      </div>
    </>
  );
}

/** Says when the window shows less than the filter's own times ask for, and widens it. */
function BeyondWindow({ filter }: { filter: Filter | null }) {
  const { window, nowUs, setWindow } = useView("window", "nowUs", "setWindow");
  if (filter === null || !isCutBy(window, filter, nowUs)) return null;
  const wanted = windowOf(filter, window, nowUs)!;
  return (
    <span className="text-ochre">
      The window shows only part of that time
      {window.spanUs >= MOST_SPAN_US ? (
        `: it is ${formatDuration(MOST_SPAN_US)} at most.`
      ) : (
        <>
          .{" "}
          <TextButton className="underline" onClick={() => setWindow(wanted)}>
            Show all of it
          </TextButton>
        </>
      )}
    </span>
  );
}

/** Puts the cursor into the filter. */
export const focusFilter = (): void => document.querySelector<HTMLElement>("#filter-field .cm-content")?.focus();
