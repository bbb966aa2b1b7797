import type { ArrivalPreview, ArrivalRuleJson } from "@halvik/contract/arrival";
import { bytesText } from "@halvik/core/meaning/sentence";
import { useQuery } from "@tanstack/react-query";
import { request } from "../../data/api";
import { TextButton } from "../../ui/button";

const DEBUG = "severity is debug";
const SPEAKS_OF_DEBUG = /\bseverity\b.*\bdebug\b/i;
const n = (count: number): string => Math.round(count).toLocaleString("en");

/** What debug messages take, where they come and no rule speaks of them: the usual first thing to drop. */
export function DebugOffer({
  rules,
  onMake,
}: {
  readonly rules: readonly ArrivalRuleJson[];
  /** Begins a rule with this filter. */
  readonly onMake: (filter: string, name: string) => void;
}) {
  const isNamed = rules.some((r) => SPEAKS_OF_DEBUG.test(r.rule.filter));
  const { data } = useQuery({
    queryKey: ["arrival preview", DEBUG],
    queryFn: () =>
      request<ArrivalPreview>("POST", "/arrival-rules/preview", { name: "debug", filter: DEBUG, does: "drop" }),
    enabled: !isNamed,
    staleTime: 600_000,
  });
  if (isNamed || data === undefined || data.met === 0) return null;
  return (
    <p className="text-ui" data-testid="debug-offer">
      {data.exact ? "" : "At least "}
      {n(data.met)} of {n(data.of)} records of the last day are debug messages: to drop them would save{" "}
      {bytesText(data.bytesADay)} a day.{" "}
      <TextButton onClick={() => onMake(DEBUG, "Debug messages")}>make it a rule</TextButton>
    </p>
  );
}
