import { FormatError, VALUE_TYPES } from "@halvik/core/decode/lines";
import { FIELD_TARGETS, type Marked, mark, marksOf, templateOf } from "@halvik/core/formats";
import { useId, useRef, useState } from "react";
import { Button, TextButton } from "../../ui/button";
import { CONTROL } from "../../ui/look";
import { safeText } from "../../ui/safe-text";
import { Select } from "../../ui/select";

const TYPES = [{ value: "", label: "as its name says" }, ...VALUE_TYPES.map((t) => ({ value: t, label: t }))];

/** The values of a template in a line, or none where it does not fit. */
function found(template: string, line: string) {
  try {
    return template === "" ? [] : (marksOf(template, line) ?? []);
  } catch (e) {
    if (e instanceof FormatError) return [];
    throw e;
  }
}

/** A line of which parts are marked and named: with the mouse, or with shift and the arrows. */
export function MarkedLine({
  line,
  template,
  onChange,
}: {
  line: string;
  template: string;
  onChange: (template: string) => void;
}) {
  const field = useRef<HTMLInputElement>(null);
  const [part, setPart] = useState<{ start: number; end: number } | null>(null);
  const [name, setName] = useState("");
  const [type, setType] = useState("");
  const list = useId();
  const marks = found(template, line);
  const take = () => {
    const { selectionStart, selectionEnd } = field.current!;
    if (selectionStart === null || selectionEnd === null || selectionStart === selectionEnd) setPart(null);
    else setPart({ start: selectionStart, end: selectionEnd });
  };
  const add = () => {
    if (part === null) return;
    onChange(
      mark(template, line, { ...part, name: `${name.replace(/[{}]/g, "").trim()}${type === "" ? "" : `:${type}`}` }),
    );
    setPart(null);
    setName("");
    setType("");
    field.current!.focus();
  };
  return (
    <div>
      <input
        ref={field}
        value={line}
        aria-readonly
        spellCheck={false}
        aria-label="A line: select a part and name it"
        className={`w-full font-mono text-code ${CONTROL}`}
        onSelect={take}
        // one that is read-only shows no caret: it could not be selected by keyboard
        onChange={() => undefined}
      />
      {part === null ? (
        <p className="text-code text-quiet">
          Select a part of the line, with the mouse or with shift and the arrows, and say what it is.
        </p>
      ) : (
        <div className="mt-1 flex flex-wrap items-center gap-1.5 text-ui">
          <code className="bg-wash px-1 font-mono text-code">{safeText(line.slice(part.start, part.end))}</code>
          is
          <input
            aria-label="Name of the part"
            list={list}
            value={name}
            maxLength={60}
            placeholder="a field or a name of its own"
            className={`w-52 ${CONTROL}`}
            onChange={(e) => setName(e.target.value)}
            onKeyDown={(e) => {
              if (e.key !== "Enter") return;
              e.preventDefault();
              add();
            }}
          />
          <Select label="Type of the part" value={type} onChange={setType} options={TYPES} />
          <Button onClick={add}>Mark it</Button>
        </div>
      )}
      <datalist id={list}>
        {FIELD_TARGETS.map((t) => (
          <option key={t} value={t} />
        ))}
      </datalist>
      {marks.length > 0 && (
        <ul className="mt-1 flex flex-wrap items-baseline gap-x-4 gap-y-1 text-ui" aria-label="Values of the line">
          {marks.map((m) => (
            <li key={m.start}>
              <input
                key={m.name}
                aria-label={`Name of ${line.slice(m.start, m.end)}`}
                list={list}
                defaultValue={m.name}
                placeholder="passed over"
                maxLength={60}
                size={Math.max(m.name.length, 10)}
                className={`py-0 ${CONTROL}`}
                onBlur={(e) => {
                  if (e.target.value !== m.name) onChange(renamed(line, marks, m.start, e.target.value));
                }}
                onKeyDown={(e) => {
                  if (e.key !== "Enter") return;
                  e.preventDefault();
                  e.currentTarget.blur();
                }}
              />{" "}
              <span className="font-mono text-code">{safeText(line.slice(m.start, m.end))}</span>{" "}
              <TextButton
                aria-label={`No value: ${m.name}`}
                onClick={() => onChange(templateWithout(line, marks, m.start))}
              >
                ×
              </TextButton>
            </li>
          ))}
        </ul>
      )}
    </div>
  );
}

const templateWithout = (line: string, marks: readonly Marked[], start: number): string =>
  templateOf(
    line,
    marks.filter((m) => m.start !== start),
  );

/** Braces have a meaning of their own: none stands in a name. */
const renamed = (line: string, marks: readonly Marked[], start: number, name: string): string =>
  templateOf(
    line,
    marks.map((m) => (m.start === start ? { ...m, name: name.replace(/[{}]/g, "").trim() } : m)),
  );
