/** Measures as ready-made reports and boards write them; what is left out is as their schemas have it. */

export const field = (name: string) => ({ field: name });

export const records = (filter: string, by: object[] = [], more: object = {}) => ({
  figure: { of: "records" },
  filter,
  by,
  ...more,
});

export const bytes = (filter: string, by: object[] = [], more: object = {}) => ({
  figure: { of: "sum", number: { field: "bytes" } },
  filter,
  by,
  ...more,
});

/** Of what Halvik writes down of itself. */
export const own = (source: string, by: string[] = [], more: object = {}) => ({ source, by, ...more });

export const REFUSED_LOGONS = "category is logon and outcome is failure";
