import type { ShapeDetail, ShapeOrder, ShapesAnswer, ShapeValues } from "@halvik/contract/shapes";
import { queryOptions } from "@tanstack/react-query";
import { query, request, type WindowParts } from "./api";

/** Bars of a course. */
export const COURSE_STEPS = 24;

/** The records of a window by their shapes. */
export const shapesQuery = (window: WindowParts, filter: string, zone: string, order: ShapeOrder, limit: number) =>
  queryOptions({
    queryKey: ["shapes", window.from, window.to, filter, order, limit],
    queryFn: ({ signal }) =>
      request<ShapesAnswer>(
        "GET",
        `/records/shapes${query({ from: window.from, to: window.to, filter, zone, order, limit, steps: COURSE_STEPS })}`,
        undefined,
        signal,
      ),
    staleTime: 30_000,
    // an order, or more of them, is the same answer: the one before may stand in
    placeholderData: (previous, before) => (before?.queryKey[3] === filter ? previous : undefined),
  });

export const shapeQuery = (id: number) =>
  queryOptions({
    queryKey: ["shape", id],
    queryFn: ({ signal }) => request<ShapeDetail>("GET", `/shapes/${id}`, undefined, signal),
  });

/** What stands in the places of a shape. */
export const shapeValuesQuery = (id: number, window: WindowParts, filter: string, zone: string) =>
  queryOptions({
    queryKey: ["shape values", id, window.from, window.to, filter],
    queryFn: ({ signal }) =>
      request<ShapeValues>(
        "GET",
        `/shapes/${id}/values${query({ from: window.from, to: window.to, filter, zone })}`,
        undefined,
        signal,
      ),
    staleTime: 30_000,
  });
