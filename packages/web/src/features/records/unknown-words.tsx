import { dataNamesIn, type Filter, wordsIn, writtenValuesIn } from "@halvik/core/query/filter";
import { useQuery } from "@tanstack/react-query";
import { unknownWordsQuery } from "../../data/reading-queries";
import { safeText } from "../../ui/safe-text";

/** Which words of the filter, which events and which named values, stand in no record that is kept: whatever else it finds, they find nothing. */
export function UnknownWords({
  text,
  filter,
  zone,
}: {
  readonly text: string;
  /** Null: it cannot be read. */
  readonly filter: Filter | null;
  readonly zone: string;
}) {
  const has = filter !== null && [wordsIn, dataNamesIn, writtenValuesIn].some((partsOf) => partsOf(filter).length > 0);
  const { data } = useQuery({ ...unknownWordsQuery(text, zone), enabled: has });
  if (!has || data === undefined || data.unknown.length === 0) return null;
  return (
    <span role="status" className="text-ochre">
      In no record that is kept: <span className="font-mono">{safeText(data.unknown.join(", "))}</span>.
      {data.exists.length > 0 && (
        <>
          {" "}
          There are: <span className="font-mono">{safeText(data.exists.join(", "))}</span> …
        </>
      )}
    </span>
  );
}
