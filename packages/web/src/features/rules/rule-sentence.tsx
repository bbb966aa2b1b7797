import { behaviour, type Draft, type Path, type Piece, sentence } from "@halvik/core/detect/form";
import { Plus, X } from "lucide-react";
import { Fragment } from "react";
import type { Document } from "yaml";
import { doAct, setValue } from "./edit-rule";
import { Picker } from "./picker";
import { keepTitle } from "./rule-head";
import { useFilterHelp } from "./use-filter-help";

/** A rule as a sentence whose values are picked in their places; it and the file say the same at all times. */
export function RuleSentence({ document, onChange }: { document: Document; onChange: (text: string) => void }) {
  const help = useFilterHelp();
  const rule = (document.toJS() ?? {}) as Draft;
  const edit = (change: () => void) => {
    keepTitle(document, change);
    onChange(document.toString({ lineWidth: 100 }));
  };
  const said = (pieces: readonly Piece[]) =>
    pieces.map((piece, i) => {
      if (typeof piece === "string") return <Fragment key={i}>{piece}</Fragment>;
      if ("do" in piece)
        return (
          <button
            key={piece.label + piece.at.join(".")}
            type="button"
            aria-label={piece.label}
            className={
              piece.do === "append"
                ? "mr-2.5 inline-flex items-center gap-0.5 align-middle text-ui leading-5 text-fjord"
                : "mx-0.5 align-middle text-quiet hover:text-vermilion"
            }
            onClick={() => edit(() => doAct(document, piece))}
          >
            {piece.do === "append" ? (
              <>
                <Plus size={13} aria-hidden /> {piece.label}
              </>
            ) : (
              <X size={13} aria-hidden />
            )}
          </button>
        );
      return (
        <Picker
          key={piece.at.join(".")}
          piece={piece}
          value={valueAt(rule, piece.at)}
          help={help}
          onChange={(v) => edit(() => setValue(document, piece.at, v))}
        />
      );
    });
  return (
    <>
      <div className="max-w-[96ch] py-1 text-body leading-[1.875rem]" data-testid="rule-sentence">
        {said(sentence(rule))}
      </div>
      <div className="max-w-[96ch] py-1 text-body leading-[1.875rem] text-quiet" data-testid="rule-behaviour">
        {said(behaviour(rule))}
      </div>
    </>
  );
}

const valueAt = (value: unknown, at: Path): unknown =>
  at.reduce<unknown>((v, step) => (v as Record<string | number, unknown> | undefined)?.[step], value);
