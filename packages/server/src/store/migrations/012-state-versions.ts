/** Versions of a rule side by side: the one before keeps what it has raised, the new one begins. */
export const up = `
alter table engine_state drop constraint engine_state_pkey;
alter table engine_state add primary key (rule_id, lane, key, logic);
`;
