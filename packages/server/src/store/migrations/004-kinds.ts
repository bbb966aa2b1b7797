import { FLOW_COLUMNS } from "../flow-columns.js";
import { FLOW_ROLLUP_TABLES } from "../flow-rollups.js";

/** Flows in segments of their own, endpoints people can change, and what is known about kinds of record. */
export const up = `
alter table segments.template add column if not exists translated jsonb;
do $$ declare t text; begin
  for t in select name from segment loop
    execute format('alter table segments.%I add column if not exists translated jsonb', t);
  end loop;
end $$;
create table segments.flow_template (
  ${FLOW_COLUMNS.map((c) => `${c.name} ${c.sql}`).join(",\n  ")}
);
create unique index on segments.flow_template (id);
create index on segments.flow_template (time, id);
-- most records are syslog: only the others are worth an index of their own
create index on segments.template (kind, time, id) where kind <> 0;
alter table segment add column shape text not null default 'record' check (shape in ('record', 'flow'));
${FLOW_ROLLUP_TABLES}

alter table held_record add column protocol smallint not null default 0;
alter table token drop constraint token_scope_check;
alter table token add constraint token_scope_check check (scope in ('read', 'act', 'intake'));

create table endpoint_config (
  id serial primary key,
  name text not null check (name <> ''),
  kind text not null check (kind in ('syslog-udp', 'syslog-tcp', 'syslog-tls', 'snmp', 'flow', 'https')),
  host text,
  port integer check (port between 0 and 65535),
  -- the setting that gives its port while none is set here
  port_setting text,
  enabled boolean not null default true,
  settings jsonb not null default '{}',
  check (port is not null or port_setting is not null)
);
create unique index endpoint_config_name on endpoint_config (lower(name collate "C"));
create table snmp_user (
  name text primary key,
  auth_protocol text, auth_key bytea,
  priv_protocol text, priv_key bytea,
  -- where set, only this sender may be this user
  sender integer references sender (id) on delete cascade
);
create table flow_domain (key text primary key, saved jsonb not null, changed_us bigint not null);
create table interface_name (exporter text not null, index bigint not null, name text not null, primary key (exporter, index));
create table interface_measure (
  sender integer not null, interface bigint not null, time bigint not null, speed numeric not null, status integer not null,
  in_octets numeric not null, in_packets bigint not null, in_discards bigint not null, in_errors bigint not null,
  out_octets numeric not null, out_packets bigint not null, out_discards bigint not null, out_errors bigint not null,
  primary key (sender, interface, time)
);
create table imported_file (sha256 text primary key, name text not null, bytes bigint not null, imported_us bigint not null, receipt jsonb not null);
-- an uploaded file waits here for the engine to read it in
alter table job add column file text;
alter table job add column peer text;
alter table job drop constraint job_state_check;
alter table job add constraint job_state_check check (state in ('waiting', 'running', 'cancelling', 'done', 'failed', 'cancelled'));
create table undecodable (
  id bigserial primary key, endpoint text not null, at_us bigint not null, peer text not null,
  code text not null, message text not null, byte_offset integer not null, sample bytea not null
);
create index on undecodable (endpoint, id);
create table own_meaning (
  kind text not null check (kind in ('windows', 'snmp')), code text not null,
  severity smallint, category text not null, outcome text not null, sentence text, next text,
  changed_by text not null, changed_us bigint not null, primary key (kind, code)
);
create table own_severity (kind text not null, original text not null, severity smallint not null, changed_by text not null, changed_us bigint not null, primary key (kind, original));
create table own_application (
  id serial primary key, name text not null, protocol smallint, low_port integer, high_port integer, network cidr,
  changed_by text not null, changed_us bigint not null
);
create table mib_module (name text primary key, source text not null, added_by text not null, added_us bigint not null);
create table unnamed_oid (oid text primary key, count bigint not null, last_us bigint not null, sender integer not null);
create table kind_change (single boolean primary key default true check (single), version bigint not null default 1);
insert into kind_change default values;
create function bump_kinds() returns trigger language plpgsql as $$
begin update kind_change set version = version + 1; return null; end $$;
create trigger bump after insert or update or delete on endpoint_config for each statement execute function bump_kinds();
create trigger bump after insert or update or delete on snmp_user for each statement execute function bump_kinds();
create trigger bump_kinds after insert or update or delete on sender_address for each statement execute function bump_kinds();
create trigger bump after insert or update or delete on own_meaning for each statement execute function bump_kinds();
create trigger bump after insert or update or delete on own_severity for each statement execute function bump_kinds();
create trigger bump after insert or update or delete on own_application for each statement execute function bump_kinds();
create trigger bump after insert or update or delete on mib_module for each statement execute function bump_kinds();

do $$ begin
  if exists (select from pg_roles where rolname = 'halvik_web') then
    grant select on all tables in schema segments to halvik_web;
    grant select on flow_service, flow_source, flow_destination, flow_interface, endpoint_config, interface_name, interface_measure,
      imported_file, undecodable, own_meaning, own_severity, own_application, mib_module, unnamed_oid, kind_change to halvik_web;
    -- keys of users are written here, never read back
    grant select (name, auth_protocol, priv_protocol, sender) on snmp_user to halvik_web;
    grant insert, update, delete on endpoint_config, snmp_user, own_meaning, own_severity, own_application, mib_module to halvik_web;
    grant update on kind_change to halvik_web;
    grant usage on all sequences in schema public to halvik_web;
  end if;
end $$;
`;
