import type { NotifyRouteJson, NotifyWays } from "@halvik/contract/notify";
import type { RuleList } from "@halvik/contract/rules";
import { SEVERITIES } from "@halvik/core/model/record";
import type { SavedText } from "@halvik/core/query/filter";
import { INCIDENTS, NOTIFIED_CHANGES, NotifyRoute } from "@halvik/core/respond/notify";
import { type Control, type FieldPath, useController, useForm, useWatch } from "react-hook-form";
import { useDirectory } from "../../data/use-directory";
import { useViewStore } from "../../data/view-store";
import { FilterField } from "../../shared/filter-field";
import { TextButton } from "../../ui/button";
import { Field, Input } from "../../ui/field";
import { CheckField, ChecksField, FormEnd, SelectField } from "../../ui/form";
import { CONTROL } from "../../ui/look";
import { safeText } from "../../ui/safe-text";
import { Select } from "../../ui/select";
import { EscalationFields, WaitingFields, WayBoxes } from "./later-fields";
import { routeOf, SHIPPED, type Values, valuesOf } from "./route-values";

const DELAYS = [
  [0, "at once"],
  [60, "after a minute"],
  [300, "after 5 minutes"],
  [900, "after 15 minutes"],
  [3_600, "after an hour"],
] as const;
const TELLS = { raise: "one is raised", update: "it changes or still lasts", clear: "it is over" };
const SEVERITY_CHOICES = SEVERITIES.map((value) => ({
  value,
  label: value === "emergency" ? value : `${value} or worse`,
}));

/** Who is notified of which incidents; checked here by what the server checks by. */
export function RouteForm({
  route,
  rules,
  ways,
  forRule,
  busy,
  onSave,
  onDelete,
  onCancel,
}: {
  route: NotifyRouteJson | null;
  /** All there are, to choose from. */
  rules: RuleList["rules"];
  ways: NotifyWays;
  /** The rule a new one is for. */
  forRule: RuleList["rules"][number] | null;
  busy: boolean;
  onSave: (route: NotifyRoute, name: string) => void;
  onDelete: () => void;
  onCancel: () => void;
}) {
  const {
    control,
    register,
    handleSubmit,
    setError,
    formState: { errors },
  } = useForm<Values>({ defaultValues: valuesOf(route, forRule, useViewStore.getState().zone) });
  const submit = handleSubmit((values) => {
    const read = NotifyRoute.safeParse(routeOf(values));
    if (read.success) onSave(read.data, read.data.name);
    else for (const { path, message } of read.error.issues) setError(fieldOf(path), { message });
  });
  const delays = DELAYS.some(([s]) => s === (route?.delaySeconds ?? 0))
    ? DELAYS
    : [...DELAYS, [route!.delaySeconds, `after ${route!.delaySeconds} s`] as const];
  return (
    <form onSubmit={submit} onKeyDown={(e) => e.key === "Escape" && onCancel()}>
      <h2 className="mb-2 text-title font-semibold">{route ? "Edit notification" : "New notification"}</h2>
      <Field label="Name" error={errors.name?.message}>
        {(id) => <Input id={id} {...register("name")} />}
      </Field>
      <Field label="To" hint="Mail addresses, with commas between." error={errors.to?.message}>
        {(id) => <Input id={id} placeholder="duty@orvane.example" {...register("to")} />}
      </Field>
      <WayBoxes control={control} ways={ways} at="" />
      <SelectField control={control} name="severity" label="Incidents of severity" options={SEVERITY_CHOICES} />
      <Field
        label="About"
        hint="Words of the title, hosts, addresses, users; any of them. Empty: all."
        error={errors.about?.message}
      >
        {(id) => <Input id={id} {...register("about")} />}
      </Field>
      <Field label="Tags" hint="Tags of the rule; any of them. Empty: all." error={errors.tags?.message}>
        {(id) => <Input id={id} {...register("tags")} />}
      </Field>
      <Field label="Sites" hint="Of the senders it names; any of them. Empty: all." error={errors.sites?.message}>
        {(id) => <Input id={id} {...register("sites")} />}
      </Field>
      <Field label="Groups" hint="Of the senders it names; any of them. Empty: all." error={errors.groups?.message}>
        {(id) => <Input id={id} {...register("groups")} />}
      </Field>
      <WhereField control={control} />
      <RulesField control={control} rules={rules} />
      <ChecksField
        control={control}
        name="tells"
        legend="Send a message when"
        options={NOTIFIED_CHANGES.map((value) => ({ value, label: TELLS[value] }))}
      />
      <SelectField
        control={control}
        name="delaySeconds"
        label="How soon"
        hint="What is seen, shelved or over by then is not sent."
        options={delays.map(([s, label]) => ({ value: String(s), label }))}
      />
      {ways.texts.length > 0 && (
        <SelectField
          control={control}
          name="texts"
          label="Texts"
          options={[
            { value: SHIPPED, label: "those that ship, in English" },
            ...ways.texts.map((t) => ({ value: String(t.id), label: `${t.name} (${t.language})` })),
          ]}
        />
      )}
      <EscalationFields control={control} register={register} errors={errors} ways={ways} />
      <WaitingFields control={control} register={register} errors={errors} ways={ways} />
      <Field
        label="Messages an hour at most"
        hint="More than that are sent together in the next one."
        error={errors.mostPerHour?.message}
      >
        {(id) => <Input id={id} inputMode="numeric" {...register("mostPerHour")} />}
      </Field>
      <CheckField control={control} name="enabled">
        switched on
      </CheckField>
      <FormEnd busy={busy} onCancel={onCancel} onDelete={route && onDelete} />
    </form>
  );
}

