import type { EntryJson, PaperDetail } from "@halvik/contract/papers";
import { cutText } from "@halvik/core/base/text";
import { CONFIDENCES, type Entry, HYPOTHESIS_STATES, linkPins } from "@halvik/core/papers";
import { Link } from "react-router";
import { useViewStore, usOf } from "../../data/view-store";
import { useLineToSend } from "../../shared/use-line-to-send";
import { Checkbox } from "../../ui/checkbox";
import { Input } from "../../ui/field";
import { Notes } from "../../ui/markdown";
import { Heading } from "../../ui/page";
import { safeText } from "../../ui/safe-text";
import { Select } from "../../ui/select";
import { TextArea } from "../../ui/text-area";
import { dayMinute } from "../../ui/time";
import { DeleteButton } from "../../ui/twice-button";
import { EditableText } from "./editable-text";
import { PinNumbers } from "./pin-numbers";
import { changedFacts, usePaperAct } from "./use-paper-act";

/** So much of a text says which one is meant. */
const LONGEST_ABOUT = 80;

interface WrittenProps {
  readonly paper: PaperDetail;
  readonly onPin: (number: number) => void;
}

/** What people write: the question and what was found, hypotheses, questions, tasks, notes, and earlier ones like it. */
export function Written({ paper, onPin }: WrittenProps) {
  const { mutateAsync } = usePaperAct(paper.id);
  const isOpen = paper.facts.state !== "closed";
  const mayWrite = paper.mayWrite && isOpen;
  const { facts } = paper;
  const text = (label: string, name: "question" | "conclusion", most: number, placeholder: string) => (
    <>
      <Heading>{label}</Heading>
      <EditableText
        label={label}
        text={facts[name]}
        version={paper.version}
        changedBy={paper.changedBy}
        mayWrite={mayWrite}
        most={most}
        placeholder={placeholder}
        onSave={(written, version) => mutateAsync(changedFacts(paper, { [name]: written }, version))}
      >
        <Markdown text={facts[name]} onPin={onPin} />
      </EditableText>
    </>
  );
  const of = <Is extends Entry["is"]>(is: Is) => paper.entries.filter((e): e is EntryOf<Is> => e.entry.is === is);
  const shared = { paper, mayWrite, onPin };
  return (
    <>
      {text("The question", "question", 2_000, "What is it to find out?")}
      {text("What was found", "conclusion", 10_000, "Nothing has been concluded yet.")}
      <Hypotheses {...shared} entries={of("hypothesis")} />
      <Questions {...shared} entries={of("question")} />
      <Tasks {...shared} entries={of("task")} />
      <NotesOf {...shared} entries={of("note")} />
      {paper.earlier.length > 0 && (
        <>
          <Heading>Earlier ones like it</Heading>
          <ul className="text-ui">
            {paper.earlier.map((e) => (
              <li key={e.id} className="mb-1">
                <Link to={`/investigations/${e.id}`}>{safeText(e.name)}</Link>
                <span className="block text-quiet">
                  {safeText(e.conclusion)} <i>shares {safeText(e.shares.slice(0, 4).join(", "))}</i>
                </span>
              </li>
            ))}
          </ul>
        </>
      )}
    </>
  );
}

/** Markdown whose `#12` lead to pins. */
export const Markdown = ({ text, onPin }: { readonly text: string; readonly onPin: (number: number) => void }) => (
  <Notes text={linkPins(text)} onInner={(place) => onPin(Number(place.replace("pin-", "")))} />
);

type EntryOf<Is extends Entry["is"]> = EntryJson & { readonly entry: Extract<Entry, { is: Is }> };
interface ListProps<Is extends Entry["is"]> {
  readonly paper: PaperDetail;
  readonly entries: readonly EntryOf<Is>[];
  readonly mayWrite: boolean;
  readonly onPin: (number: number) => void;
}

/** Changes an entry, and says in words what could not be. */
function useEntryActs(paper: PaperDetail) {
  const act = usePaperAct(paper.id);
  return {
    error: act.error,
    /** @returns whether it was added */
    add: (entry: object) =>
      act.mutateAsync({ method: "POST", path: "/entries", body: { entry } }).then(
        () => true,
        () => false,
      ),
    change: (e: EntryJson, entry: Entry, version = e.version) =>
      act.mutateAsync({ method: "PATCH", path: `/entries/${e.id}`, body: { entry, version } }),
    remove: (e: EntryJson) => act.mutate({ method: "DELETE", path: `/entries/${e.id}` }),
  };
}

