import type { Suggestions } from "@halvik/contract/load";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "react-router";
import { toast } from "sonner";
import { request, suggestionsQuery } from "../../data/api";
import { usePageKeys } from "../../navigation/keys";
import { useCurrent } from "../../shared/use-current";
import { Button } from "../../ui/button";
import { Trouble } from "../../ui/empty-state";
import { Heading } from "../../ui/page";
import { safeText } from "../../ui/safe-text";

type Suggestion = Suggestions["suggestions"][number];

/** Changes by which less would have come, each with what it would have spared; the key makes it the rule's new version. */
export function SuggestionList() {
  const answer = useQuery(suggestionsQuery);
  const client = useQueryClient();
  const navigate = useNavigate();
  const all = (answer.data?.suggestions ?? []).map((s) => ({ ...s, id: `${s.rule} ${s.kind}` }));
  const { current, move } = useCurrent(all);
  const save = useMutation({
    mutationFn: (s: Suggestion) => request("POST", "/rules", { text: s.text }),
    onSuccess: (_answer, s) => {
      toast.success(`“${s.name}” has a new version: ${s.says}`);
      void client.invalidateQueries({ queryKey: ["load"] });
      void client.invalidateQueries({ queryKey: ["rules"] });
    },
    onError: (e) => toast.error(e.message),
  });
  // with it written in: the rule's page rehearses it against the version that runs
  const open = (s: Suggestion) => navigate(`/rules/${s.rule}`, { state: { text: s.text } });
  const make = (s: Suggestion | undefined) => {
    if (s === undefined || save.isPending) return;
    if (s.failing.length > 0)
      toast.error(`Its own tests would fail: ${s.failing.join(", ")}. Open it to change them too.`);
    else save.mutate(s);
  };
  usePageKeys({
    j: () => move(1),
    k: () => move(-1),
    v: () => make(current ?? undefined),
    Enter: () => current && open(current),
  });
  return (
    <section aria-label="Suggestions">
      <Heading
        small={`from the findings of the last ${answer.data?.days ?? 30} days; nothing that was closed as fixed`}
      >
        What would come less
      </Heading>
      {answer.error && <Trouble error={answer.error} what="Suggestions cannot be made" />}
      {all.map((s) => (
        <div
          key={s.id}
          className={`flex items-center justify-between gap-4 border-b border-line px-1.5 py-1 text-ui ${s.id === current?.id ? "bg-fjord-wash shadow-[inset_2px_0_var(--fjord)]" : ""}`}
        >
          <p className="min-w-0">
            <b className="font-semibold">{safeText(s.name)}</b>: {safeText(s.says)}.{" "}
            <span className="text-quiet">
              {s.without} of {s.came} would not have come{s.kind === "shelving" ? " then" : ""}; none of those was
              closed as fixed{s.expectedOrFalse > 0 && `, ${s.expectedOrFalse} as expected or false`}.
              {s.failing.length > 0 && ` Its test “${safeText(s.failing[0]!)}” would have to change.`}
            </span>
          </p>
          <span className="flex shrink-0 gap-1.5">
            <Button onClick={() => open(s)}>Rehearse</Button>
            <Button
              disabled={save.isPending || s.failing.length > 0}
              onClick={() => make(s)}
              {...(s.id === current?.id ? { shortcut: "v" } : {})}
            >
              Make it so
            </Button>
          </span>
        </div>
      ))}
      {answer.data && all.length === 0 && (
        <p className="text-ui text-quiet">
          Nothing: no change would have spared three findings or more without one that was closed as fixed.
        </p>
      )}
    </section>
  );
}
