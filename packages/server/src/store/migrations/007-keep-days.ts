/** How long records of one sender or kind are kept, when not as long as all others. */
export const up = `
alter table sender add column keep_days integer check (keep_days > 0);
alter table segment add column keep_days integer check (keep_days > 0);
`;
