import type { RecordJson } from "@halvik/contract/records";
import { SAME_FIELDS } from "@halvik/core/query/filter";
import { TextButton } from "../../ui/button";
import { Menu, MenuItem, MenuLabel } from "../../ui/menu";
import { safeText } from "../../ui/safe-text";
import { fieldTexts } from "./field-texts";
import { type Pivot, pivotOf } from "./values";

/** How long after something is “right after” it. */
export const RIGHT_AFTER_US = 600_000_000;
const RIGHT_AFTER = "10 min";

interface RightAfterProps {
  readonly filter: string;
  readonly onPick: (filter: string) => void;
}

/** What came right after what the filter finds, by what the two have in common: a filter like any other. */
export const RightAfter = ({ filter, onPick }: RightAfterProps) => (
  <Menu trigger={<TextButton>right after</TextButton>}>
    <MenuLabel>What came within {RIGHT_AFTER} after these, with the same</MenuLabel>
    {SAME_FIELDS.map((field) => (
      <MenuItem key={field} onSelect={() => onPick(`same ${field} within ${RIGHT_AFTER} after (${filter})`)}>
        {field}
      </MenuItem>
    ))}
  </Menu>
);

/** The same for one record: by each of its values. */
export function RightAfterRecord({
  record,
  onPick,
}: {
  record: RecordJson;
  onPick: (pivot: Pivot, record: RecordJson) => void;
}) {
  const pivots = SAME_FIELDS.flatMap((field) => fieldTexts(record, field).map((text) => ({ field, text })));
  return (
    <Menu align="start" trigger={<TextButton>right after this</TextButton>}>
      <MenuLabel>What came within {RIGHT_AFTER} with the same</MenuLabel>
      {pivots.map(({ field, text }) => (
        <MenuItem key={`${field} ${text}`} onSelect={() => onPick(pivotOf(field, text), record)}>
          {field} <span className="font-mono">{safeText(text)}</span>
        </MenuItem>
      ))}
    </Menu>
  );
}
