import type { NotifyRouteJson, RuleList } from "@halvik/contract";
import { SEVERITIES } from "@halvik/core/model/record";
import { NotifyRoute, TELLINGS } from "@halvik/core/respond/notify";
import { type Control, useController, useForm, useWatch } from "react-hook-form";
import { Button, TextButton } from "../../ui/button";
import { Field, Input } from "../../ui/field";
import { CheckField, ChecksField, SelectField } from "../../ui/form";
import { safeText } from "../../ui/safe-text";
import { Select } from "../../ui/select";

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

interface Values {
  name: string;
  severity: string;
  about: string;
  tags: string;
  rules: string[];
  to: string;
  delaySeconds: string;
  mostPerHour: string;
  tells: string[];
  enabled: boolean;
}

const NEW: NotifyRoute = NotifyRoute.parse({ name: "new route", to: ["nobody@localhost.example"] });

/** Who is notified of which incidents; checked here by what the server checks by. */
export function RouteForm({
  route,
  rules,
  forRule,
  busy,
  onSave,
  onDelete,
  onCancel,
}: {
  route: NotifyRouteJson | null;
  /** All there are, to choose from. */
  rules: RuleList["rules"];
  /** The rule a new one is for. */
  forRule: RuleList["rules"][number] | null;
  busy: boolean;
  onSave: (route: NotifyRoute) => void;
  onDelete: () => void;
  onCancel: () => void;
}) {
  const {
    control,
    register,
    handleSubmit,
    setError,
    formState: { errors },
  } = useForm<Values>({ defaultValues: valuesOf(route, forRule) });
  const submit = handleSubmit((values) => {
    const read = NotifyRoute.safeParse(routeOf(values));
    if (read.success) onSave(read.data);
    else
      for (const { path, message } of read.error.issues)
        setError((path[0] as keyof Values | undefined) ?? "name", { message });
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
      <RulesField control={control} rules={rules} />
      <ChecksField
        control={control}
        name="tells"
        legend="Send a message when"
        options={TELLINGS.map((value) => ({ value, label: TELLS[value] }))}
      />
      <SelectField
        control={control}
        name="delaySeconds"
        label="How soon"
        hint="What is seen, shelved or over by then is not sent."
        options={delays.map(([s, label]) => ({ value: String(s), label }))}
      />
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
      <div className="flex gap-1.5">
        <Button main type="submit" disabled={busy}>
          Save
        </Button>
        <Button onClick={onCancel} shortcut="Esc">
          Cancel
        </Button>
        {route && (
          <Button className="ml-auto" onClick={onDelete} disabled={busy}>
            Delete
          </Button>
        )}
      </div>
    </form>
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

const listed = (text: string): string[] =>
  text
    .split(",")
    .map((t) => t.trim())
    .filter(Boolean);

function valuesOf(route: NotifyRouteJson | null, forRule: RuleList["rules"][number] | null): Values {
  const r = route ?? {
    ...NEW,
    to: [],
    name: forRule?.name.slice(0, 80) ?? "",
    ...(forRule === null ? {} : { rules: [forRule.id], severity: forRule.severity }),
  };
  return {
    ...r,
    about: r.about.join(", "),
    tags: r.tags.join(", "),
    rules: [...r.rules],
    to: r.to.join(", "),
    delaySeconds: String(r.delaySeconds),
    mostPerHour: String(r.mostPerHour),
    tells: [...r.tells],
  };
}

const routeOf = (v: Values) => ({
  name: v.name,
  enabled: v.enabled,
  severity: v.severity,
  about: listed(v.about),
  tags: listed(v.tags),
  rules: v.rules,
  to: listed(v.to),
  tells: v.tells,
  delaySeconds: Number(v.delaySeconds),
  mostPerHour: Number(v.mostPerHour),
});
