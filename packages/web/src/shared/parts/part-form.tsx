import { STEPS } from "@halvik/core/base/time";
import { SEVERITIES } from "@halvik/core/model/record";
import { OWN_FIGURES, type OwnFigure, type Part } from "@halvik/core/report";
import { Checkbox } from "../../ui/checkbox";
import { Field, Input } from "../../ui/field";
import { CONTROL } from "../../ui/look";
import { Select } from "../../ui/select";
import { WhichRecords } from "../which-records";
import { MeasureForm } from "./measure-form";

/** The form of one part; every change is shown beside it. */
export function PartForm({ part, onChange }: { part: Part; onChange: (part: Part) => void }) {
  const title = "title" in part && (
    <Field label="Title">
      {(id) => (
        <Input
          id={id}
          maxLength={120}
          value={part.title}
          onChange={(e) => onChange({ ...part, title: e.target.value })}
        />
      )}
    </Field>
  );
  const compare = "compare" in part && (
    <Checkbox checked={part.compare} onChange={(on) => onChange({ ...part, compare: on })} className="mb-2 text-ui">
      beside the period before
    </Checkbox>
  );
  switch (part.is) {
    case "text":
      return (
        <Field label="Text" hint="Markdown: headings, lists, links">
          {(id) => (
            <textarea
              id={id}
              rows={12}
              maxLength={20_000}
              className={`${CONTROL} w-full font-mono text-code`}
              value={part.markdown}
              onChange={(e) => onChange({ ...part, markdown: e.target.value })}
            />
          )}
        </Field>
      );
    case "figure":
    case "bars":
    case "table":
      return (
        <>
          {title}
          <MeasureForm
            measure={part.measure}
            groups={part.is === "figure" ? 0 : 2}
            onChange={(measure) => onChange({ ...part, measure })}
          />
          {compare}
        </>
      );
    case "course":
    case "profile":
      return (
        <>
          {title}
          <MeasureForm
            measure={part.measure}
            groups={part.is === "course" ? 0 : 1}
            onChange={(measure) => onChange({ ...part, measure })}
          />
          <Field label="In steps of">
            {(id) => (
              <Select
                id={id}
                value={part.step}
                options={[{ value: "fitting", label: "what fits the period" }, ...STEPS]}
                onChange={(step) => onChange({ ...part, step: step as typeof part.step })}
                className="w-full"
              />
            )}
          </Field>
          {compare}
        </>
      );
    case "hours of the week":
      return (
        <>
          {title}
          <MeasureForm
            measure={{ ...part.measure, by: [], order: "most", top: 10 }}
            groups={0}
            onChange={({ by: _, order: __, top: ___, ...measure }) => onChange({ ...part, measure })}
          />
        </>
      );
    case "incidents":
      return (
        <>
          {title}
          <Field label="This or worse">
            {(id) => (
              <Select
                id={id}
                value={String(part.worst)}
                options={SEVERITIES.map((label, i) => ({ value: String(i), label }))}
                onChange={(v) => onChange({ ...part, worst: Number(v) })}
                className="w-full"
              />
            )}
          </Field>
          <Most value={part.most} most={100} onChange={(most) => onChange({ ...part, most })} />
          <Checkbox
            checked={part.stories}
            onChange={(stories) => onChange({ ...part, stories })}
            className="mb-2 text-ui"
          >
            with what happened, act by act
          </Checkbox>
        </>
      );
    case "records":
      return (
        <>
          {title}
          <WhichRecords
            about="Which records, the newest first"
            placeholder="empty: every record"
            value={part.filter}
            onChange={(filter) => onChange({ ...part, filter })}
          />
          <Most value={part.most} most={200} onChange={(most) => onChange({ ...part, most })} />
        </>
      );
    case "own figures":
      return (
        <>
          {title}
          <fieldset className="mb-2.5 text-ui">
            <legend className="text-quiet">Which figures</legend>
            {OWN_FIGURES.map((name) => (
              <Checkbox
                key={name}
                checked={part.figures.includes(name)}
                onChange={(on) => onChange({ ...part, figures: toggled(part.figures, name, on) })}
              >
                {name}
              </Checkbox>
            ))}
          </fieldset>
          {compare}
        </>
      );
  }
}

/** In the order in which they are listed. */
const toggled = (chosen: readonly OwnFigure[], name: OwnFigure, on: boolean): OwnFigure[] =>
  OWN_FIGURES.filter((f) => (f === name ? on : chosen.includes(f)));

const Most = ({ value, most, onChange }: { value: number; most: number; onChange: (n: number) => void }) => (
  <Field label="How many at most" hint={`1 to ${most}`}>
    {(id) => (
      <Input
        id={id}
        inputMode="numeric"
        value={value === 0 ? "" : String(value)}
        onChange={(e) => onChange(Math.min(most, Number(e.target.value.replace(/\D/g, "")) || 0))}
      />
    )}
  </Field>
);
