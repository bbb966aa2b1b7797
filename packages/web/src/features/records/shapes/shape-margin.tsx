import type { ShapeDetail, ShapeJson, ShapeValues } from "@halvik/contract/shapes";
import { CATEGORIES } from "@halvik/core/model/record";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useForm } from "react-hook-form";
import { Link } from "react-router";
import { toast } from "sonner";
import { request, type WindowParts } from "../../../data/api";
import { shapeQuery, shapeValuesQuery } from "../../../data/shape-queries";
import { usOf } from "../../../data/view-store";
import { Button } from "../../../ui/button";
import { Trouble } from "../../../ui/empty-state";
import { Field, Input } from "../../../ui/field";
import { CheckField, SelectField } from "../../../ui/form";
import { Facts, Heading } from "../../../ui/page";
import { safeText } from "../../../ui/safe-text";
import { dayClock } from "../../../ui/time";
import { ShapeText } from "./shape-text";

interface ShapeMarginProps {
  readonly id: number;
  readonly window: WindowParts;
  readonly filter: string;
  readonly zone: string;
  readonly onOnly: (part: string) => void;
  readonly onWithout: (part: string) => void;
  /** Its records, one line each. */
  readonly onLines: (part: string) => void;
  readonly onClose: () => void;
}

/** All there is about a shape: what it says, since when, what stands in its places, what people call it, and what can be made of it. */
export function ShapeMargin({ id, window, filter, zone, onOnly, onWithout, onLines, onClose }: ShapeMarginProps) {
  const { data, error } = useQuery(shapeQuery(id));
  if (error) return <Trouble error={error} what="The shape cannot be shown" />;
  if (!data) return null;
  const { shape } = data;
  const part = `shape is ${shape.id}`;
  return (
    <>
      <div className="flex items-start justify-between gap-2">
        <h2 className="min-w-0 text-title leading-6 font-semibold break-words">
          {shape.name === "" ? `Shape ${shape.id}` : safeText(shape.name)}
        </h2>
        <Button onClick={onClose} aria-label="Close the margin" shortcut="Esc" />
      </div>
      <p className="mt-1 font-mono text-code leading-[1.25rem] break-words">
        {shape.app && <span className="text-quiet">{safeText(shape.app)} </span>}
        <ShapeText shape={shape} />
      </p>
      {shape.meaning !== "" && <p className="mt-1 text-ui">{safeText(shape.meaning)}</p>}
      <div className="mt-2 flex flex-wrap gap-1.5">
        <Button onClick={() => onLines(part)}>Its records</Button>
        <Button onClick={() => onOnly(part)} shortcut="w">
          Only this
        </Button>
        <Button onClick={() => onWithout(part)} shortcut="o">
          Mute it here
        </Button>
      </div>
      <p className="mt-1.5 flex flex-wrap gap-x-3 text-ui">
        <Link to={`/rules/new?${new URLSearchParams({ filter: part, name: shape.name || `Shape ${shape.id}` })}`}>
          raise on it
        </Link>
        <Link to={`/intake/arrival?${new URLSearchParams({ filter: part, name: shape.name || `Shape ${shape.id}` })}`}>
          drop or mark it on arrival
        </Link>
      </p>
      <Known shape={shape} zone={zone} />
      <Values id={shape.id} window={window} filter={filter} zone={zone} onOnly={onOnly} />
      <Naming key={shape.id} shape={shape} />
    </>
  );
}

function Known({ shape, zone }: { readonly shape: ShapeJson; readonly zone: string }) {
  return (
    <div className="mt-2">
      <Facts
        facts={[
          ["first ever", dayClock(usOf(shape.firstEver), zone)],
          ["last noted", dayClock(usOf(shape.lastEver), zone)],
          ["kind", shape.kind],
          ["event", shape.event === undefined ? null : safeText(shape.event)],
          ["decided", shape.action ?? null],
          ["category", shape.category ?? null],
          [
            "number",
            `${shape.id}${shape.version > 1 ? `, widened ${shape.version - 1} ${shape.version === 2 ? "time" : "times"}` : ""}`,
          ],
          ["also was", shape.parts.length === 0 ? null : shape.parts.slice(0, 20).join(", ")],
          ["named by", shape.namedBy === undefined ? null : safeText(shape.namedBy)],
        ]}
      />
    </div>
  );
}

