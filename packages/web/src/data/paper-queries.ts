import type {
  AskAgain,
  AskedAgain,
  PaperChanged,
  PaperDetail,
  PaperList,
  PinAgain,
  QuestionSetList,
} from "@halvik/contract/papers";
import type { PaperState } from "@halvik/core/papers";
import { keepPreviousData, queryOptions } from "@tanstack/react-query";
import { query, request } from "./api";

export const papersQuery = (text = "", state?: PaperState) =>
  queryOptions({
    queryKey: ["papers", "list", text, state ?? null],
    queryFn: ({ signal }) => request<PaperList>("GET", `/papers${query({ text, state })}`, undefined, signal),
    placeholderData: keepPreviousData,
  });

export const paperQuery = (id: number) =>
  queryOptions({
    queryKey: ["papers", id],
    queryFn: ({ signal }) => request<PaperDetail>("GET", `/papers/${id}`, undefined, signal),
  });

/** When it was changed last. */
export const paperChangedQuery = (id: number) =>
  queryOptions({
    queryKey: ["paper changed", id],
    queryFn: ({ signal }) => request<PaperChanged>("GET", `/papers/${id}/changed`, undefined, signal),
    refetchInterval: 3_000,
  });

/** What a pinned search, shape or portrait counts now. */
export const pinAgainQuery = (id: number, pin: number) =>
  queryOptions({
    queryKey: ["papers", id, "again", pin],
    queryFn: ({ signal }) => request<PinAgain>("GET", `/papers/${id}/pins/${pin}/again`, undefined, signal),
    staleTime: 0,
    gcTime: 0,
  });

export const questionSetsQuery = queryOptions({
  queryKey: ["question sets"],
  queryFn: ({ signal }) => request<QuestionSetList>("GET", "/question-sets", undefined, signal),
});

export const askAgainQuery = (asked: AskAgain) =>
  queryOptions({
    queryKey: ["ask again", asked],
    queryFn: ({ signal }) => request<AskedAgain>("POST", "/ask-again", asked, signal),
    staleTime: 60_000,
  });
