import type { PaperDetail, QuestionSetJson } from "@halvik/contract/papers";
import { ASKED_OF_NAMES, type AskedOf, LONGEST_VALUE, QuestionSet } from "@halvik/core/papers";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { Link } from "react-router";
import { request } from "../../data/api";
import { askAgainQuery, questionSetsQuery } from "../../data/paper-queries";
import { useWindow } from "../../data/use-window";
import { useViewStore, usOf } from "../../data/view-store";
import { usePinning } from "../../shared/pinning";
import { Button, TextButton } from "../../ui/button";
import { Checkbox } from "../../ui/checkbox";
import { Trouble } from "../../ui/empty-state";
import { Field, Input } from "../../ui/field";
import { safeText } from "../../ui/safe-text";
import { Select } from "../../ui/select";
import { TextArea } from "../../ui/text-area";
import { dayClock } from "../../ui/time";

/** Follows the clock by the minute: counts are costly. */
const STEP_US = 60_000_000;

type Asked = { readonly set: QuestionSet; readonly value: string };

/** A set of searches run on a value: what one asks of an account, an address, a file, each a line with its count. */
export function AskAgain({ paper }: { readonly paper: PaperDetail }) {
  const { data, error } = useQuery(questionSetsQuery);
  const [name, setName] = useState<string | null>(null);
  const [value, setValue] = useState("");
  const [asked, setAsked] = useState<Asked | null>(null);
  const [writing, setWriting] = useState<QuestionSetJson | "new" | null>(null);
  if (error) return <Trouble error={error} what="The sets of questions cannot be shown" />;
  if (!data) return null;
  const own = data.sets.map((s) => ({ key: `own ${s.id}`, set: s.set, kept: s }));
  const all = [...own, ...data.ready.map((set) => ({ key: set.name, set, kept: null }))];
  const chosen = all.find((s) => s.key === name) ?? all[0]!;
  const known = valuesOf(paper, chosen.set.of);
  const ask = (e: FormEvent) => {
    e.preventDefault();
    if (value.trim() !== "") setAsked({ set: chosen.set, value: value.trim() });
  };
  return (
    <>
      <form onSubmit={ask} className="flex flex-wrap items-end gap-2 pt-2">
        <Field label="Set of questions">
          {(id) => (
            <Select
              id={id}
              value={chosen.key}
              options={all.map((s) => ({
                value: s.key,
                label: s.set.name,
                about: s.kept === null ? s.set.about : s.kept.mine ? "yours" : `shared by ${s.kept.owner}`,
              }))}
              onChange={(key) => {
                setName(key);
                setAsked(null);
              }}
              className="w-64"
            />
          )}
        </Field>
        <Field label={`Of which ${chosen.set.of}`}>
          {(id) => (
            <>
              <Input
                id={id}
                list={`${id}-known`}
                value={value}
                maxLength={LONGEST_VALUE}
                onChange={(e) => setValue(e.target.value)}
              />
              <datalist id={`${id}-known`}>
                {known.map((v) => (
                  <option key={v} value={v} />
                ))}
              </datalist>
            </>
          )}
        </Field>
        <div className="mb-2.5">
          <Button main type="submit" disabled={value.trim() === ""}>
            Ask
          </Button>
        </div>
        <p className="mb-2.5 ml-auto flex gap-3 text-ui">
          {chosen.kept?.mine === true && <TextButton onClick={() => setWriting(chosen.kept)}>change it</TextButton>}
          <TextButton onClick={() => setWriting("new")}>a set of one’s own …</TextButton>
        </p>
      </form>
      <p className="text-ui text-quiet">{safeText(chosen.set.about)}; over the window of the rail.</p>
      {writing !== null && (
        <WriteSet kept={writing === "new" ? null : writing} like={chosen.set} onDone={() => setWriting(null)} />
      )}
      {asked !== null && asked.set === chosen.set && <Answers asked={asked} />}
    </>
  );
}

/** What the pins name of that sort: most is asked of what was found. */
function valuesOf(paper: PaperDetail, of: AskedOf): string[] {
  const kind = of === "sender" ? "host" : of === "app" ? "process" : of;
  const named = paper.pins.flatMap(({ record, pinned }) => [
    ...(record?.entities.filter((e) => e.kind === kind).map((e) => e.value) ?? []),
    ...(pinned.is === "portrait" && pinned.kind === kind ? [pinned.value] : []),
  ]);
  return [...new Set(named)];
}