/** One line to begin something with. */
function Begin({
  label,
  placeholder,
  most,
  isLong = false,
  onAdd,
}: {
  readonly label: string;
  readonly placeholder: string;
  readonly most: number;
  /** Several lines: Enter sends, with Shift it begins a new one. */
  readonly isLong?: boolean;
  /** @returns whether it was added */
  readonly onAdd: (text: string) => Promise<boolean>;
}) {
  const { text, setText, submit } = useLineToSend(onAdd);
  const field = { "aria-label": label, placeholder, value: text, maxLength: most };
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault();
        void submit();
      }}
      className="mt-1"
    >
      {isLong ? (
        <TextArea {...field} onChange={(e) => setText(e.target.value)} onSend={() => void submit()} />
      ) : (
        <Input {...field} onChange={(e) => setText(e.target.value)} />
      )}
    </form>
  );
}

const Failed = ({ error }: { readonly error: Error | null }) =>
  error === null ? null : (
    <p role="alert" className="text-ui text-vermilion">
      {error.message}
    </p>
  );

function Hypotheses({ paper, entries, mayWrite, onPin }: ListProps<"hypothesis">) {
  const { add, change, remove, error } = useEntryActs(paper);
  return (
    <section aria-label="Hypotheses">
      <Heading small={entries.length === 0 ? "none yet" : undefined}>Hypotheses</Heading>
      {entries.map((e) => {
        const { entry } = e;
        const put = (parts: Partial<typeof entry>) => void change(e, { ...entry, ...parts }).catch(() => undefined);
        return (
          <article key={e.id} className="mb-2 border-l-2 border-line-strong pl-2 text-ui">
            <EditableText
              label="Hypothesis"
              text={entry.text}
              version={e.version}
              changedBy={e.changedBy}
              mayWrite={mayWrite}
              most={2_000}
              placeholder=""
              onSave={(text, version) => change(e, { ...entry, text }, version)}
            >
              <p className={entry.state === "refuted" ? "text-quiet line-through" : "font-semibold"}>
                {safeText(entry.text)}
              </p>
            </EditableText>
            <div className="flex flex-wrap items-baseline gap-x-2">
              <Select
                plain
                label="State of the hypothesis"
                value={entry.state}
                options={HYPOTHESIS_STATES}
                disabled={!mayWrite}
                onChange={(state) => put({ state: state as (typeof HYPOTHESIS_STATES)[number] })}
              />
              <span className="text-quiet">confidence</span>
              <Select
                plain
                label="Confidence"
                value={entry.confidence}
                options={CONFIDENCES}
                disabled={!mayWrite}
                onChange={(confidence) => put({ confidence: confidence as (typeof CONFIDENCES)[number] })}
              />
              {mayWrite && (
                <DeleteButton
                  inText
                  className="ml-auto text-small"
                  about={cutText(e.entry.text, LONGEST_ABOUT)}
                  onDelete={() => remove(e)}
                />
              )}
            </div>
            <PinNumbers
              label="for"
              paper={paper}
              numbers={entry.speaksFor}
              mayWrite={mayWrite}
              onPin={onPin}
              onChange={(speaksFor) => put({ speaksFor })}
            />
            <PinNumbers
              label="against"
              paper={paper}
              numbers={entry.speaksAgainst}
              mayWrite={mayWrite}
              onPin={onPin}
              onChange={(speaksAgainst) => put({ speaksAgainst })}
            />
          </article>
        );
      })}
      <Failed error={error} />
      {mayWrite && (
        <Begin
          label="A new hypothesis"
          placeholder="what may have happened"
          most={2_000}
          onAdd={(text) => add({ is: "hypothesis", text })}
        />
      )}
    </section>
  );
}

