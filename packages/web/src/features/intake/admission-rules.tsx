import type { SenderList } from "@halvik/contract/senders";
import { useViewStore, usOf } from "../../data/view-store";
import { TextButton } from "../../ui/button";
import { safeText } from "../../ui/safe-text";
import { dayMinute } from "../../ui/time";

type Rule = SenderList["networks"][number];

/** Blocks whose senders are admitted when they are first heard: by whom, since when, with what they let in. */
export function AdmissionRules({ rules, onTakeBack }: { rules: readonly Rule[]; onTakeBack: (rule: Rule) => void }) {
  const zone = useViewStore((s) => s.zone);
  return rules.map((r) => (
    <div
      key={r.id}
      data-testid="admission-rule"
      className="grid grid-cols-[11.875rem_1fr_auto] items-center gap-3 border-t border-line py-1 text-ui max-slim:grid-cols-1"
    >
      <span className="font-mono">{r.network}</span>
      <span className="text-quiet">
        admitted when first heard · {safeText(r.by)}, {dayMinute(usOf(r.since), zone)} ·{" "}
        {r.admitted === 0
          ? "nobody of it so far"
          : `${r.admitted.toLocaleString("en")} ${r.admitted === 1 ? "sender" : "senders"} of it, ${r.later.toLocaleString("en")} since then`}
      </span>
      <TextButton onClick={() => onTakeBack(r)}>take back</TextButton>
    </div>
  ));
}
