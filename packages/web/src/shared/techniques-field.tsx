import { Technique } from "@halvik/core/respond/incidents";
import { type FormEvent, useState } from "react";
import { TextButton } from "../ui/button";
import { Input } from "../ui/field";

/** Techniques of MITRE ATT&CK by their ids. */
export function TechniquesField({
  techniques,
  fixed = [],
  mayWrite,
  onChange,
}: {
  readonly techniques: readonly string[];
  /** Those that stand without anybody having said so. */
  readonly fixed?: readonly string[];
  readonly mayWrite: boolean;
  readonly onChange: (techniques: string[]) => void;
}) {
  const [text, setText] = useState("");
  const read = Technique.safeParse(text);
  const submit = (e: FormEvent) => {
    e.preventDefault();
    if (!read.success) return;
    onChange([...new Set([...techniques, read.data])]);
    setText("");
  };
  return (
    <form onSubmit={submit} className="flex flex-wrap items-center gap-x-2 gap-y-0.5 text-ui">
      <span className="text-quiet">techniques</span>
      {fixed.map((t) => (
        <span key={t} className="font-mono text-code">
          {t}
        </span>
      ))}
      {techniques.map((t) => (
        <span key={t} className="font-mono text-code">
          {t}
          {mayWrite && (
            <TextButton
              aria-label={`No longer ${t}`}
              className="ml-0.5"
              onClick={() => onChange(techniques.filter((other) => other !== t))}
            >
              ×
            </TextButton>
          )}
        </span>
      ))}
      {mayWrite && (
        <span className="w-24">
          <Input
            aria-label="A technique’s id"
            placeholder="another"
            value={text}
            maxLength={9}
            onChange={(e) => setText(e.target.value)}
            className="!py-0 font-mono !text-code"
          />
        </span>
      )}
      {text !== "" && !read.success && <span className="text-small text-quiet">such as T1078 or T1070.001</span>}
    </form>
  );
}
