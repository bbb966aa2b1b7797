/**
 * Each message has an id of its own that stays when it is sent again; it goes by mail or by a channel that is set up, to whom a step of
 * its route names. Rotas say who is on duty.
 */
export const up = `
alter table public.delivery add column message uuid default gen_random_uuid() not null;
alter table public.delivery add column channel integer;
alter table public.delivery add column step smallint default 0 not null;
-- of several who are mailed, those who have it already
alter table public.delivery add column reached text[] default '{}' not null;
-- what links to acknowledge are signed with, and when one was used
alter table public.delivery add column link_key uuid default gen_random_uuid() not null;
alter table public.delivery add column link_used_us bigint;
drop index public.delivery_route_event_idx;
create unique index delivery_route_event_idx on public.delivery (route, event, tells, step, coalesce(channel, 0)) where event is not null and tells <> 'reminder';
create index delivery_message_idx on public.delivery (message);
create index delivery_incident_idx on public.delivery (incident, id);

create table public.rota (
  id integer generated always as identity constraint rota_pkey primary key,
  body jsonb not null,
  author text not null,
  changed_us bigint not null
);
create table public.notify_channel (
  id integer generated always as identity constraint notify_channel_pkey primary key,
  body jsonb not null,
  secret text default '' not null,
  author text not null,
  changed_us bigint not null
);
`;
