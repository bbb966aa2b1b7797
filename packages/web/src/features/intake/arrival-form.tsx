import type { ArrivalPreview } from "@halvik/contract/arrival";
import { ArrivalRule } from "@halvik/core/arrive";
import { bytesText } from "@halvik/core/meaning/sentence";
import { CATEGORIES, SEVERITIES } from "@halvik/core/model/record";
import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Controller, useForm } from "react-hook-form";
import { Link } from "react-router";
import { request } from "../../data/api";
import { forwardsQuery } from "../../data/intake-queries";
import { useViewStore, usOf } from "../../data/view-store";
import { WhichRecords } from "../../shared/which-records";
import { Button } from "../../ui/button";
import { Field, Input } from "../../ui/field";
import { CheckField, SelectField } from "../../ui/form";
import { safeText } from "../../ui/safe-text";
import { clockMs } from "../../ui/time";

interface Values {
  name: string;
  filter: string;
  does: "mark" | "keep" | "drop";
  keepDays: string;
  severity: string;
  category: string;
  tag: string;
  site: string;
  expected: boolean;
  forward: string;
}

const DOES = [
  { value: "drop", label: "drop it" },
  { value: "keep", label: "keep it, ask no further rule" },
  { value: "mark", label: "mark it, and ask the next rule" },
];
const SEVERITY = [
  { value: "", label: "as it came" },
  ...SEVERITIES.map((name, i) => ({ value: `to ${i}`, label: `${i} ${name}` })),
  { value: "by -1", label: "one step more severe" },
  { value: "by 1", label: "one step less severe" },
];
const CATEGORY = [{ value: "", label: "as it came" }, ...CATEGORIES.map((c) => ({ value: c, label: c }))];

const valuesOf = (rule: Partial<ArrivalRule> | null): Values => ({
  name: rule?.name ?? "",
  filter: rule?.filter ?? "",
  does: rule?.does ?? "drop",
  keepDays: String(rule?.keepDays ?? ""),
  severity: rule?.severity == null ? "" : "to" in rule.severity ? `to ${rule.severity.to}` : `by ${rule.severity.by}`,
  category: rule?.category ?? "",
  tag: rule?.tag ?? "",
  site: rule?.site ?? "",
  expected: rule?.expected ?? false,
  forward: String(rule?.forward ?? ""),
});

function ruleOf(v: Values): unknown {
  const forward = v.forward === "" ? null : Number(v.forward);
  const base = { name: v.name.trim(), filter: v.filter.trim(), does: v.does, forward };
  if (v.does === "drop") return base;
  const [how, n] = v.severity.split(" ");
  return {
    ...base,
    keepDays: v.keepDays === "" ? null : Number(v.keepDays),
    severity: v.severity === "" ? null : how === "to" ? { to: Number(n) } : { by: Number(n) },
    category: v.category === "" ? null : v.category,
    tag: v.tag.trim() === "" ? null : v.tag.trim(),
    site: v.site.trim() === "" ? null : v.site.trim(),
    expected: v.expected,
  };
}

interface ArrivalFormProps {
  readonly rule: ArrivalRule | null;
  /** Days that may be chosen. */
  readonly days: readonly number[];
  /** What a new one begins with. */
  readonly begin?: Pick<ArrivalRule, "name" | "filter"> | undefined;
  readonly onSave: (rule: ArrivalRule) => Promise<unknown>;
  readonly onCancel: () => void;
}

