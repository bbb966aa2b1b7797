/**
 * What only the owner of tables may do, for roles that own none: making, sealing and dropping segments, by their checked names and
 * nothing else.
 */
export const up = `
create function segments.require_name(name text) returns void language plpgsql immutable as $$
begin
  if name !~ '^[sf]_[0-9]{4}_(live|late|import)_[0-9]{6}$' then
    raise exception 'segment name % is not one of ours', quote_literal(name) using errcode = '22023';
  end if;
end $$;

create function segments.make(name text) returns void language plpgsql security definer set search_path = pg_catalog, pg_temp as $$
begin
  perform segments.require_name(name);
  execute format('create table segments.%I (like segments.%I including all)', name,
    case when name like 'f%' then 'flow_template' else 'template' end);
end $$;

create function segments.drop_table(name text) returns void language plpgsql security definer set search_path = pg_catalog, pg_temp as $$
begin
  perform segments.require_name(name);
  execute format('drop table segments.%I', name);
end $$;

-- what searches asked of B-trees while it filled, its terms answer: only ids and time keep one
create function segments.drop_filling_indexes(name text) returns void language plpgsql security definer set search_path = pg_catalog, pg_temp as $$
declare index regclass;
begin
  perform segments.require_name(name);
  for index in
    select i.indexrelid::regclass from pg_index i where i.indrelid = format('segments.%I', name)::regclass
      and not (i.indpred is null and (select array_agg(a.attname::text order by k.n) from unnest(i.indkey) with ordinality k (number, n)
        join pg_attribute a on a.attrelid = i.indrelid and a.attnum = k.number) in (array['id'], array['time', 'id']))
  loop
    execute format('drop index %s', index);
  end loop;
end $$;

create function segments.make_statistics(name text) returns void language plpgsql security definer set search_path = pg_catalog, pg_temp as $$
begin
  perform segments.require_name(name);
  execute format('analyze segments.%I', name);
end $$;

revoke execute on all functions in schema segments from public;
`;
