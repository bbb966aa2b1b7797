import { formatDuration, US_PER_SECOND } from "../../base/time/index.js";

/** “5 min” */
export const inWords = (seconds: number): string => formatDuration(seconds * US_PER_SECOND);

/** “ with the same src and user”, or nothing where all records count together. */
export const withTheSame = (key: readonly string[]): string =>
  key.length === 0 ? "" : ` with the same ${key.join(" and ")}`;

/** “ of each src” */
export const ofEach = (key: readonly string[]): string => (key.length === 0 ? "" : ` of each ${key.join(" and ")}`);

/** A part by its name, with what it looks for. */
export const named = (part: { readonly name: string; readonly filter: string }): string =>
  part.name === "" ? part.filter : `${part.name} (${part.filter})`;

export const seconds = (n: number): number => n * US_PER_SECOND;
