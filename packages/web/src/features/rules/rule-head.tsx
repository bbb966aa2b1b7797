import { type Draft, ruleIdOf, titleOf } from "@halvik/core/detect/form";
import type { Document } from "yaml";
import { Field, Input } from "../../ui/field";
import { setValue } from "./edit-rule";

interface RuleHeadProps {
  readonly document: Document;
  readonly isNew: boolean;
  /** Ids of the rules there are. */
  readonly taken: readonly string[];
  readonly onChange: (text: string) => void;
}

/** What a rule is called, and how what it raises is titled. Until somebody writes one, the title follows from the rest. */
export function RuleHead({ document, isNew, taken, onChange }: RuleHeadProps) {
  const rule = (document.toJS() ?? {}) as Draft & { id?: unknown; title?: unknown };
  const name = String(rule.name ?? "");
  const title = String(rule.title ?? "");
  const follows = titleOf(rule);
  const put = (changes: Readonly<Record<string, unknown>>) => {
    for (const [at, value] of Object.entries(changes)) setValue(document, [at], value);
    onChange(document.toString({ lineWidth: 100 }));
  };
  const rename = (next: string) =>
    put({
      name: next,
      // a rule that has been saved keeps what it is filed under
      ...(isNew && rule.id === ruleIdOf(name, taken) ? { id: ruleIdOf(next, taken) } : {}),
      ...(title === follows ? { title: titleOf({ ...rule, name: next }) } : {}),
    });
  return (
    <div className="grid max-w-[96ch] grid-cols-[repeat(auto-fit,minmax(16.25rem,1fr))] gap-x-4 pt-2">
      <Field label="Name" hint={`filed as ${String(rule.id ?? "")}`}>
        {(id) => (
          <Input
            id={id}
            autoFocus={isNew}
            maxLength={120}
            value={name}
            onFocus={(e) => isNew && e.target.select()}
            onChange={(e) => rename(e.target.value)}
          />
        )}
      </Field>
      <Field
        label="Title of its incidents"
        hint={
          title === follows
            ? "made of the name and of what the records share"
            : "{count} and fields such as {src} are filled in"
        }
      >
        {(id) => <Input id={id} maxLength={200} value={title} onChange={(e) => put({ title: e.target.value })} />}
      </Field>
    </div>
  );
}

/** A change of the rule, with a title that follows it. */
export function keepTitle(document: Document, change: () => void): void {
  const before = (document.toJS() ?? {}) as Draft & { title?: unknown };
  const followed = before.title === titleOf(before);
  change();
  if (followed) setValue(document, ["title"], titleOf((document.toJS() ?? {}) as Draft));
}
