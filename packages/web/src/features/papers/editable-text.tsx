import { type ReactNode, useId, useState } from "react";
import { Button, TextButton } from "../../ui/button";
import { safeText } from "../../ui/safe-text";
import { TextArea } from "../../ui/text-area";

interface EditableTextProps {
  readonly label: string;
  /** As it is kept now. */
  readonly text: string;
  /** Counts up with each change of it, by whomever. */
  readonly version: number;
  readonly changedBy: string;
  readonly mayWrite: boolean;
  readonly most: number;
  /** What changing it is called, where “change” does not say it. */
  readonly verb?: string;
  /** What stands there while nothing is written. */
  readonly placeholder: string;
  /** @param version the one that was seen: of another nothing is overwritten */
  readonly onSave: (text: string, version: number) => Promise<unknown>;
  /** How it is shown. */
  readonly children: ReactNode;
}

/** A text that several people may change: whoever finds it changed meanwhile sees both, and nothing is lost. */
export function EditableText(props: EditableTextProps) {
  const { label, text, version, mayWrite, placeholder, verb = "change", children } = props;
  const [begun, setBegun] = useState<{ readonly text: string; readonly version: number } | null>(null);
  if (begun !== null)
    return <Editing key={begun.version} {...props} begun={begun} onBegin={setBegun} onEnd={() => setBegun(null)} />;
  return (
    <div>
      {text === "" ? <p className="text-ui text-quiet">{placeholder}</p> : children}
      {mayWrite && (
        <TextButton className="text-small" onClick={() => setBegun({ text, version })} aria-label={`Write: ${label}`}>
          {text === "" ? "write" : verb}
        </TextButton>
      )}
    </div>
  );
}

function Editing({
  label,
  text,
  version,
  changedBy,
  most,
  onSave,
  begun,
  onBegin,
  onEnd,
}: EditableTextProps & {
  readonly begun: { readonly text: string; readonly version: number };
  readonly onBegin: (begun: { readonly text: string; readonly version: number }) => void;
  readonly onEnd: () => void;
}) {
  const id = useId();
  const [draft, setDraft] = useState(begun.text);
  const [trouble, setTrouble] = useState<string | null>(null);
  const [isBusy, setBusy] = useState(false);
  const isOther = version !== begun.version && text !== begun.text;
  const save = async () => {
    setBusy(true);
    try {
      // what is shown is what was seen: also where only something else of the same has changed
      await onSave(draft.trim(), version);
      onEnd();
    } catch (e) {
      setTrouble((e as Error).message);
    } finally {
      setBusy(false);
    }
  };
  return (
    <div className="mb-2">
      <label htmlFor={id} className="sr-only">
        {label}
      </label>
      <TextArea
        id={id}
        rows={Math.min(14, Math.max(3, draft.split("\n").length + 1))}
        maxLength={most}
        autoFocus
        value={draft}
        onChange={(e) => setDraft(e.target.value)}
        onKeyDown={(e) => {
          if (e.key === "Escape") onEnd();
          if (e.key === "Enter" && (e.ctrlKey || e.metaKey) && !isBusy) void save();
        }}
      />
      {isOther && (
        <div role="alert" className="mb-1 border-l-2 border-ochre px-2 py-1 text-ui">
          {safeText(changedBy)} has changed this meanwhile. It says now:
          <p className="my-1 whitespace-pre-wrap text-quiet">{text === "" ? "(nothing)" : safeText(text)}</p>
          <TextButton onClick={onEnd}>leave it so</TextButton>
          {" · "}
          <TextButton onClick={() => onBegin({ text: `${text}\n\n${draft}`, version })}>both together</TextButton>
        </div>
      )}
      {trouble !== null && !isOther && (
        <p role="alert" className="text-vermilion">
          {trouble}
        </p>
      )}
      <div className="flex items-baseline gap-1.5">
        <Button main disabled={isBusy} onClick={() => void save()}>
          {isOther ? "Mine instead" : "Save"}
        </Button>
        <Button onClick={onEnd}>Cancel</Button>
        <span className="text-small text-quiet">Markdown; Ctrl+Enter saves</span>
      </div>
    </div>
  );
}
