/** A state belongs to the logic that made it; empty: made before there was any but counting. */
export const up = `
alter table engine_state add column logic text not null default '';
`;
