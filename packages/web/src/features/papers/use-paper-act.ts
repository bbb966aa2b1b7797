import type { PaperDetail } from "@halvik/contract/papers";
import type { PaperFacts } from "@halvik/core/papers";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { request } from "../../data/api";
import { paperQuery } from "../../data/paper-queries";

/** Something that is changed in a paper. */
export interface PaperAct {
  readonly method: "POST" | "PATCH" | "DELETE";
  /** Below the paper's own address. */
  readonly path: string;
  readonly body?: object;
}

/** Changes a paper; whatever came of it, what is shown is what there is then. */
export function usePaperAct(id: number) {
  const client = useQueryClient();
  const { queryKey } = paperQuery(id);
  return useMutation({
    mutationFn: ({ method, path, body }: PaperAct) => request<PaperDetail>(method, `/papers/${id}${path}`, body),
    onSuccess: (detail) => {
      client.setQueryData(queryKey, detail);
      void client.invalidateQueries({ queryKey: ["papers", "list"] });
    },
    onError: () => client.invalidateQueries({ queryKey }),
  });
}

/** Changes some of a paper's facts. */
export const changedFacts = (paper: PaperDetail, parts: Partial<PaperFacts>, version = paper.version): PaperAct => ({
  method: "PATCH",
  path: "",
  body: { facts: { ...paper.facts, ...parts }, version },
});
