/**
 * Senders have tags, and what they were called before is remembered; lines of programs that nobody else knows are read by formats that people make;
 * what arrives is passed on.
 */
export const up = `
alter table public.sender add column tags text[] not null default '{}';
create table public.sender_former (
  sender integer not null constraint sender_former_sender_fkey references public.sender on delete cascade,
  what text not null constraint sender_former_what_check check (what in ('name', 'address')),
  value text not null,
  until_us bigint not null,
  constraint sender_former_pkey primary key (sender, what, value)
);
create trigger bump after insert or delete or update on public.sender_former for each statement execute function public.bump_directory();
create table public.own_format (
  id integer generated always as identity constraint own_format_pkey primary key,
  place integer not null,
  body jsonb not null,
  enabled boolean not null default true,
  version integer not null default 1,
  author text not null,
  changed_us bigint not null
);
create unique index own_format_name_idx on public.own_format (lower(body->>'name'));
create trigger bump after insert or delete or update on public.own_format for each statement execute function public.bump_kinds();
create table public.own_format_version (
  format integer not null constraint own_format_version_format_fkey references public.own_format on delete cascade,
  version integer not null,
  body jsonb not null,
  author text not null,
  changed_us bigint not null,
  constraint own_format_version_pkey primary key (format, version)
);
create table public.own_format_use (
  format integer not null,
  hour integer not null,
  met bigint not null,
  near bigint not null,
  constraint own_format_use_pkey primary key (format, hour)
);
create index own_format_use_hour_idx on public.own_format_use (hour);
create index arrival_rule_use_old_idx on public.arrival_rule_use (hour);
create table public.own_format_near (
  id bigint generated always as identity constraint own_format_near_pkey primary key,
  format integer not null,
  at_us bigint not null,
  sender integer not null,
  text text not null,
  place integer not null,
  expected text not null
);
create index own_format_near_format_idx on public.own_format_near (format, id);
create table public.forward (
  id integer generated always as identity constraint forward_pkey primary key,
  body jsonb not null,
  enabled boolean not null default true,
  secret text,
  has_secret boolean not null generated always as (secret is not null) stored,
  author text not null,
  changed_us bigint not null
);
create unique index forward_name_idx on public.forward (lower(body->>'name'));
create trigger bump after insert or delete or update on public.forward for each statement execute function public.bump_kinds();
create table public.forward_state (
  forward integer not null,
  node text not null,
  state text not null,
  detail text not null,
  queued_bytes bigint not null,
  oldest_us bigint,
  sent bigint not null,
  refused bigint not null,
  lost bigint not null,
  last_us bigint,
  at_us bigint not null,
  constraint forward_state_pkey primary key (forward, node)
);
`;
