import { FIELDS, SEVERITIES } from "@halvik/core/record";
import { Fragment, useId } from "react";
import { type Document, isCollection } from "yaml";

type Path = readonly (string | number)[];

/** A piece of the sentence: words, or a value of the rule at a place, with how it is picked. */
type Piece =
  | string
  | { readonly at: Path; readonly as: "number" | "filter" | "fields" | "field" | "text" }
  | { readonly at: Path; readonly as: "choice"; readonly of: readonly string[] };

const n = (...at: Path): Piece => ({ at, as: "number" });
const filter = (...at: Path): Piece => ({ at, as: "filter" });
const choice = (of: readonly string[], ...at: Path): Piece => ({ at, as: "choice", of });
const KEY: Piece = { at: ["key"], as: "fields" };

interface Shape {
  readonly kind?: unknown;
  readonly steps?: readonly { readonly absent?: boolean; readonly count?: number }[];
  readonly parts?: readonly unknown[];
  readonly measure?: { readonly of?: string };
  readonly judgement?: { readonly by?: string };
  readonly clear?: { readonly by?: string };
}

/** The sentence of a rule's condition, by kind. */
function condition(rule: Shape): readonly Piece[] {
  switch (rule.kind) {
    case "count":
      return [
        n("count"),
        " records within ",
        n("windowSeconds"),
        " s with the same ",
        KEY,
        " match ",
        filter("filter"),
      ];
    case "distinct":
      return [
        "within ",
        n("windowSeconds"),
        " s records with the same ",
        KEY,
        " name ",
        n("count"),
        " different values of ",
        { at: ["of"], as: "field" },
        " and match ",
        filter("filter"),
      ];
    case "sequence":
      return [
        "within ",
        n("windowSeconds"),
        " s with the same ",
        KEY,
        ", in this order: ",
        ...(rule.steps ?? []).flatMap((step, i): Piece[] => [
          step.absent ? `${i + 1}. nothing that matches ` : `${i + 1}. `,
          ...(step.count === undefined ? [] : [n("steps", i, "count"), " × "]),
          filter("steps", i, "filter"),
          ...(i > 0 ? [" within ", n("steps", i, "withinSeconds"), " s"] : []),
          ...(i < (rule.steps?.length ?? 0) - 1 ? ["; "] : []),
        ]),
      ];
    case "together":
      return [
        "within ",
        n("windowSeconds"),
        " s with the same ",
        KEY,
        ", in any order, these come: ",
        ...(rule.parts ?? []).flatMap((_, i): Piece[] => [...(i > 0 ? ["; "] : []), filter("parts", i, "filter")]),
      ];
    case "silence":
      return [
        "nothing comes with the same ",
        KEY,
        " for ",
        n("afterSeconds"),
        " s after a record that matched ",
        filter("filter"),
      ];
    case "first":
      return [
        "a ",
        KEY,
        " comes that was not seen for ",
        n("unseenDays"),
        " d (after ",
        n("learningDays"),
        " d of learning) and matches ",
        filter("filter"),
      ];
    case "departure":
      return [
        "of each ",
        KEY,
        ", ",
        choice(["records", "sum", "value", "spacing"], "measure", "of"),
        ...(rule.measure?.of === "sum" ? [" of ", { at: ["measure", "field"], as: "field" } as const] : []),
        " in ",
        n("everySeconds"),
        " s departs by ",
        choice(["line", "baseline", "ewma", "cusum"], "judgement", "by"),
        ...(rule.judgement?.by === "line"
          ? [
              " ",
              choice(["over", "under"], "judgement", "side"),
              " ",
              n("judgement", "raiseAt"),
              ", until back at ",
              n("judgement", "clearAt"),
            ]
          : rule.judgement?.by === "baseline"
            ? [" ", choice(["over", "under", "both"], "judgement", "side"), " a score of ", n("judgement", "z")]
            : []),
        ", of what matches ",
        filter("filter"),
      ];
    case "ratio":
      return [
        "of at least ",
        n("least"),
        " records of each ",
        KEY,
        " within ",
        n("everySeconds"),
        " s that match ",
        filter("of"),
        ", ",
        choice(["over", "under"], "side"),
        " the part ",
        n("raiseAt"),
        " matches ",
        filter("filter"),
      ];
    default:
      return ["… (choose a kind in the file below)"];
  }
}