/** Where a fault is shown: lists are one field of the form, parts of steps and windows have their own. */
function fieldOf(path: readonly PropertyKey[]): FieldPath<Values> {
  const [first, place, part] = path;
  const isPart = (first === "escalate" || first === "quiet") && typeof place === "number" && part !== undefined;
  return (isPart ? `${first}.${place}.${String(part)}` : String(first ?? "name")) as FieldPath<Values>;
}

const NO_VALUES = () => Promise.resolve([]);
const NO_FILTERS: readonly SavedText[] = [];

/** A filter over fields of incidents, in the language that records are filtered by. */
function WhereField({ control }: { control: Control<Values> }) {
  const { field, fieldState } = useController({ control, name: "where" });
  const directory = useDirectory();
  return (
    <Field
      label="Filter"
      hint="In the filter language, over user, host, address, rule, technique, records, hour … Empty: all."
      error={fieldState.error?.message}
    >
      {() => (
        <FilterField
          label="Filter"
          placeholder="such as: user is k.lind or src within 10.20.0.0/16"
          className={CONTROL}
          value={field.value}
          directory={directory}
          saved={NO_FILTERS}
          zone="UTC"
          vocabulary={INCIDENTS}
          valuesOf={NO_VALUES}
          onChange={field.onChange}
          onSubmit={field.onChange}
        />
      )}
    </Field>
  );
}

/** Rules by their names; one that can never be as severe as the notification asks for is said. */
function RulesField({ control, rules }: { control: Control<Values>; rules: RuleList["rules"] }) {
  const { field, fieldState } = useController({ control, name: "rules" });
  const severity = useWatch({ control, name: "severity" });
  const level = (s: string) => SEVERITIES.indexOf(s as (typeof SEVERITIES)[number]);
  const chosen = field.value.map((id) => rules.find((r) => r.id === id) ?? { id, name: id, worstSeverity: severity });
  return (
    <Field label="Rules" hint="Any of them; none chosen: all." error={fieldState.error?.message}>
      {(id) => (
        <>
          {chosen.map((r) => (
            <div key={r.id} className="flex items-start justify-between gap-2 border-b border-line py-0.5">
              <span>
                {safeText(r.name)}
                {level(r.worstSeverity) > level(severity) && (
                  <span role="alert" className="block text-code text-ochre">
                    It raises {r.worstSeverity} at the worst: nothing of it is as severe as {severity}.
                  </span>
                )}
              </span>
              <TextButton
                aria-label={`Without ${r.name}`}
                onClick={() => field.onChange(field.value.filter((v) => v !== r.id))}
              >
                remove
              </TextButton>
            </div>
          ))}
          <Select
            id={id}
            value=""
            placeholder="add a rule …"
            options={rules
              .filter((r) => !field.value.includes(r.id))
              .map((r) => ({ value: r.id, label: r.name }))
              .sort((a, b) => a.label.localeCompare(b.label, "en"))}
            onChange={(rule) => field.onChange([...field.value, rule])}
            className="w-full"
          />
        </>
      )}
    </Field>
  );
}
