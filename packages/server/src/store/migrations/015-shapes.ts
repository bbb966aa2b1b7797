/** Message shapes; each record keeps the one it was given on arrival. Records from before have none. And first and last times of values. */
export const up = `
create table public.shape (
  id integer generated always as identity constraint shape_pkey primary key,
  origin text not null,
  tokens jsonb not null,
  numbers jsonb not null,
  version integer not null,
  key_hash bytea not null,
  into_shape integer constraint shape_into_shape_fkey references public.shape,
  first_us bigint not null,
  last_us bigint not null,
  records bigint not null default 0,
  changed_us bigint not null,
  name text not null default '',
  meaning text not null default '',
  category smallint,
  named_by text not null default '',
  named_us bigint
);
create unique index shape_key_hash_idx on public.shape (key_hash) where into_shape is null;
create index shape_into_shape_idx on public.shape (into_shape) where into_shape is not null;
create index shape_first_us_idx on public.shape (first_us);
create index shape_changed_us_idx on public.shape (changed_us);
create table public.shape_change (version bigint not null);
insert into public.shape_change values (0);
create table public.sighting (
  field smallint not null,
  value text not null,
  first_us bigint not null,
  last_us bigint not null,
  records bigint not null,
  constraint sighting_pkey primary key (field, value)
);
create index sighting_last_us_idx on public.sighting (last_us);
create table public.sighting_state (since_us bigint, evicted bigint not null, evicted_before_us bigint);
insert into public.sighting_state
  select case when exists (select from public.segment) then (extract(epoch from now()) * 1000000)::bigint end, 0, null;
alter table segments.template add column shape integer;
do $do$
declare name text;
begin
  for name in select relname from pg_class where relnamespace = 'segments'::regnamespace and relkind = 'r' and relname like 's\\_%' loop
    execute format('alter table segments.%I add column shape integer', name);
  end loop;
end $do$;
`;
