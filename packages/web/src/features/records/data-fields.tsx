import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { dataFieldsQuery } from "../../data/reading-queries";
import { safeText } from "../../ui/safe-text";
import { Tooltip } from "../../ui/tooltip";
import { ValueList } from "./value-list";
import type { ValueScope } from "./value-scope";

/** The named values that the records carry beyond the common fields, each with what its values are; opened, their values. */
export function DataFields(scope: ValueScope) {
  const [isOpen, setOpen] = useState(false);
  const [opened, setOpened] = useState<readonly string[]>([]);
  const { window, filter, zone } = scope;
  const { data, error } = useQuery({ ...dataFieldsQuery(window, filter, zone), enabled: isOpen });
  const toggle = (name: string) =>
    setOpened(opened.includes(name) ? opened.filter((o) => o !== name) : [...opened, name]);
  const mark = (shown: boolean) => (
    <span aria-hidden className="text-quiet">
      {shown ? "−" : "+"}
    </span>
  );
  return (
    <section aria-label="Named values">
      <button
        type="button"
        aria-expanded={isOpen}
        onClick={() => setOpen(!isOpen)}
        className="flex w-full justify-between border-b border-line py-[3px] text-left hover:text-fjord"
      >
        <span className={isOpen ? "font-semibold" : ""}>named values</span>
        {mark(isOpen)}
      </button>
      {isOpen && error && <p className="text-vermilion">{safeText(error.message)}</p>}
      {isOpen && data && (
        <p className="text-quiet">
          {data.fields.length === 0
            ? "none of these records has one"
            : `of the ${data.isAll ? "" : "newest "}${data.looked.toLocaleString("en")} records`}
        </p>
      )}
      {isOpen &&
        data?.fields.map((f) => (
          <div key={f.name} className="border-b border-line py-[3px] pl-2">
            <Tooltip text={`${f.type}, such as ${safeText(f.example)}`}>
              <button
                type="button"
                aria-expanded={opened.includes(f.name)}
                onClick={() => toggle(f.name)}
                className="flex w-full justify-between gap-2 text-left hover:text-fjord"
              >
                <span className={`truncate font-mono text-small ${opened.includes(f.name) ? "font-semibold" : ""}`}>
                  {safeText(f.name)}
                </span>
                <span className="shrink-0 text-small text-quiet">
                  {f.type} {mark(opened.includes(f.name))}
                </span>
              </button>
            </Tooltip>
            {opened.includes(f.name) && <ValueList field="data" name={f.name} {...scope} />}
          </div>
        ))}
      {isOpen && data && data.others > 0 && <p className="text-quiet">and {data.others} names more</p>}
    </section>
  );
}
