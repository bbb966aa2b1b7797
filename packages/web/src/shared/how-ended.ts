import type { IncidentDetail, IncidentJson } from "@halvik/contract/incidents";

type How = NonNullable<IncidentDetail["again"]>["ended"][number]["how"];

/** How an incident ended, in words: what merely went quiet is not said to be over. */
export const HOW_ENDED: Readonly<Record<How, string>> = {
  fixed: "closed as fixed",
  expected: "closed as expected",
  false: "closed as false",
  duplicate: "closed as duplicate",
  open: "still open",
  cleared: "cleared",
  closed: "closed",
  stopped: "stopped, not judged",
};

/** The same of one as it stands. */
export const howEnded = ({
  state,
  stopped,
  closeReason,
}: Pick<IncidentJson, "state" | "stopped" | "closeReason">): string =>
  HOW_ENDED[state === "closed" ? (closeReason ?? "closed") : state === "cleared" && stopped ? "stopped" : state];
