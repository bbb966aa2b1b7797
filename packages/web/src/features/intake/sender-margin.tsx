import type { SenderJson } from "@halvik/contract/senders";
import { KEEP_DAYS } from "@halvik/core/model/senders";
import { quoteIfNeeded } from "@halvik/core/query/filter";
import { useForm } from "react-hook-form";
import { Link } from "react-router";
import { Button } from "../../ui/button";
import { Field, Input } from "../../ui/field";
import { CheckField, SelectField } from "../../ui/form";
import { CONTROL } from "../../ui/look";
import { Facts } from "../../ui/page";
import { safeText } from "../../ui/safe-text";

import { KeepCost } from "./keep-cost";

interface SenderForm {
  readonly name: string;
  readonly addresses: string;
  readonly site: string;
  readonly groups: string;
  readonly role: string;
  readonly tags: string;
  readonly zone: string;
  readonly reachedThrough: string;
  readonly expectedEverySeconds: string;
  readonly keepDays: string;
  readonly relay: boolean;
  readonly notes: string;
}

const KEEP_CHOICES = [
  { value: "", label: "as long as others of their kind" },
  ...KEEP_DAYS.map((days) => ({ value: String(days), label: days === 1 ? "1 day" : `${days} days` })),
];

const several = (text: string): string[] =>
  text
    .split(";")
    .map((part) => part.trim())
    .filter(Boolean);

/** A sender's facts, to be read and changed. */
export function SenderMargin({
  sender: s,
  onChange,
  onClose,
}: {
  sender: SenderJson;
  onChange: (change: object) => Promise<unknown>;
  /** Absent where the margin stands by itself. */
  onClose?: () => void;
}) {
  const { control, register, handleSubmit, formState, reset, watch } = useForm<SenderForm>({
    defaultValues: {
      name: s.name,
      addresses: s.addresses.join(" "),
      site: s.site ?? "",
      groups: s.groups.join("; "),
      role: s.role ?? "",
      tags: s.tags.join("; "),
      zone: s.zone,
      reachedThrough: s.reachedThrough ?? "",
      expectedEverySeconds: String(s.expectedEverySeconds ?? ""),
      keepDays: String(s.keepDays ?? ""),
      relay: s.relay,
      notes: s.notes,
    },
  });
  const submit = handleSubmit(async (v) => {
    const saved = await onChange({
      name: v.name,
      addresses: v.addresses.split(/\s+/).filter(Boolean),
      site: v.site.trim() || null,
      groups: several(v.groups),
      role: v.role.trim() || null,
      tags: several(v.tags),
      zone: v.zone,
      reachedThrough: v.reachedThrough.trim() || null,
      expectedEverySeconds: v.expectedEverySeconds.trim() === "" ? null : Number(v.expectedEverySeconds),
      keepDays: v.keepDays === "" ? null : Number(v.keepDays),
      relay: v.relay,
      notes: v.notes,
    }).then(
      () => true,
      () => false,
    );
    if (saved) reset(v);
  });
  return (
    <>
      <div className="flex items-start justify-between gap-2">
        <h2 className="text-title font-semibold">{safeText(s.name)}</h2>
        {onClose && <Button onClick={onClose} shortcut="Esc" aria-label="Close the margin" />}
      </div>
      <p className="mb-2">
        <Link to={`/records?${new URLSearchParams({ filter: `sender is ${quoteIfNeeded(s.name)}` })}`}>
          Its records
        </Link>
        {onClose && (
          <Link to={`/intake/senders/${s.id}`} className="ml-3">
            All about it
          </Link>
        )}
      </p>
      <Facts
        facts={[
          ["records", s.records.toLocaleString("en")],
          ["bytes", s.bytes.toLocaleString("en")],
          ["late", s.late.toLocaleString("en")],
          ["copies", s.copies.toLocaleString("en")],
          ["over its cap", s.capped.toLocaleString("en")],
          ["heard via", s.via],
          ["was called", s.formerNames.join(", ") || null],
          ["sent from", s.formerAddresses.join(", ") || null],
        ]}
      />
      <form onSubmit={submit} className="mt-3">
        <Field label="Name">{(id) => <Input id={id} {...register("name", { required: true })} />}</Field>
        <Field
          label="Addresses and aliases"
          hint="Separated by spaces. An alias is an address it seems to have, behind translation."
        >
          {(id) => <Input id={id} className="font-mono" {...register("addresses")} />}
        </Field>
        <Field label="Site">{(id) => <Input id={id} {...register("site")} />}</Field>
        <Field label="Groups" hint="Separated by semicolons.">
          {(id) => <Input id={id} {...register("groups")} />}
        </Field>
        <Field label="Role">{(id) => <Input id={id} {...register("role")} />}</Field>
        <Field label="Tags" hint="Separated by semicolons. Filters say: sender in tag …, and so in role, group, site.">
          {(id) => <Input id={id} {...register("tags")} />}
        </Field>
        <Field label="Time zone" hint="For stamps that name none.">
          {(id) => <Input id={id} {...register("zone")} />}
        </Field>
        <Field label="Reached through" hint="The sender it depends on; the silence of that one explains this one’s.">
          {(id) => <Input id={id} {...register("reachedThrough")} />}
        </Field>
        <Field label="Expected every … seconds" hint="Empty: learnt.">
          {(id) => <Input id={id} inputMode="numeric" pattern="\d*" {...register("expectedEverySeconds")} />}
        </Field>
        <SelectField
          control={control}
          name="keepDays"
          label="Its records are kept"
          hint="From now on; what is stored keeps the time it was given."
          options={KEEP_CHOICES}
        />
        <KeepCost sender={s.id} days={watch("keepDays")} />
        <CheckField control={control} name="relay">
          a relay: each host name in its messages is a sender of its own
        </CheckField>
        <Field label="Notes">
          {(id) => <textarea id={id} rows={3} className={`w-full ${CONTROL}`} {...register("notes")} />}
        </Field>
        <Button main type="submit" disabled={formState.isSubmitting || !formState.isDirty}>
          Save
        </Button>
      </form>
    </>
  );
}
