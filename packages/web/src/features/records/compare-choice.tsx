import type { HistogramAnswer } from "@halvik/contract/records";
import { useQuery } from "@tanstack/react-query";
import { histogramQuery, type WindowParts } from "../../data/api";
import { COMPARISONS, type Comparison, comparisonLabel, difference } from "../../shared/compared-window";
import { TextButton } from "../../ui/button";
import { Menu, MenuItem } from "../../ui/menu";

interface CompareChoiceProps {
  readonly comparison: Comparison | null;
  /** The other window; null: nothing is compared. */
  readonly compared: WindowParts | null;
  readonly filter: string;
  readonly zone: string;
  /** The count of this window, as far as it is there. */
  readonly counts: HistogramAnswer | undefined;
  readonly onChange: (comparison: Comparison | null) => void;
}

/** The window that this one is compared with, and how many records there were then. */
export function CompareChoice({ comparison, compared, filter, zone, counts, onChange }: CompareChoiceProps) {
  const before = useQuery({
    ...histogramQuery(compared ?? { from: "", to: "" }, 1, filter, zone, "window", false),
    enabled: compared !== null,
  }).data;
  return (
    <>
      <Menu
        align="start"
        trigger={<TextButton>{comparison === null ? "compare with …" : comparisonLabel(comparison)}</TextButton>}
      >
        {COMPARISONS.map((c) => (
          <MenuItem key={c.name} onSelect={() => onChange(c.name)}>
            {c.label}
          </MenuItem>
        ))}
        {comparison !== null && <MenuItem onSelect={() => onChange(null)}>nothing</MenuItem>}
      </Menu>
      {compared !== null && (
        <span data-testid="compared" className="-ml-2">
          {before === undefined ? "counting …" : changeText(counts, before)}
        </span>
      )}
    </>
  );
}

function changeText(now: HistogramAnswer | undefined, before: HistogramAnswer): string {
  const there = `${before.exact ? "" : "at least "}${before.total.toLocaleString("en")}`;
  if (now === undefined || !now.exact || !before.exact) return there;
  if (now.total === before.total) return `${there}, as many`;
  const share = before.total === 0 ? "" : `, ${percent((now.total - before.total) / before.total)}`;
  return before.total === 0 ? there : `${there} (${difference(now.total, before.total)}${share})`;
}

const percent = (share: number): string => `${share < 0 ? "−" : "+"}${Math.abs(Math.round(share * 100))} %`;
