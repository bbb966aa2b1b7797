/**
 * A segment that fills is only added to: vacuuming it every quarter of a minute, and counting its values anew with every tenth that is added, took a
 * seventh of PostgreSQL's time under a flood. It is vacuumed once, when it is sealed; until then its values are counted with every half that is added.
 */
export const up = `
create or replace function segments.make(name text) returns void
    language plpgsql security definer
    set search_path to 'pg_catalog', 'pg_temp'
    as $$
declare wide text;
begin
  perform segments.require_name(name);
  execute format('create table segments.%I (like segments.%I including all) with (autovacuum_vacuum_insert_threshold = -1, autovacuum_analyze_scale_factor = 0.5)',
    name, case when name like 'f%' then 'flow_template' else 'template' end);
  -- no plan depends on what they hold, and to count it takes longer than all others
  for wide in select attname from pg_attribute where attrelid = format('segments.%I', name)::regclass
    and attname in ('message', 'head', 'tail', 'data', 'translated', 'problem')
  loop
    execute format('alter table segments.%I alter column %I set statistics 0', name, wide);
  end loop;
end $$;

create or replace function segments.make_statistics(name text) returns void
    language plpgsql security definer
    set search_path to 'pg_catalog', 'pg_temp'
    as $$
begin
  perform segments.require_name(name);
  execute format('analyze segments.%I', name);
  -- a process of PostgreSQL's own vacuums it within the minute: what has been added since it was made is enough for that
  execute format('alter table segments.%I reset (autovacuum_vacuum_insert_threshold, autovacuum_analyze_scale_factor)', name);
end $$;
`;
