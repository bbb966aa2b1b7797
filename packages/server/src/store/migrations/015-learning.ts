/** How many keys of a rule do not know yet what is usual. */
export const up = `
alter table rule_state add column keys integer not null default 0;
alter table rule_state add column learning integer not null default 0;
`;
