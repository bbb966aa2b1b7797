import type { MeaningList } from "@halvik/contract/kinds";
import { CATEGORIES, OUTCOMES, SEVERITIES } from "@halvik/core/model/record";
import { useMemo, useState } from "react";
import { useForm } from "react-hook-form";
import { Button, TextButton } from "../../ui/button";
import { Field, Input } from "../../ui/field";
import { SelectField } from "../../ui/form";
import { Heading } from "../../ui/page";
import { safeText } from "../../ui/safe-text";
import { Select } from "../../ui/select";
import { Tooltip } from "../../ui/tooltip";
import type { Act } from "./act";

type MeaningRow = MeaningList["meanings"][number];
const SHOWN = 60;
const NEW = "new";
const NEW_PHRASE: MeaningRow = {
  kind: "syslog",
  code: "",
  severity: null,
  category: "other",
  outcome: "unknown",
  sentence: null,
  next: null,
  own: true,
};
const SEVERITY_CHOICES = SEVERITIES.map((label, i) => ({ value: String(i), label }));

/** What events and severities mean, to be looked up and changed. */
export function EventMeanings({ list, act }: { list: MeaningList; act: Act }) {
  const [wanted, setWanted] = useState("");
  const [editing, setEditing] = useState<string | null>(null);
  const found = useMemo(() => {
    const words = wanted
      .toLowerCase()
      .split(/\s+/)
      .filter((w) => w !== "");
    const fits = (m: MeaningRow) => {
      const text = `${m.code} ${m.category} ${m.sentence ?? ""}`.toLowerCase();
      return words.every((w) => text.includes(w));
    };
    return list.meanings.filter(fits);
  }, [list.meanings, wanted]);
  return (
    <>
      <Heading small="where a kind has no severity of the common scale; for records from now on">Severities</Heading>
      <div className="grid grid-cols-2 max-slim:grid-cols-1 gap-x-6 min-[1500px]:grid-cols-3">
        {list.severities.map((s) => (
          <div
            key={`${s.kind} ${s.original}`}
            className="flex items-center justify-between border-t border-line py-[3px] text-ui"
          >
            <span>
              {s.kind} <span className="font-mono">{s.original}</span>
              {s.own && <span className="text-ochre"> · changed</span>}
            </span>
            {s.own && (
              <TextButton
                className="mr-2 ml-auto underline"
                aria-label={`Reset ${s.kind} ${s.original}`}
                onClick={() => void act("DELETE", `/severities/${s.kind}/${encodeURIComponent(s.original)}`)}
              >
                reset
              </TextButton>
            )}
            <Select
              label={`${s.kind} ${s.original}`}
              value={String(s.severity)}
              onChange={(severity) =>
                void act("POST", "/severities", { kind: s.kind, original: s.original, severity: Number(severity) })
              }
              options={SEVERITY_CHOICES}
              className="!py-0"
            />
          </div>
        ))}
      </div>
      <Heading
        small={`${list.meanings.length} known; sentences apply to history, severity and category to new records`}
      >
        What events mean
      </Heading>
      <div className="mb-1 flex items-center gap-3">
        <div className="w-80">
          <Input
            aria-label="Find events"
            placeholder="logon, 4625, link …"
            value={wanted}
            onChange={(e) => setWanted(e.target.value)}
          />
        </div>
        <Button onClick={() => setEditing(NEW)}>Add a syslog phrase</Button>
      </div>
      {editing === NEW && <Edit meaning={NEW_PHRASE} act={act} onClose={() => setEditing(null)} />}
      {found.slice(0, SHOWN).map((m) => {
        const key = `${m.kind} ${m.code}`;
        return editing === key ? (
          <Edit key={key} meaning={m} act={act} onClose={() => setEditing(null)} />
        ) : (
          <div
            key={key}
            className="grid grid-cols-[minmax(11.25rem,17.5rem)_6.875rem_1fr_auto] max-slim:grid-cols-1 items-baseline gap-3 border-t border-line py-[3px] text-ui"
          >
            <Tooltip text={safeText(m.code)}>
              <span className="flex gap-[1ch] font-mono text-code">
                <Code of={m} />
              </span>
            </Tooltip>
            <span className="text-quiet">
              {m.category}
              {m.severity !== null && `, ${SEVERITIES[m.severity]}`}
            </span>
            <span>
              {safeText(m.sentence ?? "the record’s own text")}
              {m.next && <span className="block text-quiet">{safeText(m.next)}</span>}
            </span>
            <span className="flex gap-3">
              {m.own && (
                <TextButton
                  className="underline"
                  onClick={() => void act("DELETE", `/meanings/${m.kind}/${encodeURIComponent(m.code)}`)}
                >
                  reset
                </TextButton>
              )}
              <TextButton className="underline" aria-label={`Change ${m.code}`} onClick={() => setEditing(key)}>
                change
              </TextButton>
            </span>
          </div>
        );
      })}
      {found.length > SHOWN && (
        <p className="border-t border-line py-1 text-ui text-quiet">
          {found.length - SHOWN} more; type more words to narrow it down.
        </p>
      )}
      {found.length === 0 && <p className="text-ui text-quiet">No event matches. An unknown one shows its own text.</p>}
    </>
  );
}