const clearing = (rule: Shape): readonly Piece[] => [
  ". It clears by ",
  choice(["quiet", "record", "condition", "hand"], "clear", "by"),
  ...(rule.clear?.by === "quiet"
    ? [" of ", n("clear", "seconds"), " s"]
    : rule.clear?.by === "record"
      ? [" that matches ", filter("clear", "filter")]
      : []),
  ".",
];

/** A rule as a sentence whose values are picked in their places; it and the file say the same at all times. */
export function RuleSentence({ document, onChange }: { document: Document; onChange: (text: string) => void }) {
  const rule = (document.toJS() ?? {}) as Shape;
  const set = (at: Path, value: unknown) => {
    document.setIn(at, isCollection(value) ? value : document.createNode(value));
    // a rule cleared in another way has other parts
    if (at[0] === "clear" && at[1] === "by")
      document.setIn(
        ["clear"],
        document.createNode(
          value === "quiet"
            ? { by: "quiet", seconds: 900 }
            : value === "record"
              ? // clear starts as a copy of raise
                { by: "record", filter: document.getIn(["filter"]) ?? document.getIn(["steps", 0, "filter"]) ?? "" }
              : { by: value },
        ),
      );
    onChange(document.toString({ lineWidth: 100 }));
  };
  const pieces: readonly Piece[] = [
    "Raise ",
    choice(SEVERITIES, "severity"),
    " when ",
    ...condition(rule),
    ...clearing(rule),
  ];
  return (
    <p className="max-w-[96ch] py-1 text-[14px] leading-[30px]" data-testid="rule-sentence">
      {pieces.map((piece, i) =>
        typeof piece === "string" ? (
          <Fragment key={i}>{piece}</Fragment>
        ) : (
          <Picker
            key={piece.at.join(".")}
            piece={piece}
            value={valueAt(rule, piece.at)}
            onChange={(v) => set(piece.at, v)}
          />
        ),
      )}
    </p>
  );
}

const valueAt = (value: unknown, at: Path): unknown =>
  at.reduce<unknown>((v, step) => (v as Record<string | number, unknown> | undefined)?.[step], value);

const look = "mx-0.5 border-0 border-b border-dotted border-ink bg-sheet px-1 font-mono text-[13px] leading-5";

function Picker({
  piece,
  value,
  onChange,
}: {
  piece: Exclude<Piece, string>;
  value: unknown;
  onChange: (value: unknown) => void;
}) {
  const list = useId();
  const label = piece.at.join(" ");
  switch (piece.as) {
    case "number":
      return (
        <input
          aria-label={label}
          type="number"
          className={`${look} w-24`}
          value={value === undefined ? "" : Number(value)}
          onChange={(e) => e.target.value !== "" && onChange(Number(e.target.value))}
        />
      );
    case "choice":
    case "field": {
      const of = piece.as === "choice" ? piece.of : FIELDS.map((f) => f.name);
      return (
        <select
          aria-label={label}
          className={look}
          value={String(value ?? "")}
          onChange={(e) => onChange(e.target.value)}
        >
          {!of.includes(String(value)) && <option>{String(value ?? "")}</option>}
          {of.map((o) => (
            <option key={o}>{o}</option>
          ))}
        </select>
      );
    }
    case "fields":
      return (
        <>
          <input
            aria-label={label}
            list={list}
            className={`${look} w-40`}
            value={Array.isArray(value) ? value.join(", ") : ""}
            placeholder="everything together"
            onChange={(e) =>
              onChange(e.target.value.split(/\s*,\s*/).filter((f, i, all) => f !== "" || i < all.length - 1))
            }
          />
          <datalist id={list}>
            {FIELDS.map((f) => (
              <option key={f.name} value={f.name} />
            ))}
          </datalist>
        </>
      );
    default:
      return (
        <input
          aria-label={label}
          spellCheck={false}
          className={look}
          style={{ width: `${Math.min(Math.max(String(value ?? "").length + 2, 18), 90)}ch` }}
          value={String(value ?? "")}
          onChange={(e) => onChange(e.target.value)}
        />
      );
  }
}
