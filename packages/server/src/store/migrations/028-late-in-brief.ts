/** What came late is told in one line of an incident's history for many records: how many are not told yet, and when some were last. */
export const up = `
alter table public.incident add column late_untold integer default 0 not null, add column late_told_us bigint default 0 not null;
`;
