import type {
  LackingAnswer,
  LimitList,
  MeasureList,
  PartAnswer,
  ReportKept,
  ReportList,
  ReportMade,
} from "@halvik/contract/reports";
import type { Part, Period, ReportDefinition } from "@halvik/core/report";
import { keepPreviousData, queryOptions } from "@tanstack/react-query";
import { request } from "./api";

export const reportsQuery = queryOptions({
  queryKey: ["reports"],
  queryFn: ({ signal }) => request<ReportList>("GET", "/reports", undefined, signal),
});
export const measuresQuery = queryOptions({
  queryKey: ["measures"],
  queryFn: ({ signal }) => request<MeasureList>("GET", "/measures", undefined, signal),
  staleTime: 60_000,
});
export const limitsQuery = queryOptions({
  queryKey: ["limits"],
  queryFn: ({ signal }) => request<LimitList>("GET", "/limits", undefined, signal),
  refetchInterval: 60_000,
});
export const reportQuery = (id: number) =>
  queryOptions({
    queryKey: ["reports", id],
    queryFn: ({ signal }) => request<ReportKept>("GET", `/reports/${id}`, undefined, signal),
    // what is due is made meanwhile
    refetchInterval: 30_000,
  });

/** @param beside an earlier output; null: by itself, as it was made */
export const outputQuery = (report: number, run: number, beside: number | null) =>
  queryOptions({
    queryKey: ["reports", report, "outputs", run, beside],
    queryFn: ({ signal }) =>
      request<ReportMade>(
        "GET",
        `/reports/${report}/runs/${run}${beside === null ? "" : `?beside=${beside}`}`,
        undefined,
        signal,
      ),
    // what was made stays as it is
    staleTime: Number.POSITIVE_INFINITY,
    placeholderData: keepPreviousData,
  });

/** Over what a part is asked. */
export interface AskedOver {
  readonly period: Period;
  readonly filter: string;
  readonly asks: ReportDefinition["asks"];
  readonly of: string | null;
  readonly zone: string;
  /** The moment it looks back from, to the minute: the same question has the same answer for that long. */
  readonly at: string;
}

export const partQuery = (part: Part, over: AskedOver) =>
  queryOptions({
    queryKey: ["report-part", part, over],
    queryFn: ({ signal }) => request<PartAnswer>("POST", "/reports/part", { ...over, part }, signal),
    staleTime: 300_000,
    retry: false,
    placeholderData: keepPreviousData,
  });

export const lackingQuery = ({ period, zone, at }: AskedOver) =>
  queryOptions({
    queryKey: ["report-lacking", period, zone, at],
    queryFn: ({ signal }) => request<LackingAnswer>("POST", "/reports/lacking", { period, zone, at }, signal),
    staleTime: 300_000,
  });
