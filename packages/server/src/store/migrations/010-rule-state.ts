/** What the engine says of each rule now and then: keys near to being raised, keys forgotten. */
export const up = `
create table rule_state (rule_id text primary key, near jsonb not null, forgot bigint not null, changed_us bigint not null);
do $$ begin
  if exists (select from pg_roles where rolname = 'halvik_web') then
    grant select on rule_state to halvik_web;
  end if;
end $$;
`;
