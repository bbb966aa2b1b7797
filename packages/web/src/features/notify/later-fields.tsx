import type { NotifyWays } from "@halvik/contract/notify";
import { SEVERITIES } from "@halvik/core/model/record";
import { type Control, type FieldErrors, type UseFormRegister, useFieldArray } from "react-hook-form";
import { TextButton } from "../../ui/button";
import { Field, Input } from "../../ui/field";
import { ChecksField, SelectField } from "../../ui/form";
import { Heading } from "../../ui/page";
import { NOTHING, type Values } from "./route-values";

interface PartProps {
  readonly control: Control<Values>;
  readonly register: UseFormRegister<Values>;
  readonly errors: FieldErrors<Values>;
  readonly ways: NotifyWays;
}

const REPEATS = [0, 5, 15, 30, 60, 240, 1_440].map((minutes) => ({
  value: String(minutes),
  label: minutes === 0 ? "no" : minutes < 60 ? `every ${minutes} minutes` : `every ${minutes / 60} h`,
}));
const DAYS = [
  { value: "", label: "every day" },
  { value: "monday,tuesday,wednesday,thursday,friday", label: "Monday to Friday" },
  { value: "saturday,sunday", label: "Saturday and Sunday" },
];
const STEPS_MOST = 5;
const WINDOWS_MOST = 10;

/** Boxes for what is set up beside mail: nothing where there is none. */
export function WayBoxes({
  control,
  ways,
  at,
}: {
  control: Control<Values>;
  ways: NotifyWays;
  /** Empty: those of the notification; or of one of its escalations. */
  at: "" | `escalate.${number}.`;
}) {
  const { rotas, channels } = ways;
  return (
    <>
      {rotas.length > 0 && (
        <ChecksField
          control={control}
          name={`${at}rotas`}
          legend="On duty by"
          options={rotas.map((r) => ({ value: String(r.id), label: `${r.name}: ${r.onDuty.name} now` }))}
        />
      )}
      {channels.length > 0 && (
        <ChecksField
          control={control}
          name={`${at}channels`}
          legend="By channel"
          options={channels.map((c) => ({ value: String(c.id), label: c.name }))}
        />
      )}
    </>
  );
}

/** What follows as long as nobody acknowledges it. */
export function EscalationFields({ control, register, errors, ways }: PartProps) {
  const { fields, append, remove } = useFieldArray({ control, name: "escalate" });
  return (
    <>
      <Heading>As long as nobody acknowledges it</Heading>
      <SelectField control={control} name="repeatMinutes" label="Say it again" options={REPEATS} />
      {fields.map((step, i) => {
        const wrong = errors.escalate?.[i];
        return (
          <fieldset key={step.id} className="mb-2 border-l-2 border-line-strong pl-2">
            <legend className="flex w-full justify-between text-ui">
              {i === 0 ? "Then it goes on" : "And then"}
              <TextButton onClick={() => remove(i)}>remove</TextButton>
            </legend>
            <Field label="Minutes after it was raised" error={wrong?.afterMinutes?.message}>
              {(id) => <Input id={id} inputMode="numeric" {...register(`escalate.${i}.afterMinutes`)} />}
            </Field>
            <Field label="To these addresses" error={wrong?.to?.message}>
              {(id) => <Input id={id} {...register(`escalate.${i}.to`)} />}
            </Field>
            <WayBoxes control={control} ways={ways} at={`escalate.${i}.`} />
          </fieldset>
        );
      })}
      {fields.length < STEPS_MOST && (
        <TextButton
          className="mb-2"
          onClick={() => append({ afterMinutes: String(15 * (fields.length + 1)), to: "", rotas: [], channels: [] })}
        >
          Go on to somebody else
        </TextButton>
      )}
    </>
  );
}

/** When nothing is sent at once: quiet hours, digests, and what breaks them. */
export function WaitingFields({ control, register, errors }: PartProps) {
  const { fields, append, remove } = useFieldArray({ control, name: "quiet" });
  return (
    <>
      <Heading>When it waits</Heading>
      {fields.map((window, i) => {
        const wrong = errors.quiet?.[i];
        const own = window.days;
        return (
          <fieldset key={window.id} className="mb-2 border-l-2 border-line-strong pl-2">
            <legend className="flex w-full justify-between text-ui">
              Quiet hours <TextButton onClick={() => remove(i)}>remove</TextButton>
            </legend>
            <SelectField
              control={control}
              name={`quiet.${i}.days`}
              label="On"
              options={DAYS.some((d) => d.value === own) ? DAYS : [...DAYS, { value: own, label: own }]}
            />
            <div className="grid grid-cols-2 gap-2">
              <Field label="From" error={wrong?.from?.message}>
                {(id) => <Input id={id} placeholder="22:00" {...register(`quiet.${i}.from`)} />}
              </Field>
              <Field label="To" error={wrong?.to?.message}>
                {(id) => <Input id={id} placeholder="06:00" {...register(`quiet.${i}.to`)} />}
              </Field>
            </div>
          </fieldset>
        );
      })}
      {fields.length < WINDOWS_MOST && (
        <TextButton className="mb-2" onClick={() => append({ days: "", from: "22:00", to: "06:00" })}>
          Add quiet hours
        </TextButton>
      )}
      <Field
        label="Together at"
        hint="Times of the day, with commas between; empty: nothing waits for them."
        error={errors.digestAt?.message ?? errors.digestAt?.root?.message}
      >
        {(id) => <Input id={id} placeholder="07:00, 15:00" {...register("digestAt")} />}
      </Field>
      <SelectField
        control={control}
        name="breaks"
        label="Does not wait"
        options={[
          ...SEVERITIES.map((s) => ({ value: s, label: s === "emergency" ? s : `${s} or worse` })),
          { value: NOTHING, label: "nothing" },
        ]}
      />
      <Field label="By the clock of" error={errors.zone?.message}>
        {(id) => <Input id={id} {...register("zone")} />}
      </Field>
    </>
  );
}
