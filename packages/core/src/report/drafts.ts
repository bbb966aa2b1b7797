/** Measures as ready-made reports and boards write them; what is left out is as their schemas have it. */

export const field = (name: string) => ({ field: name });

export const records = (filter: string, by: object[] = [], more: object = {}) => ({
  figure: { of: "records" },
  filter,
  by,
  ...more,
});

/** Of what Halvik writes down of itself. */
export const own = (source: string, by: string[] = [], more: object = {}) => ({ source, by, ...more });

/** Octets by the sums of traffic: each conversation once, or by places as exported. */
export const octets = (by: string[] = [], more: object = {}) =>
  own("traffic", by, { figure: { of: "sum", number: "bytes" }, ...more });

export const REFUSED_LOGONS = "category is logon and outcome is failure";
