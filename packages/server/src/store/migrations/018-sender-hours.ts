/** What came of each sender by each way in, by the hour, and how far its clock was off; SNMP communities that endpoints refused (an empty list had meant any until then). */
export const up = `
create table public.sender_hour (
  sender integer not null,
  endpoint text not null,
  hour integer not null,
  records bigint not null default 0,
  bytes bigint not null default 0,
  problems bigint not null default 0,
  late bigint not null default 0,
  copies bigint not null default 0,
  capped bigint not null default 0,
  last_us bigint not null,
  offset_least_us bigint not null,
  offset_most_us bigint not null,
  constraint sender_hour_pkey primary key (sender, hour, endpoint)
);
alter table only public.sender_hour add constraint sender_hour_sender_fkey foreign key (sender) references public.sender(id) on delete cascade;
create index sender_hour_old_idx on public.sender_hour (hour);
alter table public.endpoint add column refused jsonb not null default '[]';
update public.endpoint_config set settings = settings - 'communities' where kind = 'snmp' and settings->'communities' = '[]'::jsonb;
`;
