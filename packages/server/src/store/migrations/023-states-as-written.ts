/** States of rules are written and read back whole: as they were written, the database neither takes them apart nor puts them together again. */
export const up = `
alter table engine_state alter column state type json using state::json;
`;
