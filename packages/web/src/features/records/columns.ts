/** A column as it was chosen: by name, with a width where somebody set one. */
export interface ChosenColumn {
  readonly name: string;
  /** In CSS pixels; null: as the column comes. */
  readonly width: number | null;
}

export const LEAST_COLUMN_PX = 40;
const MOST_COLUMN_PX = 1_200;
const MOST_COLUMNS = 16;
const KEY = "halvik.columns.";
/** What columns were called in links and browsers of before. */
const RENAMED: Readonly<Record<string, string>> = { from: "src", to: "dst" };

/** `from,to:220,user`: what stands in the address and is remembered. Names nobody knows are passed over. */
export function readColumns(text: string | null, isKnown: (name: string) => boolean): readonly ChosenColumn[] | null {
  const columns = (text ?? "")
    .split(",")
    .map((part) => {
      const [written = "", width = ""] = part.split(":");
      const name = RENAMED[written] ?? written;
      return { name, width: /^\d{1,4}$/.test(width) ? clampWidth(Number(width)) : null };
    })
    .filter((c, i, all) => isKnown(c.name) && all.findIndex((o) => o.name === c.name) === i)
    .slice(0, MOST_COLUMNS);
  return columns.length === 0 ? null : columns;
}

export const writeColumns = (columns: readonly ChosenColumn[]): string =>
  columns.map((c) => (c.width === null ? c.name : `${c.name}:${c.width}`)).join(",");

export const clampWidth = (px: number): number => Math.round(Math.min(Math.max(px, LEAST_COLUMN_PX), MOST_COLUMN_PX));

/** Columns chosen on this machine for a kind of record, or for lists of several kinds. */
export const rememberedColumns = (kind: string | null): string | null => localStorage.getItem(KEY + (kind ?? "any"));

export function rememberColumns(kind: string | null, text: string | null): void {
  if (text === null) localStorage.removeItem(KEY + (kind ?? "any"));
  else localStorage.setItem(KEY + (kind ?? "any"), text);
}