function Answers({ asked: { set, value } }: { readonly asked: Asked }) {
  const { from, to } = useWindow(STEP_US);
  const zone = useViewStore((s) => s.zone);
  const { begin } = usePinning();
  const { data, error, isFetching } = useQuery(
    askAgainQuery({ searches: [...set.searches], of: set.of, value, from, to, zone }),
  );
  if (error) return <Trouble error={error} what="It cannot be asked" />;
  if (!data) return <p className="py-2 text-ui text-quiet">{isFetching ? "asking …" : ""}</p>;
  const moment = (at: string | null) => (at === null ? "" : dayClock(usOf(at), zone));
  return (
    <table className="mt-2 w-full text-left text-ui">
      <thead className="text-quiet">
        <tr>
          {["what", "records", "first", "last", ""].map((h) => (
            <th
              key={h}
              scope="col"
              className={`border-b border-line-strong py-0.5 pr-3 font-normal ${h === "records" ? "text-right" : ""}`}
            >
              {h}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {data.lines.map((l) => (
          <tr key={l.asks} className={`border-b border-line ${l.count === 0 ? "text-quiet" : ""}`} data-testid="answer">
            <td className="py-1 pr-3">
              {safeText(l.asks)}
              {l.problem !== null && <span className="block text-vermilion">{safeText(l.problem)}</span>}
            </td>
            <td className="py-1 pr-3 text-right font-mono">
              {l.problem !== null ? "" : `${l.isExact ? "" : "≥ "}${l.count.toLocaleString("en")}`}
            </td>
            <td className="py-1 pr-3 font-mono text-code whitespace-nowrap">{moment(l.first)}</td>
            <td className="py-1 pr-3 font-mono text-code whitespace-nowrap">{moment(l.last)}</td>
            <td className="py-1 whitespace-nowrap">
              {l.problem === null && (
                <span className="flex gap-3">
                  <Link to={`/records?${new URLSearchParams({ from, to, filter: l.filter })}`}>records</Link>
                  <TextButton
                    onClick={() =>
                      begin([
                        { label: `${l.asks}: ${l.filter}`, pin: { is: "search", filter: l.filter, zone, from, to } },
                      ])
                    }
                  >
                    pin
                  </TextButton>
                </span>
              )}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** A set as lines of text: what it asks, a colon, the filter. */
const asText = (set: QuestionSet): string => set.searches.map((s) => `${s.asks}: ${s.filter}`).join("\n");
const fromText = (text: string): { readonly asks: string; readonly filter: string }[] =>
  text
    .split("\n")
    .filter((line) => line.trim() !== "")
    .map((line) => {
      const at = line.indexOf(":");
      return { asks: line.slice(0, Math.max(0, at)).trim(), filter: line.slice(at + 1).trim() };
    });

function WriteSet({
  kept,
  like,
  onDone,
}: {
  /** Null: a new one. */
  readonly kept: QuestionSetJson | null;
  /** What a new one begins with. */
  readonly like: QuestionSet;
  readonly onDone: () => void;
}) {
  const client = useQueryClient();
  const first = kept?.set ?? { ...like, name: "", about: "" };
  const [name, setName] = useState(first.name);
  const [of, setOf] = useState<AskedOf>(first.of);
  const [about, setAbout] = useState(first.about);
  const [text, setText] = useState(asText(first));
  const [shared, setShared] = useState(kept?.shared ?? false);
  const read = QuestionSet.safeParse({ name, of, about, searches: fromText(text) });
  const save = useMutation({
    mutationFn: (method: "save" | "delete") =>
      kept === null
        ? request("POST", "/question-sets", { set: read.data, shared })
        : method === "delete"
          ? request("DELETE", `/question-sets/${kept.id}`)
          : request("PATCH", `/question-sets/${kept.id}`, { set: read.data, shared, version: kept.version }),
    onSuccess: async () => {
      await client.invalidateQueries({ queryKey: questionSetsQuery.queryKey });
      onDone();
    },
  });
  const issue = read.error?.issues[0];
  return (
    <section aria-label="A set of questions" className="my-2 border border-line-strong p-3">
      <div className="flex flex-wrap gap-3">
        <Field label="Name">
          {(id) => <Input id={id} value={name} maxLength={80} onChange={(e) => setName(e.target.value)} />}
        </Field>
        <Field label="Asked of">
          {(id) => (
            <Select
              id={id}
              value={of}
              options={ASKED_OF_NAMES}
              onChange={(v) => setOf(v as AskedOf)}
              className="w-32"
            />
          )}
        </Field>
        <div className="min-w-64 flex-1">
          <Field label="What it is for">
            {(id) => <Input id={id} value={about} maxLength={400} onChange={(e) => setAbout(e.target.value)} />}
          </Field>
        </div>
      </div>
      <Field
        label="Searches, one a line: what it asks, a colon, a filter with $value"
        error={issue === undefined || name.trim() === "" ? undefined : `${placeOf(issue.path)}${issue.message}`}
      >
        {(id) => (
          <TextArea
            id={id}
            rows={7}
            className="font-mono !text-code"
            value={text}
            onChange={(e) => setText(e.target.value)}
          />
        )}
      </Field>
      <Checkbox checked={shared} onChange={setShared}>
        everybody may ask it
      </Checkbox>
      {save.error && (
        <p role="alert" className="text-vermilion">
          {save.error.message}
        </p>
      )}
      <div className="mt-2 flex gap-2">
        <Button main disabled={!read.success || save.isPending} onClick={() => save.mutate("save")}>
          Keep it
        </Button>
        <Button onClick={onDone}>Cancel</Button>
        {kept !== null && (
          <TextButton className="ml-auto" onClick={() => save.mutate("delete")}>
            delete this set
          </TextButton>
        )}
      </div>
    </section>
  );
}

const placeOf = (path: readonly PropertyKey[]): string =>
  path[0] === "searches" && typeof path[1] === "number" ? `line ${path[1] + 1}: ` : "";
