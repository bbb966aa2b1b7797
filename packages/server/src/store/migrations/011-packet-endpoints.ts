/**
 * Traffic is summed by one thing alone; an endpoint may read the packets of an interface; what senders count themselves stands beside what was heard; rules decide
 * about records on arrival. */
export const up = `
drop table public.flow_service;
drop table public.flow_source;
drop table public.flow_destination;
drop table public.flow_interface;
alter table public.endpoint_config drop constraint endpoint_config_kind_check;
alter table public.endpoint_config add constraint endpoint_config_kind_check
  check (kind in ('syslog-udp', 'syslog-tcp', 'syslog-tls', 'snmp', 'flow', 'https', 'packets'));
alter table public.flow_domain add column uses jsonb not null default '[]';
create table public.sender_counter (
  sender integer not null constraint sender_counter_sender_fkey references public.sender on delete cascade,
  at_us bigint not null,
  theirs bigint not null constraint sender_counter_theirs_check check (theirs >= 0),
  ours bigint not null,
  who text not null,
  constraint sender_counter_pkey primary key (sender, at_us)
);
create table public.arrival_rule (
  id integer generated always as identity constraint arrival_rule_pkey primary key,
  place integer not null,
  body jsonb not null,
  enabled boolean not null default true,
  author text not null,
  changed_us bigint not null
);
create unique index arrival_rule_name_idx on public.arrival_rule (lower(body->>'name'));
create trigger bump after insert or delete or update on public.arrival_rule for each statement execute function public.bump_kinds();
create table public.arrival_rule_use (
  rule integer not null,
  hour integer not null,
  met bigint not null,
  dropped bigint not null,
  bytes bigint not null,
  constraint arrival_rule_use_pkey primary key (rule, hour)
);
create index arrival_rule_use_hour_idx on public.arrival_rule_use (hour) where dropped > 0;
create table public.arrival_sample (
  id bigint generated always as identity constraint arrival_sample_pkey primary key,
  rule integer not null,
  at_us bigint not null,
  sender integer not null,
  text text not null
);
create index arrival_sample_rule_idx on public.arrival_sample (rule, id);
`;
