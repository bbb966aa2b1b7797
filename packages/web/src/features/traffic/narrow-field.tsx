import { parseFilter, readFilter, type SavedText } from "@halvik/core/query/filter";
import { useQuery } from "@tanstack/react-query";
import { useEffect, useMemo, useState } from "react";
import { savedFiltersQuery, type WindowParts } from "../../data/api";
import { useDirectory } from "../../data/use-directory";
import { useFieldValues } from "../../data/use-field-values";
import { FilterField } from "../../shared/filter-field";
import { TextButton } from "../../ui/button";
import { dayMinute } from "../../ui/time";

const NONE: readonly SavedText[] = [];

interface NarrowProps {
  readonly words: string;
  readonly window: WindowParts;
  readonly zone: string;
  readonly onChange: (words: string) => void;
}

/** The filter of Records, over flows: narrows everything on the page. */
export function NarrowField({ words, window, zone, onChange }: NarrowProps) {
  const [draft, setDraft] = useState(words);
  // what the address says when one goes back
  useEffect(() => setDraft(words), [words]);
  const directory = useDirectory();
  const saved = useQuery(savedFiltersQuery).data?.filters ?? NONE;
  const valuesOf = useFieldValues(window, zone);
  const parsed = useMemo(
    () => parseFilter(draft, { zone, saved, allowsAfter: true, ...(directory === null ? {} : { directory }) }),
    [draft, zone, saved, directory],
  );
  return (
    <div className="mt-1">
      <FilterField
        label="Only flows that match"
        placeholder="All flows. Narrow them with fields or words, such as: dst port is https and not src within 10.20.0.0/16"
        className="border border-line-strong bg-sheet [--filter-pad:3px] focus-within:outline-2 focus-within:outline-offset-1 focus-within:outline-fjord"
        value={draft}
        directory={directory}
        saved={saved}
        zone={zone}
        allowsAfter
        valuesOf={valuesOf}
        onChange={setDraft}
        onSubmit={(text) => parseFilter(text, { zone, saved, allowsAfter: true }).ok && onChange(text.trim())}
      />
      {!parsed.ok ? (
        <p className="text-ui text-vermilion">
          Column {parsed.error.span.start + 1}: {parsed.error.message}
        </p>
      ) : draft.trim() !== words ? (
        <p className="text-ui text-quiet">{readFilter(parsed.filter, (us) => dayMinute(us, zone))} Enter applies it.</p>
      ) : (
        words !== "" && (
          <p className="text-ui text-quiet">
            {readFilter(parsed.filter, (us) => dayMinute(us, zone))}
            <TextButton className="ml-2" onClick={() => onChange("")}>
              all flows
            </TextButton>
          </p>
        )
      )}
    </div>
  );
}
