export const up = `
create table endpoint (
  name text primary key,
  transport text not null,
  address text not null,
  port integer not null,
  state text not null,
  detail text not null default '',
  counters jsonb not null default '{}',
  updated_us bigint not null
);
create table role_status (role text primary key, pid integer not null, started_us bigint not null, heartbeat_us bigint not null, detail jsonb not null default '{}');
create table job (
  id serial primary key, name text not null, state text not null check (state in ('running', 'done', 'failed', 'cancelled')),
  done bigint not null default 0, total bigint, unit text not null default 'records', message text not null default '', started_us bigint not null, updated_us bigint not null
);

create table person (
  id serial primary key, name text not null, display text not null, role text not null check (role in ('owner', 'analyst', 'reader')),
  password_hash text not null, must_change boolean not null default false, disabled boolean not null default false, created_us bigint not null
);
create unique index person_name on person (lower(name collate "C"));
create table token (
  id serial primary key, name text not null unique, hash text not null unique, scope text not null check (scope in ('read', 'act')),
  created_us bigint not null, last_used_us bigint, revoked boolean not null default false
);
create table session (sid text primary key, sess json not null, expire timestamptz(6) not null);
create index on session (expire);
create table audit (id bigserial primary key, at_us bigint not null, who text not null, what text not null, detail jsonb not null default '{}');
create index on audit (at_us);

create table rule (id text primary key, version integer not null, body jsonb not null, author text not null, changed_us bigint not null);
create table rule_version (id text not null, version integer not null, body jsonb not null, author text not null, changed_us bigint not null, primary key (id, version));
create table rule_change (single boolean primary key default true check (single), version bigint not null default 1);
insert into rule_change default values;
create function bump_rules() returns trigger language plpgsql as $$
begin update rule_change set version = version + 1; return null; end $$;
create trigger bump after insert or update or delete on rule for each statement execute function bump_rules();

create table incident (
  id serial primary key, title text not null, severity smallint not null, state text not null check (state in ('open', 'cleared', 'closed')),
  rule_id text not null, rule_version integer not null, key text not null,
  first_us bigint not null, last_us bigint not null, raised_us bigint not null, ended_us bigint,
  count bigint not null, returned integer not null default 0, entities text[] not null default '{}',
  close_reason text check (close_reason in ('fixed', 'expected', 'false')),
  acknowledged_by text, acknowledged_us bigint, seen jsonb, new_since_seen text[] not null default '{}',
  owner text, linked_to integer references incident (id)
);
create index on incident (state, last_us);
create index on incident (rule_id, key, id);
create table incident_event (
  id bigserial primary key, incident integer not null references incident (id) on delete cascade,
  at_us bigint not null, who text not null, what text not null, detail text not null default ''
);
create index on incident_event (incident, id);
create table finding (
  id serial primary key, incident integer not null references incident (id) on delete cascade,
  rule_id text not null, lane text not null, key text not null,
  first_us bigint not null, last_us bigint not null, raised_us bigint not null, count bigint not null,
  evidence_first jsonb not null, evidence_latest jsonb not null, entities text[] not null,
  cleared_us bigint, cleared_by text, merged_into integer references finding (id)
);
create index on finding (incident);
create index on finding (rule_id, key);

create table engine_state (rule_id text not null, lane text not null, key text not null, state jsonb not null, primary key (rule_id, lane, key));
create table engine_cursor (collector integer primary key, number bigint not null, through_us bigint not null);
create table engine_close (id serial primary key, rule_id text not null, key text not null, at_us bigint not null, taken boolean not null default false);
create table engine_lane (lane text primary key, watermark_us bigint not null);

do $$ begin
  if exists (select from pg_roles where rolname = 'halvik_web') then
    grant usage on schema public, segments to halvik_web;
    grant select on all tables in schema public, segments to halvik_web;
    alter default privileges in schema segments grant select on tables to halvik_web;
    grant insert, update, delete on sender, sender_address, admitted_network, directory_version, person, token, session, rule, rule_version, rule_change, incident, job to halvik_web;
    grant insert on audit, incident_event, engine_close to halvik_web;
    grant delete on held_record to halvik_web;
    grant insert, update on role_status to halvik_web;
    grant usage on all sequences in schema public to halvik_web;
  end if;
end $$;
`;