function Values({
  id,
  window,
  filter,
  zone,
  onOnly,
}: Pick<ShapeMarginProps, "id" | "window" | "filter" | "zone" | "onOnly">) {
  const { data, error } = useQuery(shapeValuesQuery(id, window, filter, zone));
  if (error) return <Trouble error={error} what="Its values cannot be shown" />;
  if (!data) return <p className="mt-2 text-ui text-quiet">reading its values …</p>;
  if (data.values.length === 0) return null;
  return (
    <>
      <Heading
        small={`${data.complete ? "all" : "the newest"} ${data.records.toLocaleString("en")} records of the window`}
      >
        What stands in its places
      </Heading>
      {data.values.map((v) => (
        <PlaceValues key={v.number} of={v} onOnly={onOnly} />
      ))}
    </>
  );
}

const WHAT: Readonly<Record<ShapeValues["values"][number]["type"], string>> = {
  number: "numbers",
  address: "addresses",
  time: "times",
  word: "words",
  text: "texts",
};

function PlaceValues({
  of: { number, type, distinct, range, top },
  onOnly,
}: {
  readonly of: ShapeValues["values"][number];
  readonly onOnly: (part: string) => void;
}) {
  const most = Math.max(1, ...top.map((t) => t.count));
  const n = (x: number) => x.toLocaleString("en", { maximumFractionDigits: 2 });
  return (
    <section className="mt-1.5" aria-label={`Values of $${number}`}>
      <p className="text-code text-quiet">
        <b className="text-ink">${number}</b> {distinct.toLocaleString("en")} {WHAT[type]}
        {range && ` from ${n(range.least)} to ${n(range.most)}, the middle ${n(range.median)}`}
      </p>
      {top.map(({ value, count, filter }) => (
        <div key={value} className="grid grid-cols-[1fr_auto] items-baseline gap-2 text-code">
          <button
            type="button"
            disabled={filter === undefined}
            onClick={() => filter && onOnly(filter)}
            className="relative min-w-0 truncate text-left font-mono text-small enabled:hover:text-fjord"
          >
            <span
              aria-hidden
              className="absolute bottom-0 left-0 h-px bg-ink/50"
              style={{ width: `${(100 * count) / most}%` }}
            />
            {safeText(value) || "(empty)"}
          </button>
          <span className="text-right text-quiet tabular-nums">{count.toLocaleString("en")}</span>
        </div>
      ))}
    </section>
  );
}

interface NameValues {
  readonly name: string;
  readonly meaning: string;
  readonly category: string;
  readonly asPhrase: boolean;
}

const NO_CATEGORY = { value: "", label: "as its records have it" };

/** What people call it. */
function Naming({ shape }: { readonly shape: ShapeJson }) {
  const client = useQueryClient();
  const { register, control, handleSubmit, watch } = useForm<NameValues>({
    defaultValues: { name: shape.name, meaning: shape.meaning, category: shape.category ?? "", asPhrase: false },
  });
  const save = useMutation({
    mutationFn: (v: NameValues) =>
      request<ShapeDetail>("PATCH", `/shapes/${shape.id}`, {
        name: v.name,
        meaning: v.meaning,
        category: v.category === "" ? null : v.category,
        asPhrase: v.asPhrase && v.category !== "",
      }),
    onSuccess: (detail) => {
      client.setQueryData(shapeQuery(shape.id).queryKey, detail);
      void client.invalidateQueries({ queryKey: ["shapes"] });
      toast("Saved");
    },
    onError: (e: Error) => toast.error(e.message),
  });
  return (
    <form className="mt-2" onSubmit={handleSubmit((v) => save.mutate(v))}>
      <Heading>What you call it</Heading>
      <Field label="Name">{(id) => <Input id={id} maxLength={120} {...register("name")} />}</Field>
      <Field label="What it means">{(id) => <Input id={id} maxLength={1_000} {...register("meaning")} />}</Field>
      <SelectField
        control={control}
        name="category"
        label="Category"
        options={[NO_CATEGORY, ...CATEGORIES.map((value) => ({ value, label: value }))]}
      />
      {shape.phrase !== undefined && watch("category") !== "" && (
        <CheckField control={control} name="asPhrase">
          what arrives with “{safeText(shape.phrase)}” gets this category from now on
        </CheckField>
      )}
      <Button type="submit" disabled={save.isPending}>
        Save
      </Button>
    </form>
  );
}
