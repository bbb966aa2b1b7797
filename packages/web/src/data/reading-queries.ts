import type { AroundAnswer, AroundBy } from "@halvik/contract/around";
import type { DataFieldsAnswer, UnknownWords } from "@halvik/contract/records";
import type { SeenAnswer } from "@halvik/contract/seen";
import type { Sighted } from "@halvik/core/model/record";
import { queryOptions } from "@tanstack/react-query";
import { query, request, type WindowParts } from "./api";

/** What else happened around a record. */
export const aroundQuery = (
  id: string,
  by: AroundBy,
  count: number,
  filter: string,
  zone: string,
  isCorrected: boolean,
) =>
  queryOptions({
    queryKey: ["around", id, by, count, filter, isCorrected],
    queryFn: ({ signal }) =>
      request<AroundAnswer>(
        "GET",
        `/records/${id}/around${query({ by, count, filter, zone, corrected: isCorrected ? "true" : undefined })}`,
        undefined,
        signal,
      ),
    staleTime: 60_000,
    // of the same record, while another choice is on its way
    placeholderData: (previous, before) => (before?.queryKey[1] === id ? previous : undefined),
  });

/** First and last time of one value, in all there ever was. */
export const sightingQuery = (of: Sighted, value: string) =>
  queryOptions({
    queryKey: ["sighting", of, value],
    queryFn: ({ signal }) => request<SeenAnswer>("GET", `/seen${query({ of, value })}`, undefined, signal),
    staleTime: 30_000,
  });

/** Named values that the newest records of a window carry. */
export const dataFieldsQuery = (window: WindowParts, filter: string, zone: string) =>
  queryOptions({
    queryKey: ["data fields", window.from, window.to, filter],
    queryFn: ({ signal }) =>
      request<DataFieldsAnswer>(
        "GET",
        `/records/data-fields${query({ from: window.from, to: window.to, filter, zone })}`,
        undefined,
        signal,
      ),
    staleTime: 60_000,
  });

/** Words of a filter that stand in no record. */
export const unknownWordsQuery = (filter: string, zone: string) =>
  queryOptions({
    queryKey: ["unknown words", filter],
    queryFn: ({ signal }) =>
      request<UnknownWords>("GET", `/records/unknown-words${query({ filter, zone })}`, undefined, signal),
    staleTime: 60_000,
  });
