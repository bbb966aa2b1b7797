/** Lists that filters and rules name: of addresses, of domains, of anything else; entries may run out. */
export const up = `
create table public.list (
  id integer generated always as identity constraint list_pkey primary key,
  name text not null constraint list_name_check check (length(name) between 1 and 80),
  kind text not null constraint list_kind_check check (kind in ('address', 'domain', 'text')),
  about text default '' not null,
  author text not null,
  changed_us bigint not null
);
create unique index list_name_idx on public.list (lower(name));
create table public.list_entry (
  id bigint generated always as identity constraint list_entry_pkey primary key,
  list integer not null constraint list_entry_list_fkey references public.list on delete cascade,
  value text not null constraint list_entry_value_check check (length(value) between 1 and 255),
  note text default '' not null,
  source text default '' not null,
  expires_us bigint,
  author text not null,
  added_us bigint not null
);
create unique index list_entry_value_idx on public.list_entry (list, lower(value));
create index list_entry_expires_idx on public.list_entry (expires_us) where expires_us is not null;
create trigger bump after insert or delete or update on public.list for each statement execute function public.bump_directory();
create trigger bump after insert or delete or update on public.list_entry for each statement execute function public.bump_directory();
`;
