import { OF_NUMBERS, type OwnFigureOf, type OwnMeasure, ownAddsUp, ownSource } from "@halvik/core/query/measure";
import { useState } from "react";
import { Checkbox } from "../../ui/checkbox";
import { Field, Input } from "../../ui/field";
import { Select, type SelectOption } from "../../ui/select";
import { OrderAndRows } from "./order-and-rows";

const FIGURES: readonly SelectOption[] = [
  { value: "count", label: "how many" },
  { value: "sum", label: "the sum" },
  { value: "average", label: "the average" },
  { value: "p50", label: "the median" },
  { value: "p95", label: "the 95th percentile" },
  { value: "p99", label: "the 99th percentile" },
  { value: "greatest", label: "the greatest" },
  { value: "least", label: "the least" },
  { value: "share", label: "which share of them" },
];
const ALL = "";

interface OwnMeasureFormProps {
  readonly measure: OwnMeasure;
  /** By how many things it can be told apart. */
  readonly groups: 0 | 1 | 2;
  readonly onChange: (measure: OwnMeasure) => void;
}

/** What is measured of what Halvik writes down of itself. */
export function OwnMeasureForm({ measure, groups, onChange }: OwnMeasureFormProps) {
  const told = ownSource(measure.source);
  const numbers = Object.keys(told.numbers);
  const { figure, by } = measure;
  const figureOf = (of: string): OwnFigureOf => {
    if (of === "count") return { of };
    if (of === "share") return { of, only: [{ by: told.by[0]!, is: [] }] };
    return { of: of as (typeof OF_NUMBERS)[number], number: "number" in figure ? figure.number : numbers[0]! };
  };
  const known = FIGURES.filter(
    (f) => (told.figures?.includes(f.value) ?? true) && (numbers.length > 0 || !OF_NUMBERS.some((n) => n === f.value)),
  );
  const setBy = (at: number, name: string) =>
    onChange({ ...measure, by: [...by.slice(0, at), ...(name === ALL ? [] : [name])] });
  const only = told.only ?? told.by;
  const goes = (names: readonly string[]) => (told.refuses?.(names) ?? null) === null;
  return (
    <>
      <Field label="What">
        {(id) => (
          <Select
            id={id}
            value={figure.of}
            options={known}
            onChange={(of) => onChange(withFigure(measure, figureOf(of)))}
            className="w-full"
          />
        )}
      </Field>
      {"number" in figure && (
        <Field label="Of">
          {(id) => (
            <Select
              id={id}
              value={figure.number}
              options={numbers}
              onChange={(number) => onChange({ ...measure, figure: { ...figure, number } })}
              className="w-full"
            />
          )}
        </Field>
      )}
      <Only
        label="Only those whose"
        names={only}
        only={measure.only}
        onChange={(only) => onChange({ ...measure, only })}
      />
      {figure.of === "share" && (
        <Only
          label="The share of them whose"
          names={told.by}
          only={figure.only}
          needed
          onChange={(only) => onChange({ ...measure, figure: { ...figure, only } })}
        />
      )}
      {groups > 0 && (
        <>
          <Field label="Told apart by">
            {(id) => (
              <Select
                id={id}
                value={by[0] ?? ALL}
                options={told.by.filter((v) => goes([v]))}
                onChange={(v) => setBy(0, v)}
                className="w-full"
              />
            )}
          </Field>
          {groups > 1 && by.length > 0 && (
            <Field label="and by">
              {(id) => (
                <Select
                  id={id}
                  value={by[1] ?? ALL}
                  options={[
                    { value: ALL, label: "nothing else" },
                    ...told.by.filter((v) => goes([by[0]!, v])).map((value) => ({ value, label: value })),
                  ]}
                  onChange={(v) => setBy(1, v)}
                  className="w-full"
                />
              )}
            </Field>
          )}
          {groups > 1 && <OrderAndRows value={measure} onChange={(order) => onChange({ ...measure, ...order })} />}
        </>
      )}
      {ownAddsUp(measure) && told.isOfNow !== true && (
        <Checkbox
          checked={measure.perSecond}
          onChange={(perSecond) => onChange({ ...measure, perSecond })}
          className="mb-2 text-ui"
        >
          by the second
        </Checkbox>
      )}
    </>
  );
}

/** What does not add up is not told by the second. */
const withFigure = (measure: OwnMeasure, figure: OwnFigureOf): OwnMeasure => ({
  ...measure,
  figure,
  perSecond: measure.perSecond && ownAddsUp({ figure }),
});

type OnlyList = OwnMeasure["only"];

/** A value that entries must have; more of them stand in the report's file. */
function Only({
  label,
  names,
  only,
  needed = false,
  onChange,
}: {
  label: string;
  names: readonly string[];
  only: OnlyList;
  needed?: boolean;
  onChange: (only: OnlyList) => void;
}) {
  const first = only[0] ?? null;
  const set = (next: OnlyList[number] | null) => onChange([...(next === null ? [] : [next]), ...only.slice(1)]);
  return (
    <>
      <Field label={label}>
        {(id) => (
          <Select
            id={id}
            value={first?.by ?? ALL}
            options={[
              ...(needed ? [] : [{ value: ALL, label: "any" }]),
              ...names.map((value) => ({ value, label: value })),
            ]}
            onChange={(by) => set(by === ALL ? null : { by, is: first?.is ?? [] })}
            className="w-full"
          />
        )}
      </Field>
      {first !== null && <Values key={first.by} values={first.is} onChange={(is) => set({ ...first, is })} />}
    </>
  );
}

/** Values with commas between them, as they are written: one may be half written. */
function Values({ values, onChange }: { values: readonly string[]; onChange: (values: string[]) => void }) {
  const [text, setText] = useState(values.join(", "));
  return (
    <Field label="is" hint="one or several, with commas between them; empty: anything">
      {(id) => (
        <Input
          id={id}
          maxLength={2_000}
          value={text}
          onChange={(e) => {
            setText(e.target.value);
            onChange(e.target.value.split(",").flatMap((v) => (v.trim() === "" ? [] : [v.trim()])));
          }}
        />
      )}
    </Field>
  );
}
