import type { SavedText } from "@halvik/core/query/filter";
import { useDirectory } from "../data/use-directory";
import { useViewStore } from "../data/view-store";
import { CONTROL } from "../ui/look";
import { FilterField } from "./filter-field";

const NO_VALUES = () => Promise.resolve([]);
const NO_FILTERS: readonly SavedText[] = [];

/** Which records something is for, in a form: a filter that is decided about on arrival, without saved ones. */
export function WhichRecords({
  about,
  placeholder,
  value,
  onChange,
}: {
  about: string;
  placeholder: string;
  value: string;
  onChange: (filter: string) => void;
}) {
  const directory = useDirectory();
  const zone = useViewStore((s) => s.zone);
  return (
    <div>
      <p className="mb-1 text-ui text-quiet">{about}</p>
      <FilterField
        label="Which records"
        placeholder={placeholder}
        className={`${CONTROL} w-full bg-sheet px-0 py-0 [--filter-pad:4px]`}
        value={value}
        directory={directory}
        saved={NO_FILTERS}
        zone={zone}
        valuesOf={NO_VALUES}
        onChange={onChange}
        onSubmit={onChange}
      />
    </div>
  );
}
