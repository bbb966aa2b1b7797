import type { NotifyRouteJson } from "@halvik/contract";
import { SEVERITIES } from "@halvik/core/model/record";
import { NotifyRoute, TELLINGS } from "@halvik/core/respond/notify";
import { useForm } from "react-hook-form";
import { Button } from "../../ui/button";
import { Field, Input } from "../../ui/field";

const DELAYS = [
  [0, "at once"],
  [60, "after a minute"],
  [300, "after 5 minutes"],
  [900, "after 15 minutes"],
  [3_600, "after an hour"],
] as const;
const TELLS = { raise: "that one is raised", update: "that it changes or still lasts", clear: "that it is over" };
const SELECT = "w-full rounded-[2px] border border-line-strong bg-sheet px-2 py-1";

interface Values {
  name: string;
  severity: string;
  about: string;
  tags: string;
  rules: string;
  to: string;
  delaySeconds: string;
  mostPerHour: string;
  tells: string[];
  enabled: boolean;
}

const NEW: NotifyRoute = NotifyRoute.parse({ name: "new route", to: ["nobody@localhost.example"] });

/** Who is told of which incidents; checked here by what the server checks by. */
export function RouteForm({
  route,
  busy,
  onSave,
  onDelete,
  onCancel,
}: {
  route: NotifyRouteJson | null;
  busy: boolean;
  onSave: (route: NotifyRoute) => void;
  onDelete: () => void;
  onCancel: () => void;
}) {
  const {
    register,
    handleSubmit,
    setError,
    formState: { errors },
  } = useForm<Values>({ defaultValues: valuesOf(route) });
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
      <h2 className="mb-2 text-[17px] font-semibold">{route ? "A route" : "A new route"}</h2>
      <Field label="Name" error={errors.name?.message}>
        {(id) => <Input id={id} {...register("name")} />}
      </Field>
      <Field label="To" hint="Mail addresses, with commas between." error={errors.to?.message}>
        {(id) => <Input id={id} placeholder="duty@orvane.example" {...register("to")} />}
      </Field>
      <Field label="Of incidents of">
        {(id) => (
          <select id={id} className={SELECT} {...register("severity")}>
            {SEVERITIES.map((s) => (
              <option key={s} value={s}>
                {s}
                {s === "emergency" ? "" : " or worse"}
              </option>
            ))}
          </select>
        )}
      </Field>
      <Field
        label="That are about"
        hint="Words of the title, hosts, addresses, users; any of them. Empty: all."
        error={errors.about?.message}
      >
        {(id) => <Input id={id} {...register("about")} />}
      </Field>
      <Field label="With a tag" hint="Tags of rules; any of them. Empty: all." error={errors.tags?.message}>
        {(id) => <Input id={id} {...register("tags")} />}
      </Field>
      <Field label="By a rule" hint="Ids of rules; any of them. Empty: all." error={errors.rules?.message}>
        {(id) => <Input id={id} {...register("rules")} />}
      </Field>
      <fieldset className="mb-2.5">
        <legend className="text-[13px] text-quiet">They are told</legend>
        {TELLINGS.map((t) => (
          <label key={t} className="flex items-center gap-2 text-[13px]">
            <input type="checkbox" value={t} {...register("tells")} /> {TELLS[t]}
          </label>
        ))}
        {errors.tells && (
          <p role="alert" className="text-[12.5px] text-vermilion">
            {errors.tells.message}
          </p>
        )}
      </fieldset>
      <Field label="When" hint="What is seen, shelved or over by then is not told.">
        {(id) => (
          <select id={id} className={SELECT} {...register("delaySeconds")}>
            {delays.map(([s, name]) => (
              <option key={s} value={s}>
                {name}
              </option>
            ))}
          </select>
        )}
      </Field>
      <Field
        label="Messages an hour, at most"
        hint="What is more goes together into the next."
        error={errors.mostPerHour?.message}
      >
        {(id) => <Input id={id} inputMode="numeric" {...register("mostPerHour")} />}
      </Field>
      <label className="mb-2.5 flex items-center gap-2 text-[13px]">
        <input type="checkbox" {...register("enabled")} /> switched on
      </label>
      <div className="flex gap-1.5">
        <Button main type="submit" disabled={busy}>
          Keep it
        </Button>
        <Button onClick={onCancel} shortcut="Esc">
          Cancel
        </Button>
        {route && (
          <Button className="ml-auto" onClick={onDelete} disabled={busy}>
            Take it away
          </Button>
        )}
      </div>
    </form>
  );
}

const listed = (text: string): string[] =>
  text
    .split(",")
    .map((t) => t.trim())
    .filter(Boolean);

function valuesOf(route: NotifyRouteJson | null): Values {
  const r = route ?? { ...NEW, name: "", to: [] };
  return {
    ...r,
    about: r.about.join(", "),
    tags: r.tags.join(", "),
    rules: r.rules.join(", "),
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
  rules: listed(v.rules),
  to: listed(v.to),
  tells: v.tells,
  delaySeconds: Number(v.delaySeconds),
  mostPerHour: Number(v.mostPerHour),
});
