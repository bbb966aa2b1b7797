import type { RecordJson } from "@halvik/contract/records";
import { Button } from "../../ui/button";
import { safeText } from "../../ui/safe-text";

/** Parts of a record that are made for screens, or differ between any two. */
const LEFT_OUT = new Set(["id", "entities", "named", "sentence", "next"]);

/** Records side by side, field by field; what differs stands out. */
export function CompareMargin({ records, onClose }: { records: readonly RecordJson[]; onClose: () => void }) {
  const columns = records.map(flattened);
  const fields = [...new Set(columns.flatMap((c) => [...c.keys()]))];
  const differs = (field: string) => new Set(columns.map((c) => c.get(field) ?? "")).size > 1;
  const shown = [...fields.filter(differs), ...fields.filter((f) => !differs(f))];
  return (
    <>
      <div className="flex items-start justify-between gap-2">
        <h2 className="text-title leading-6 font-semibold">{records.length} records side by side</h2>
        <Button onClick={onClose} aria-label="Close the comparison" shortcut="Esc" />
      </div>
      <p className="mb-2 text-ui text-quiet">
        {fields.filter(differs).length} of {fields.length} fields differ; they come first.
      </p>
      <table className="w-full table-fixed text-code leading-[1.0625rem]">
        <tbody>
          {shown.map((field) => (
            <tr key={field} className="border-t border-line align-top">
              <th scope="row" className="w-[5.25rem] py-0.5 pr-2 text-left font-normal break-words text-quiet">
                {safeText(field)}
              </th>
              {columns.map((c, i) => (
                <td
                  key={i}
                  className={`py-0.5 pr-2 font-mono break-words ${differs(field) ? "bg-ochre-wash font-semibold" : ""}`}
                >
                  {c.has(field) ? safeText(c.get(field)!) : <span className="font-sans text-quiet">none</span>}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}

const inWords = (name: string): string => name.replace(/([a-z])([A-Z])/g, "$1 $2").toLowerCase();

/** Every value of a record by its name, lists joined, parts by their path. */
function flattened(record: RecordJson): Map<string, string> {
  const out = new Map<string, string>();
  const put = (path: string, value: unknown): void => {
    if (value === null || value === undefined) return;
    if (Array.isArray(value)) out.set(path, value.map(String).join(", "));
    else if (typeof value === "object")
      for (const [name, inner] of Object.entries(value)) put(path === "" ? name : `${path} ${name}`, inner);
    else out.set(path, String(value));
  };
  for (const [name, value] of Object.entries(record)) {
    if (name === "sender") put("sender", record.sender.name);
    else if (name === "data") for (const [n, v] of record.data ?? []) put(n, v);
    else if (!LEFT_OUT.has(name)) put(inWords(name), value);
  }
  return out;
}
