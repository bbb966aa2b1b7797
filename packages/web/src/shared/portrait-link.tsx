import type { PortraitKind } from "@halvik/contract/portrait";
import type { ReactNode } from "react";
import { Link } from "react-router";
import { windowParams } from "../data/window-url";

export const PORTRAIT_PATH = "/traffic/portrait";

/** What a portrait is of, as its address says it. @param at of an interface: its sender */
export function portraitSearch(kind: PortraitKind, value: string, at?: string): string {
  const params = new URLSearchParams(windowParams());
  params.set("kind", kind);
  params.set("value", value);
  if (at !== undefined) params.set("at", at);
  return params.toString();
}

/** Leads to everything there is about one thing. */
export const PortraitLink = ({
  kind,
  value,
  at,
  children,
}: {
  kind: PortraitKind;
  value: string;
  at?: string | undefined;
  children: ReactNode;
}) => <Link to={{ pathname: PORTRAIT_PATH, search: portraitSearch(kind, value, at) }}>{children}</Link>;