/** Of an event of Windows its number is what people look for: the provider before it is cut instead. */
function Code({ of: { kind, code } }: { of: Pick<MeaningRow, "kind" | "code"> }) {
  const at = kind === "windows" ? code.lastIndexOf(" ") : -1;
  if (at < 0) return <span className="truncate">{safeText(code)}</span>;
  return (
    <>
      <span className="truncate">{safeText(code.slice(0, at))}</span> <span>{safeText(code.slice(at + 1))}</span>
    </>
  );
}

function Edit({ meaning: m, act, onClose }: { meaning: MeaningRow; act: Act; onClose: () => void }) {
  const { control, register, handleSubmit } = useForm({
    defaultValues: {
      ...m,
      severity: m.severity === null ? "" : String(m.severity),
      sentence: m.sentence ?? "",
      next: m.next ?? "",
    },
  });
  return (
    <form
      className="border-t border-line bg-wash px-2 py-1.5"
      onSubmit={handleSubmit(async (v) => {
        await act("POST", "/meanings", {
          kind: m.kind,
          code: m.code === "" ? v.code : m.code,
          category: v.category,
          outcome: v.outcome,
          severity: v.severity === "" ? null : Number(v.severity),
          sentence: v.sentence.trim() || null,
          next: v.next.trim() || null,
        });
        onClose();
      })}
    >
      {m.code === "" ? (
        <Field
          label="Phrase"
          hint="as it stands in the message, exact case; “app: phrase” asks it of that app’s messages only"
        >
          {(id) => <Input id={id} {...register("code", { required: true })} maxLength={300} />}
        </Field>
      ) : (
        <b className="font-mono text-code">{safeText(m.code)}</b>
      )}
      <div className="grid grid-cols-[9.375rem_8.125rem_9.375rem] max-slim:grid-cols-1 gap-3">
        <SelectField control={control} name="category" label="Category" options={CATEGORIES} />
        <SelectField control={control} name="outcome" label="Outcome" options={OUTCOMES} />
        <SelectField
          control={control}
          name="severity"
          label="Severity"
          options={[{ value: "", label: "by its kind" }, ...SEVERITY_CHOICES]}
        />
      </div>
      {m.kind !== "syslog" && (
        <>
          <Field label="Sentence" hint="{name} is a value of the event; a part in [ ] goes when its value is missing">
            {(id) => <Input id={id} {...register("sentence")} />}
          </Field>
          <Field label="What to look at next">{(id) => <Input id={id} {...register("next")} />}</Field>
        </>
      )}
      <span className="flex gap-1.5">
        <Button type="submit" main>
          Save
        </Button>
        <Button onClick={onClose}>Cancel</Button>
      </span>
    </form>
  );
}
