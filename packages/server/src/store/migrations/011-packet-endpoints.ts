/** Traffic is summed by one thing alone; an endpoint may read the packets of an interface. */
export const up = `
drop table public.flow_service;
drop table public.flow_source;
drop table public.flow_destination;
drop table public.flow_interface;
alter table public.endpoint_config drop constraint endpoint_config_kind_check;
alter table public.endpoint_config add constraint endpoint_config_kind_check
  check (kind in ('syslog-udp', 'syslog-tcp', 'syslog-tls', 'snmp', 'flow', 'https', 'packets'));
`;
