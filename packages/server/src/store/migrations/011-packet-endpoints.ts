/** Traffic is summed by one thing alone; an endpoint may read the packets of an interface; what senders count themselves stands beside what was heard. */
export const up = `
drop table public.flow_service;
drop table public.flow_source;
drop table public.flow_destination;
drop table public.flow_interface;
alter table public.endpoint_config drop constraint endpoint_config_kind_check;
alter table public.endpoint_config add constraint endpoint_config_kind_check
  check (kind in ('syslog-udp', 'syslog-tcp', 'syslog-tls', 'snmp', 'flow', 'https', 'packets'));
create table public.sender_counter (
  sender integer not null constraint sender_counter_sender_fkey references public.sender on delete cascade,
  at_us bigint not null,
  theirs bigint not null constraint sender_counter_theirs_check check (theirs >= 0),
  ours bigint not null,
  who text not null,
  constraint sender_counter_pkey primary key (sender, at_us)
);
`;
