import type { NotifyWays, Preview } from "@halvik/contract/notify";
import {
  ENGLISH,
  NotifyTexts,
  readTemplate,
  TEXT_KINDS,
  type TextKind,
  variablesOf,
} from "@halvik/core/respond/notify";
import { useMutation, useQuery } from "@tanstack/react-query";
import { Fragment } from "react";
import { type Control, type UseFormRegister, useForm, useWatch } from "react-hook-form";
import { incidentsQuery, request } from "../../data/api";
import { Button } from "../../ui/button";
import { Trouble } from "../../ui/empty-state";
import { Field, Input } from "../../ui/field";
import { CheckField, FormEnd, SelectField } from "../../ui/form";
import { CONTROL } from "../../ui/look";
import { safeText } from "../../ui/safe-text";

/** Texts as their form holds them: of each kind what is written, and whether it is one's own. */
interface Values {
  name: string;
  language: string;
  kind: string;
  texts: Record<TextKind, { own: boolean; subject: string; body: string }>;
}

const KIND_WORDS: Readonly<Record<TextKind, string>> = {
  raise: "one is raised",
  change: "one has changed",
  worse: "one is worse",
  reminder: "nobody has acknowledged it",
  escalation: "it goes on to others",
  clear: "one is over",
  digest: "many go together",
};

const valuesOf = (texts: NotifyWays["texts"][number] | null): Values => ({
  name: texts?.name ?? "",
  language: texts?.language ?? "en",
  kind: "raise",
  texts: Object.fromEntries(
    TEXT_KINDS.map((kind) => {
      const own = texts?.texts[kind] ?? null;
      return [kind, { own: own !== null, ...(own ?? ENGLISH[kind]) }];
    }),
  ) as Values["texts"],
});

/** Texts of one's own for messages, kind by kind, tried on an incident before they are saved. */
export function TextsForm({
  texts,
  busy,
  onSave,
  onDelete,
  onCancel,
}: {
  texts: NotifyWays["texts"][number] | null;
  busy: boolean;
  onSave: (body: object, name: string) => void;
  onDelete: () => void;
  onCancel: () => void;
}) {
  const {
    control,
    register,
    handleSubmit,
    setError,
    setValue,
    formState: { errors },
  } = useForm<Values>({ defaultValues: valuesOf(texts) });
  const kind = useWatch({ control, name: "kind" }) as TextKind;
  const own = useWatch({ control, name: `texts.${kind}.own` });
  const submit = handleSubmit(({ name, language, texts: written }) => {
    const kept = Object.fromEntries(
      TEXT_KINDS.map((k) => [k, written[k].own ? { subject: written[k].subject, body: written[k].body } : null]),
    );
    const read = NotifyTexts.safeParse({ name, language, texts: kept });
    if (read.success) return onSave(read.data, read.data.name);
    for (const { path, message } of read.error.issues) {
      const [first, of, part] = path;
      if (first !== "texts") setError(first === "language" ? "language" : "name", { message });
      else {
        setValue("kind", String(of));
        setError(`texts.${of as TextKind}.${part === "subject" ? "subject" : "body"}`, { message });
      }
    }
  });
  return (
    <form onSubmit={submit} onKeyDown={(e) => e.key === "Escape" && onCancel()}>
      <h2 className="mb-2 text-title font-semibold">{texts ? "Edit texts" : "New texts"}</h2>
      <Field label="Name" error={errors.name?.message}>
        {(id) => <Input id={id} {...register("name")} />}
      </Field>
      <Field label="Language" hint="A language tag, as en or nb-NO." error={errors.language?.message}>
        {(id) => <Input id={id} {...register("language")} />}
      </Field>
      <SelectField
        control={control}
        name="kind"
        label="When"
        options={TEXT_KINDS.map((value) => ({ value, label: KIND_WORDS[value] }))}
      />
      <CheckField control={control} name={`texts.${kind}.own`}>
        a text of one's own
      </CheckField>
      <OneText
        key={kind}
        {...{ control, register, kind, own }}
        error={errors.texts?.[kind]?.subject?.message ?? errors.texts?.[kind]?.body?.message}
      />
      <FormEnd busy={busy} onCancel={onCancel} onDelete={texts && onDelete} />
    </form>
  );
}

function OneText({
  control,
  register,
  kind,
  own,
  error,
}: {
  control: Control<Values>;
  register: UseFormRegister<Values>;
  kind: TextKind;
  own: boolean;
  error: string | undefined;
}) {
  const { subject, body } = useWatch({ control, name: `texts.${kind}` });
  const language = useWatch({ control, name: "language" });
  const fault = [...readTemplate(subject, kind, false).faults, ...readTemplate(body, kind, true).faults][0];
  return (
    <>
      <Field label="Subject">{(id) => <Input id={id} readOnly={!own} {...register(`texts.${kind}.subject`)} />}</Field>
      <Field label="Text" error={(own ? fault?.message : undefined) ?? error}>
        {(id) => (
          <textarea
            id={id}
            rows={12}
            readOnly={!own}
            spellCheck={false}
            className={`w-full font-mono text-code ${CONTROL}`}
            {...register(`texts.${kind}.body`)}
          />
        )}
      </Field>
      <details className="mb-2.5 text-ui">
        <summary className="cursor-pointer text-quiet">What it may name</summary>
        <dl className="mt-1 text-code">
          {variablesOf(kind).map((v) => (
            <div key={v.name} className="flex gap-2 border-b border-line py-0.5">
              <dt className="w-28 shrink-0 font-mono">{`{${v.name}}`}</dt>
              <dd className="text-quiet">
                {v.about}
                {v.isBlock && "; alone on its line"}
              </dd>
            </div>
          ))}
        </dl>
      </details>
      <TextPreview kind={kind} language={language} subject={subject} body={body} />
    </>
  );
}

/** The text on the latest incident there is. */
function TextPreview(written: { kind: TextKind; language: string; subject: string; body: string }) {
  const incidents = useQuery(incidentsQuery("all", {}));
  const latest = incidents.data?.incidents[0];
  const preview = useMutation({
    mutationFn: (incident: number) => request<Preview>("POST", "/notify/texts/preview", { incident, ...written }),
  });
  return (
    <div className="mb-2.5">
      <Button disabled={latest === undefined || preview.isPending} onClick={() => preview.mutate(latest!.id)}>
        Try it on the latest incident
      </Button>
      {preview.error && <Trouble error={preview.error} what="It cannot be shown" />}
      {preview.data && (
        <section aria-label="Preview" className="mt-2 border border-line-strong bg-paper p-2">
          <b className="font-semibold">{safeText(preview.data.subject)}</b>
          <pre className="mt-1 max-h-80 overflow-auto whitespace-pre-wrap text-code">
            {preview.data.text.split("\n").map((text, i) => (
              <Fragment key={i}>
                {safeText(text)}
                {"\n"}
              </Fragment>
            ))}
          </pre>
        </section>
      )}
    </div>
  );
}
