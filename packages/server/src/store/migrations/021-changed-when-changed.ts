/**
 * What is set has changed when a row has: a statement that met none counted as a change too. One such ran each second, and everything that
 * follows what is set (rules, lists, senders) was read and made ready anew each second by every role.
 */
export const up = `
create or replace function public.bump_directory() returns trigger language plpgsql as $$
begin
  if exists (select from changed) then update directory_version set version = version + 1; end if;
  return null;
end $$;
create or replace function public.bump_kinds() returns trigger language plpgsql as $$
begin
  if exists (select from changed) then update kind_change set version = version + 1; end if;
  return null;
end $$;
create or replace function public.bump_rules() returns trigger language plpgsql as $$
begin
  if exists (select from changed) then update rule_change set version = version + 1; end if;
  return null;
end $$;

do $$
declare
  counted record;
  event record;
begin
  for counted in
    select t.tgname as name, t.tgrelid::regclass as tbl, p.proname as function, t.tgtype as type
    from pg_trigger t join pg_proc p on p.oid = t.tgfoid
    where p.proname in ('bump_directory', 'bump_kinds', 'bump_rules') and not t.tgisinternal
  loop
    execute format('drop trigger %I on %s', counted.name, counted.tbl);
    -- bits of pg_trigger.tgtype; rows that changed can be seen for one event at a time
    for event in
      select * from (values ('insert', 4, 'new'), ('delete', 8, 'old'), ('update', 16, 'new')) as e (does, bit, rows)
      where counted.type & e.bit > 0
    loop
      execute format('create trigger %I after %s on %s referencing %s table as changed for each statement execute function public.%I()',
        counted.function || '_' || event.does, event.does, counted.tbl, event.rows, counted.function);
    end loop;
  end loop;
end $$;
`;
