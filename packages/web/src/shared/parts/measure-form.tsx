import { SENDER_TRAITS } from "@halvik/core/model/senders";
import {
  type AnyMeasure,
  addsUp,
  CLOCKS,
  type Figure,
  type Grouping,
  isOwn,
  MeasureAsked,
  type OF_NUMBERS,
  OWN_SOURCE_NAMES,
  OwnMeasure,
  type OwnSource,
  ownSource,
} from "@halvik/core/query/measure";
import { Checkbox } from "../../ui/checkbox";
import { Field, Input } from "../../ui/field";
import { Select, type SelectOption } from "../../ui/select";
import { VALUE_FIELDS } from "../value-fields";
import { WhichRecords } from "../which-records";
import { KeptMeasures } from "./kept-measures";
import { OrderAndRows } from "./order-and-rows";
import { OwnMeasureForm } from "./own-measure-form";

const FIGURES: readonly SelectOption[] = [
  { value: "records", label: "how many records" },
  { value: "distinct", label: "how many different values" },
  { value: "sum", label: "the sum" },
  { value: "average", label: "the average" },
  { value: "p50", label: "the median" },
  { value: "p95", label: "the 95th percentile" },
  { value: "p99", label: "the 99th percentile" },
  { value: "greatest", label: "the greatest" },
  { value: "least", label: "the least" },
  { value: "share", label: "which share of them" },
  { value: "ratio", label: "how many for each of others" },
  { value: "first seen", label: "how many values seen for the first time" },
];

/** A named value, chosen by writing its name. */
const NAMED = "a named value …";
const NOTHING = "";

const figureOf = (of: string, before: Figure): Figure => {
  if (of === "records") return { of };
  if (of === "share") return { of, filter: "outcome is failure" };
  if (of === "ratio") return { of, filter: "outcome is failure", to: "outcome is success" };
  if (of === "distinct" || of === "first seen")
    return { of, values: "values" in before ? before.values : { field: "src" } };
  return { of: of as (typeof OF_NUMBERS)[number], number: "number" in before ? before.number : { field: "bytes" } };
};

interface MeasureFormProps {
  readonly measure: AnyMeasure;
  /** By how many things it can be told apart. */
  readonly groups: 0 | 1 | 2;
  readonly onChange: (measure: AnyMeasure) => void;
}

const OF_RECORDS = "records";
const SOURCES: readonly SelectOption[] = [
  { value: OF_RECORDS, label: "records" },
  ...OWN_SOURCE_NAMES.map((value) => ({ value, label: value })),
];

/** Of what is measured, what, told apart by what, counted in what. */
export function MeasureForm({ measure, groups, onChange }: MeasureFormProps) {
  const begin = (source: string): AnyMeasure =>
    source === OF_RECORDS
      ? MeasureAsked.parse({ by: groups > 0 ? [{ field: "sender" }] : [] })
      : OwnMeasure.parse({ source, by: groups > 0 ? [ownSource(source as OwnSource).by[0]] : [] });
  return (
    <>
      <KeptMeasures measure={measure} onPick={(kept) => onChange(fitting(kept, groups))} />
      <Field label="Of what">
        {(id) => (
          <Select
            id={id}
            value={isOwn(measure) ? measure.source : OF_RECORDS}
            options={SOURCES}
            onChange={(source) => onChange(begin(source))}
            className="w-full"
          />
        )}
      </Field>
      {isOwn(measure) ? (
        <OwnMeasureForm measure={measure} groups={groups} onChange={onChange} />
      ) : (
        <RecordsMeasureForm measure={measure} groups={groups} onChange={onChange} />
      )}
      <Field label="Counted in" hint="empty: as it follows from what is measured">
        {(id) => (
          <Input
            id={id}
            maxLength={24}
            value={measure.unit ?? ""}
            onChange={(e) => {
              const { unit: _, ...rest } = measure;
              onChange((e.target.value === "" ? rest : { ...rest, unit: e.target.value }) as AnyMeasure);
            }}
          />
        )}
      </Field>
    </>
  );
}

/** A kept measure, told apart by as many things as there is room for, and by one where there must be one. */
function fitting(kept: AnyMeasure, groups: MeasureFormProps["groups"]): AnyMeasure {
  if (isOwn(kept)) {
    const by = groups === 0 ? [] : kept.by.length === 0 ? [ownSource(kept.source).by[0]!] : kept.by.slice(0, groups);
    return { ...kept, by };
  }
  const by: Grouping[] = groups === 0 ? [] : kept.by.length === 0 ? [{ field: "sender" }] : kept.by.slice(0, groups);
  return { ...kept, by };
}

interface RecordsFormProps {
  readonly measure: MeasureAsked;
  readonly groups: 0 | 1 | 2;
  readonly onChange: (measure: MeasureAsked) => void;
}

