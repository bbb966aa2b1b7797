import type { Measure } from "@halvik/core/query/measure";
import { VALUE_FIELDS } from "../../shared/value-fields";
import { TextButton } from "../../ui/button";
import { Select } from "../../ui/select";
import { DataFields } from "./data-fields";
import { MEASURE_OPTIONS, measureValue, readMeasure } from "./measure";
import { ValueList } from "./value-list";
import { MATRIX_DEFAULT, ValueMatrix } from "./value-matrix";
import type { ValueScope } from "./value-scope";

interface ValueStripProps extends ValueScope {
  readonly open: readonly string[];
  /** Two fields seen together; null: none. */
  readonly matrix: readonly [rows: string, columns: string] | null;
  readonly onToggle: (field: string) => void;
  readonly onMeasure: (measure: Measure) => void;
  readonly onMatrix: (fields: readonly [rows: string, columns: string] | null) => void;
}

/** Values of fields in the records that match, with their counts: to see what there is, and to go on from it. */
export function ValueStrip({ open, matrix, onToggle, onMeasure, onMatrix, ...scope }: ValueStripProps) {
  const width = matrix !== null ? "w-[31.25rem]" : scope.compared !== null ? "w-[16.5rem]" : "w-[13.5rem]";
  return (
    <section
      aria-label="Top values"
      // biome-ignore lint/a11y/noNoninteractiveTabindex: what scrolls must be reached by keyboard
      tabIndex={0}
      className={`${width} shrink-0 overflow-y-auto border-l border-line pl-3 max-wide:w-full max-wide:border-t max-wide:border-l-0 max-wide:pl-0 text-code leading-[1.125rem]`}
    >
      <div className="flex items-center justify-between gap-2 border-b border-line py-[3px]">
        <Select
          label="Order values"
          value={measureValue(scope.measure)}
          onChange={(value) => onMeasure(readMeasure(value))}
          options={MEASURE_OPTIONS}
          className="text-small"
        />
        <TextButton onClick={() => onMatrix(matrix === null ? MATRIX_DEFAULT : null)}>
          {matrix === null ? "two fields" : "one field"}
        </TextButton>
      </div>
      {matrix !== null && <ValueMatrix {...scope} fields={matrix} onFields={onMatrix} />}
      {VALUE_FIELDS.map((field) => (
        <div key={field} className="border-b border-line py-[3px]">
          <button
            type="button"
            aria-expanded={open.includes(field)}
            onClick={() => onToggle(field)}
            className="flex w-full justify-between text-left hover:text-fjord"
          >
            <span className={open.includes(field) ? "font-semibold" : ""}>{field}</span>
            <span aria-hidden className="text-quiet">
              {open.includes(field) ? "−" : "+"}
            </span>
          </button>
          {open.includes(field) && <ValueList field={field} {...scope} />}
        </div>
      ))}
      <DataFields {...scope} />
    </section>
  );
}
