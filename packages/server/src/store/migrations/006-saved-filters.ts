/** Filters that people keep by name; what is remembered of segments that are gone. */
export const up = `
alter table own_meaning drop constraint own_meaning_kind_check;
alter table own_meaning add constraint own_meaning_kind_check check (kind in ('windows', 'snmp', 'syslog'));
create table saved_filter (
  id serial primary key,
  name text not null check (name <> ''),
  text text not null,
  owner text not null,
  shared boolean not null,
  changed_us bigint not null
);
create table dropped_segment (
  name text primary key, shape text not null, rows bigint not null, min_time bigint not null, max_time bigint not null, dropped_us bigint not null
);
create unique index saved_filter_name on saved_filter (lower(name collate "C"));
do $$ begin
  if exists (select from pg_roles where rolname = 'halvik_web') then
    grant select, insert, update, delete on saved_filter to halvik_web;
    grant select on dropped_segment to halvik_web;
    grant usage on all sequences in schema public to halvik_web;
  end if;
end $$;
`;
