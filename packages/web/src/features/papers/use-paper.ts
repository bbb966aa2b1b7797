import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { RequestError } from "../../data/api";
import { paperChangedQuery, paperQuery } from "../../data/paper-queries";

/** A paper as it is now: several people write at once, and what others did comes by itself. */
export function usePaper(id: number) {
  const client = useQueryClient();
  const { data, error } = useQuery(paperQuery(id));
  const last = useQuery(paperChangedQuery(id));
  const changed = last.data?.changed;
  const isGone = last.error instanceof RequestError && last.error.status === 404;
  useEffect(() => {
    if (isGone || (changed !== undefined && client.getQueryData(paperQuery(id).queryKey)?.changed !== changed))
      void client.invalidateQueries({ queryKey: paperQuery(id).queryKey });
  }, [changed, isGone, client, id]);
  // whoever may not read it any more sees no more of it; while Halvik is away for a moment, what is shown stays
  return { paper: isGone ? undefined : data, error: isGone ? last.error : error };
}
