import type { RuleDetail } from "@halvik/contract/rules";
import { diffLines } from "diff";
import { useState } from "react";
import { useViewStore, usOf } from "../../data/view-store";
import { TextButton } from "../../ui/button";
import { safeText } from "../../ui/safe-text";
import { dayMinute } from "../../ui/time";

/** Lines around a change that are shown with it. */
const AROUND = 1;

/** A rule's versions, the newest first: who made each, when, and what it changed. */
export function VersionList({
  versions,
  onVersion,
}: {
  versions: RuleDetail["versions"];
  onVersion: (text: string) => void;
}) {
  const zone = useViewStore((s) => s.zone);
  const [open, setOpen] = useState<number | null>(null);
  return (
    <ul className="text-ui">
      {versions.map((v, i) => {
        const before = versions[i + 1];
        return (
          <li key={v.version} className="border-t border-line py-0.5">
            <div>
              {v.version} by {safeText(v.author)} <span className="text-quiet">{dayMinute(usOf(v.at), zone)}</span>
            </div>
            <div className="flex gap-3">
              {before && (
                <TextButton
                  aria-expanded={open === v.version}
                  onClick={() => setOpen(open === v.version ? null : v.version)}
                >
                  changes
                </TextButton>
              )}
              <TextButton onClick={() => onVersion(v.text)}>load into the editor</TextButton>
            </div>
            {before && open === v.version && <Difference before={before.text} after={v.text} />}
          </li>
        );
      })}
    </ul>
  );
}

type Line = { readonly sign: "+" | "−" | " "; readonly text: string };

function Difference({ before, after }: { before: string; after: string }) {
  const lines = diffLines(before, after).flatMap((part): Line[] =>
    part.value
      .replace(/\n$/, "")
      .split("\n")
      .map((text) => ({ sign: part.added ? "+" : part.removed ? "−" : " ", text })),
  );
  const changed = lines.flatMap((line, i) => (line.sign === " " ? [] : [i]));
  const shown = lines
    .map((line, i) => ({ ...line, i }))
    .filter(({ i }) => changed.some((c) => Math.abs(c - i) <= AROUND));
  if (shown.length === 0) return <p className="text-quiet">The text is the same: only on, off or observing changed.</p>;
  return (
    <ol aria-label="Changes" className="my-1 border border-line bg-sheet font-mono text-small leading-[1.0625rem]">
      {shown.map(({ sign, text, i }, at) => (
        <li
          key={i}
          className={`flex gap-1.5 px-1 ${sign === " " ? "text-quiet" : sign === "+" ? "bg-fjord-wash" : ""} ${at > 0 && shown[at - 1]!.i < i - 1 ? "border-t border-line" : ""}`}
        >
          <span aria-hidden>{sign}</span>
          <span className="sr-only">{sign === "+" ? "new: " : sign === "−" ? "removed: " : ""}</span>
          <span className={`break-all whitespace-pre-wrap ${sign === "−" ? "line-through decoration-quiet" : ""}`}>
            {safeText(text)}
          </span>
        </li>
      ))}
    </ol>
  );
}
