export const up = `
create table sender (
  id serial primary key,
  name text not null check (name <> ''),
  state text not null default 'waiting' check (state in ('waiting', 'admitted', 'refused')),
  relay boolean not null default false,
  via_relay integer references sender (id) on delete cascade,
  relay_host text,
  site text,
  groups text[] not null default '{}',
  role text,
  zone text,
  reached_through integer references sender (id) on delete set null,
  expected_every_seconds integer check (expected_every_seconds > 0),
  notes text not null default '',
  first_seen_us bigint,
  check ((via_relay is null) = (relay_host is null))
);
create unique index sender_name on sender (lower(name collate "C"));
create unique index sender_via_relay on sender (via_relay, lower(relay_host collate "C")) where via_relay is not null;
create table sender_address (
  address inet primary key,
  sender integer not null references sender (id) on delete cascade,
  position smallint not null default 0
);
create index on sender_address (sender);
create table admitted_network (id serial primary key, network cidr not null unique, added_by text not null, added_us bigint not null);

create table sender_activity (
  sender integer primary key,
  last_heard_us bigint,
  records bigint not null default 0,
  bytes bigint not null default 0,
  problems bigint not null default 0,
  late bigint not null default 0,
  copies bigint not null default 0,
  capped bigint not null default 0,
  held bigint not null default 0,
  held_refused bigint not null default 0,
  clock_offset_us bigint not null default 0,
  cadence jsonb
);
create table sender_silence (sender integer primary key, since_us bigint not null, told_us bigint not null);

create table held_record (
  id bigserial primary key,
  sender integer not null references sender (id) on delete cascade,
  endpoint text not null,
  received_us bigint not null,
  raw bytea not null
);
create index on held_record (sender, id);

create table directory_version (single boolean primary key default true check (single), version bigint not null default 1);
insert into directory_version default values;
create function bump_directory() returns trigger language plpgsql as $$
begin update directory_version set version = version + 1; return null; end $$;
create trigger bump after insert or update or delete on sender for each statement execute function bump_directory();
create trigger bump after insert or update or delete on sender_address for each statement execute function bump_directory();
create trigger bump after insert or update or delete on admitted_network for each statement execute function bump_directory();
`;