/** What is measured of records, of which of them, told apart by what. */
function RecordsMeasureForm({ measure, groups, onChange }: RecordsFormProps) {
  const { figure, by } = measure;
  const setBy = (at: number, grouping: Grouping | null) => {
    const next = [...by];
    if (grouping === null) next.splice(at);
    else next[at] = grouping;
    onChange({ ...measure, by: next });
  };
  return (
    <>
      <Field label="What">
        {(id) => (
          <Select
            id={id}
            value={figure.of}
            options={FIGURES}
            onChange={(of) => onChange({ ...measure, figure: figureOf(of, figure), perSecond: false })}
            className="w-full"
          />
        )}
      </Field>
      {"number" in figure && (
        <ValueChoice
          label="Of"
          fields={["bytes", "packets"]}
          value={figure.number}
          onChange={(number) => onChange({ ...measure, figure: { ...figure, number: number as typeof figure.number } })}
        />
      )}
      {"values" in figure && (
        <ValueChoice
          label="Of"
          fields={VALUE_FIELDS}
          value={figure.values}
          onChange={(values) => onChange({ ...measure, figure: { ...figure, values } })}
        />
      )}
      <WhichRecords
        about="Of which records"
        placeholder="empty: every record"
        value={measure.filter}
        onChange={(filter) => onChange({ ...measure, filter })}
      />
      {figure.of === "share" && (
        <WhichRecords
          about="The share of them that"
          placeholder="outcome is failure"
          value={figure.filter}
          onChange={(filter) => onChange({ ...measure, figure: { ...figure, filter } })}
        />
      )}
      {figure.of === "ratio" && (
        <>
          <WhichRecords
            about="How many of them that"
            placeholder="outcome is failure"
            value={figure.filter}
            onChange={(filter) => onChange({ ...measure, figure: { ...figure, filter } })}
          />
          <WhichRecords
            about="for each that"
            placeholder="outcome is success"
            value={figure.to}
            onChange={(to) => onChange({ ...measure, figure: { ...figure, to } })}
          />
        </>
      )}
      {groups > 0 && (
        <>
          <GroupChoice label="Told apart by" value={by[0] ?? null} needed onChange={(g) => setBy(0, g)} />
          {groups > 1 && by.length > 0 && (
            <GroupChoice label="and by" value={by[1] ?? null} needed={false} onChange={(g) => setBy(1, g)} />
          )}
          {groups > 1 && <OrderAndRows value={measure} onChange={(order) => onChange({ ...measure, ...order })} />}
        </>
      )}
      {addsUp(figure) && (
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

type ValueOf = { readonly field: string } | { readonly data: string };

/** A field of the table, or a named value by its name. */
function ValueChoice({
  label,
  fields,
  value,
  onChange,
}: {
  label: string;
  fields: readonly string[];
  value: ValueOf;
  onChange: (value: { field: string } | { data: string }) => void;
}) {
  return (
    <>
      <Field label={label}>
        {(id) => (
          <Select
            id={id}
            value={"field" in value ? value.field : NAMED}
            options={[...fields, NAMED]}
            onChange={(v) => onChange(v === NAMED ? { data: "" } : { field: v })}
            className="w-full"
          />
        )}
      </Field>
      {"data" in value && <NameOfValue name={value.data} onChange={(data) => onChange({ data })} />}
    </>
  );
}

const NameOfValue = ({ name, onChange }: { name: string; onChange: (name: string) => void }) => (
  <Field label="Its name" hint="as it stands in a record’s details, such as answer time">
    {(id) => <Input id={id} maxLength={256} value={name} onChange={(e) => onChange(e.target.value)} />}
  </Field>
);

const GROUPS: readonly SelectOption[] = [
  ...VALUE_FIELDS.map((f) => ({ value: `field ${f}`, label: f })),
  ...SENDER_TRAITS.map((t) => ({ value: `sender ${t}`, label: `${t} of the sender` })),
  ...CLOCKS.map((c) => ({ value: `clock ${c}`, label: c })),
  { value: "data", label: NAMED },
];

const keyOf = (g: Grouping | null): string =>
  g === null
    ? NOTHING
    : "field" in g
      ? `field ${g.field}`
      : "sender" in g
        ? `sender ${g.sender}`
        : "clock" in g
          ? `clock ${g.clock}`
          : "data";

function groupOf(key: string): Grouping | null {
  const [kind, ...rest] = key.split(" ");
  const name = rest.join(" ");
  if (kind === "field") return { field: name };
  if (kind === "sender") return { sender: name as (typeof SENDER_TRAITS)[number] };
  if (kind === "clock") return { clock: name as (typeof CLOCKS)[number] };
  return kind === "data" ? { data: "" } : null;
}

function GroupChoice({
  label,
  value,
  needed,
  onChange,
}: {
  label: string;
  value: Grouping | null;
  needed: boolean;
  onChange: (value: Grouping | null) => void;
}) {
  return (
    <>
      <Field label={label}>
        {(id) => (
          <Select
            id={id}
            value={keyOf(value)}
            options={needed ? GROUPS : [{ value: NOTHING, label: "nothing else" }, ...GROUPS]}
            onChange={(key) => onChange(groupOf(key))}
            className="w-full"
          />
        )}
      </Field>
      {value !== null && "data" in value && <NameOfValue name={value.data} onChange={(data) => onChange({ data })} />}
    </>
  );
}