function Questions({ paper, entries, mayWrite, onPin }: ListProps<"question">) {
  const { add, change, remove, error } = useEntryActs(paper);
  const open = entries.filter((e) => e.entry.answer === "").length;
  return (
    <section aria-label="Questions">
      <Heading small={entries.length === 0 ? "none" : open === 0 ? "all answered" : `${open} open`}>Questions</Heading>
      <ul className="text-ui">
        {entries.map((e) => (
          <li key={e.id} className="mb-1.5">
            <span className="flex items-baseline gap-2">
              <span className={e.entry.answer === "" ? "font-semibold" : ""}>{safeText(e.entry.text)}</span>
              {mayWrite && (
                <DeleteButton
                  inText
                  className="ml-auto text-small"
                  about={cutText(e.entry.text, LONGEST_ABOUT)}
                  onDelete={() => remove(e)}
                />
              )}
            </span>
            <EditableText
              label={`Answer: ${e.entry.text}`}
              text={e.entry.answer}
              version={e.version}
              changedBy={e.changedBy}
              mayWrite={mayWrite}
              most={5_000}
              placeholder="open"
              onSave={(answer, version) => change(e, { ...e.entry, answer }, version)}
            >
              <Markdown text={e.entry.answer} onPin={onPin} />
            </EditableText>
          </li>
        ))}
      </ul>
      <Failed error={error} />
      {mayWrite && (
        <Begin
          label="A new question"
          placeholder="what is not known yet"
          most={1_000}
          onAdd={(text) => add({ is: "question", text })}
        />
      )}
    </section>
  );
}

function Tasks({ paper, entries, mayWrite }: ListProps<"task">) {
  const { add, change, remove, error } = useEntryActs(paper);
  const open = entries.filter((e) => !e.entry.isDone).length;
  return (
    <section aria-label="Tasks">
      <Heading small={entries.length === 0 ? "none" : open === 0 ? "all done" : `${open} to do`}>Tasks</Heading>
      <ul className="text-ui">
        {entries.map((e) => (
          <li key={e.id} className="flex items-baseline gap-2">
            <Checkbox
              checked={e.entry.isDone}
              disabled={!mayWrite}
              onChange={(isDone) => void change(e, { ...e.entry, isDone }).catch(() => undefined)}
            >
              <span className={e.entry.isDone ? "text-quiet line-through" : ""}>{safeText(e.entry.text)}</span>
            </Checkbox>
            {(mayWrite || e.entry.assignedTo !== "") && (
              <Select
                plain
                label={`Who does: ${e.entry.text}`}
                value={e.entry.assignedTo}
                disabled={!mayWrite}
                options={[
                  { value: "", label: "nobody yet" },
                  ...[...new Set([paper.owner, ...paper.facts.people.map((p) => p.name), e.entry.assignedTo])]
                    .filter((name) => name !== "")
                    .map((name) => ({ value: name, label: name })),
                ]}
                onChange={(assignedTo) => void change(e, { ...e.entry, assignedTo }).catch(() => undefined)}
                className="ml-auto"
              />
            )}
            {mayWrite && (
              <DeleteButton
                inText
                className="text-small"
                about={cutText(e.entry.text, LONGEST_ABOUT)}
                onDelete={() => remove(e)}
              />
            )}
          </li>
        ))}
      </ul>
      <Failed error={error} />
      {mayWrite && (
        <Begin
          label="A new task"
          placeholder="what is to be done"
          most={400}
          onAdd={(text) => add({ is: "task", text })}
        />
      )}
    </section>
  );
}

function NotesOf({ paper, entries, mayWrite, onPin }: ListProps<"note">) {
  const { add, change, remove, error } = useEntryActs(paper);
  const zone = useViewStore((s) => s.zone);
  return (
    <section aria-label="Notes">
      <Heading small="#3 leads to pin 3">Notes</Heading>
      {entries.map((e) => (
        <article key={e.id} className="mb-2">
          <p className="flex items-baseline gap-2 text-small text-quiet">
            {safeText(e.author)}, {dayMinute(usOf(e.created), zone)}
            {e.version > 1 && `, changed by ${safeText(e.changedBy)} ${dayMinute(usOf(e.changed), zone)}`}
            {mayWrite && (
              <DeleteButton inText className="ml-auto" about={`what ${e.author} noted`} onDelete={() => remove(e)} />
            )}
          </p>
          <EditableText
            label={`Note of ${e.author}`}
            text={e.entry.text}
            version={e.version}
            changedBy={e.changedBy}
            mayWrite={mayWrite}
            most={50_000}
            placeholder=""
            onSave={(text, version) => change(e, { ...e.entry, text }, version)}
          >
            <Markdown text={e.entry.text} onPin={onPin} />
          </EditableText>
        </article>
      ))}
      <Failed error={error} />
      {mayWrite && (
        <Begin
          label="A new note"
          placeholder="a note, as Markdown"
          most={50_000}
          isLong
          onAdd={(text) => add({ is: "note", text })}
        />
      )}
    </section>
  );
}
