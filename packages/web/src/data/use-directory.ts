import type { SenderDirectory } from "@halvik/core/model/senders";
import { useQuery } from "@tanstack/react-query";
import { useMemo } from "react";
import { listsQuery } from "./api";
import { sendersQuery } from "./intake-queries";
import { toDirectory } from "./to-directory";

/** The senders there are, by which names in filters are checked; null while they are not known yet. */
export function useDirectory(): SenderDirectory | null {
  const senders = useQuery(sendersQuery).data;
  const lists = useQuery(listsQuery).data;
  return useMemo(() => (senders && lists ? toDirectory(senders.senders, lists.lists) : null), [senders, lists]);
}