/** What a rule of arrival matches and does; what it would have met is shown before it is saved. */
export function ArrivalForm({ rule, begin, days, onSave, onCancel }: ArrivalFormProps) {
  const zone = useViewStore((s) => s.zone);
  const { control, register, handleSubmit, watch, formState, getValues } = useForm<Values>({
    defaultValues: valuesOf(rule ?? begin ?? null),
  });
  const forwards = useQuery(forwardsQuery);
  const [trouble, setTrouble] = useState<string | null>(null);
  const preview = useMutation({
    mutationFn: (body: ArrivalRule) => request<ArrivalPreview>("POST", "/arrival-rules/preview", body),
  });
  const read = (): ArrivalRule | null => {
    const parsed = ArrivalRule.safeParse(ruleOf(getValues()));
    setTrouble(parsed.success ? null : (parsed.error.issues[0]?.message ?? null));
    return parsed.success ? parsed.data : null;
  };
  const drops = watch("does") === "drop";
  return (
    <form
      aria-label={rule === null ? "New rule of arrival" : `Change ${rule.name}`}
      className="border-y border-line bg-wash px-3 py-2"
      onSubmit={handleSubmit(async () => {
        const parsed = read();
        if (parsed === null) return;
        await onSave(parsed).then(onCancel, (e: Error) => setTrouble(e.message));
      })}
    >
      <div className="grid grid-cols-[14rem_1fr] gap-3 max-wide:grid-cols-1">
        <Field label="Name" error={formState.errors.name?.message}>
          {(id) => <Input id={id} {...register("name", { required: "A name is needed." })} />}
        </Field>
        <Controller
          control={control}
          name="filter"
          render={({ field }) => (
            <WhichRecords
              about="Records that match"
              placeholder="such as: app is cron and severity is debug"
              value={field.value}
              onChange={field.onChange}
            />
          )}
        />
      </div>
      <div className="grid grid-cols-[14rem_repeat(5,minmax(8rem,11rem))] items-start gap-3 max-wide:grid-cols-2">
        <SelectField control={control} name="does" label="Then" options={DOES} />
        {(forwards.data?.forwards ?? []).length > 0 && (
          <SelectField
            control={control}
            name="forward"
            label="Passed on by"
            options={[
              { value: "", label: "nothing" },
              ...forwards.data!.forwards.map((f) => ({ value: String(f.id), label: f.forward.name })),
            ]}
          />
        )}
        {!drops && (
          <>
            <SelectField
              control={control}
              name="keepDays"
              label="Kept for"
              options={[
                { value: "", label: "as long as others" },
                ...days.map((d) => ({ value: String(d), label: d === 1 ? "1 day" : `${d} days` })),
              ]}
            />
            <SelectField control={control} name="severity" label="Severity" options={SEVERITY} />
            <SelectField control={control} name="category" label="Category" options={CATEGORY} />
            <Field label="Tag">{(id) => <Input id={id} maxLength={60} {...register("tag")} />}</Field>
            <Field label="Site, whoever sent it" hint="Filters say: data site is …">
              {(id) => <Input id={id} maxLength={60} {...register("site")} />}
            </Field>
            <CheckField control={control} name="expected">
              mark as expected
            </CheckField>
          </>
        )}
      </div>
      {trouble !== null && (
        <p role="alert" className="text-ui text-vermilion">
          {trouble}
        </p>
      )}
      <div className="flex gap-1.5">
        <Button
          onClick={() => {
            const parsed = read();
            if (parsed !== null)
              preview.mutate(parsed, { onError: (e) => setTrouble(e.message), onSuccess: () => setTrouble(null) });
          }}
        >
          What would it have met?
        </Button>
        <Button type="submit" main>
          Save
        </Button>
        <Button onClick={onCancel}>Cancel</Button>
      </div>
      {preview.data && <Preview preview={preview.data} zone={zone} />}
    </form>
  );
}

function Preview({ preview: p, zone }: { preview: ArrivalPreview; zone: string }) {
  const n = (count: number) => Math.round(count).toLocaleString("en");
  return (
    <section aria-label="What it would have met" className="mt-2 text-ui" role="status">
      <p>
        In the last 24 hours it would have met{" "}
        <b className="font-semibold">
          {p.exact ? "" : "at least "}
          {n(p.met)}
        </b>{" "}
        of {n(p.of)} records from {p.senders} {p.senders === 1 ? "sender" : "senders"}
        {p.met > 0 && `, ${bytesText(p.bytesADay)} of the store a day`}. Each {p.says}.
      </p>
      {p.met === 0 && <p className="text-ochre">Nothing: is the filter what you mean?</p>}
      {p.rules.length > 0 && (
        <p className="text-vermilion">
          What is dropped reaches no rule. {p.allRules ? "These" : "At least these"} used such records:{" "}
          {p.rules.map((r, i) => (
            <span key={r.id}>
              {i > 0 && ", "}
              <Link to={`/rules/${r.id}`}>{safeText(r.name)}</Link>
            </span>
          ))}
        </p>
      )}
      {p.rules.length === 0 && !p.allRules && (
        <p className="text-ochre">
          What is dropped reaches no rule. There was no time to ask for all of them whether they used such records.
        </p>
      )}
      {p.examples.map((e, i) => (
        <p
          key={`${e.at} ${i}`}
          className="grid grid-cols-[6.5rem_9rem_1fr] gap-2 border-t border-line font-mono text-code"
        >
          <span className="text-quiet">{clockMs(usOf(e.at), zone)}</span>
          <span className="truncate text-quiet">{safeText(e.sender)}</span>
          <span className="min-w-0 truncate">{safeText(e.says)}</span>
        </p>
      ))}
    </section>
  );
}
