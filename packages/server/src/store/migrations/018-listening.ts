/** From when to when the collector listened: between two stretches nobody did. */
export const up = `
create table listening (from_us bigint primary key, to_us bigint not null check (to_us >= from_us));
-- what an earlier Halvik said last
insert into listening (from_us, to_us) select started_us, greatest(started_us, heartbeat_us) from role_status where role = 'collector';
do $$ begin
  if exists (select from pg_roles where rolname = 'halvik_web') then
    grant select on listening to halvik_web;
  end if;
end $$;
`;
