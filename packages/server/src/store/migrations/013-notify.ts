/** Who is told of incidents, what was told and what became of it; up to where each person has read the notices. */
export const up = `
create table notify_route (id integer generated always as identity primary key, body jsonb not null, author text not null, changed_us bigint not null);
create table delivery (
  id integer generated always as identity primary key, route integer not null, route_name text not null, incident integer,
  tells text not null, event integer, state text not null default 'waiting', made_us bigint not null, due_us bigint not null, ended_us bigint,
  attempts integer not null default 0, why text not null default '', recipients text[] not null
);
create unique index on delivery (route, event) where event is not null;
create index on delivery (route, incident);
create index on delivery (due_us) where state = 'waiting';
create index on delivery (route, ended_us) where state = 'sent';
-- what was there before anybody could be told is told to nobody
alter table incident_event add column noted boolean not null default true;
alter table incident_event alter column noted set default false;
create index on incident_event (id) where not noted;
-- found in imported history: nobody is called for it
alter table incident_event add column history boolean not null default false;
create table notices_read (person text primary key, event integer not null);
do $$ begin
  if exists (select from pg_roles where rolname = 'halvik_web') then
    grant select on notify_route, delivery, notices_read to halvik_web;
    grant insert, update, delete on notify_route, notices_read to halvik_web;
    grant insert on delivery to halvik_web;
    grant usage on all sequences in schema public to halvik_web;
  end if;
end $$;
`;
