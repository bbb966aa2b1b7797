/** Tasks of incidents; what acts on several at once changed, so that they can be taken back; closings that wait a moment. */
export const up = `
create table incident_task (
  id integer generated always as identity primary key, incident integer not null references incident (id), text text not null,
  made_by text not null, made_us bigint not null, done_by text, done_us bigint
);
create index on incident_task (incident);
create table bulk_act (
  id integer generated always as identity primary key, at_us bigint not null, who text not null, act jsonb not null, before jsonb not null, undone boolean not null default false
);
-- until then a closing may be taken back: the rules have not been told
alter table engine_close add column due_us bigint not null default 0;
do $$ begin
  if exists (select from pg_roles where rolname = 'halvik_web') then
    grant select, insert, update on incident_task, bulk_act to halvik_web;
    grant delete on engine_close to halvik_web;
    grant usage on all sequences in schema public to halvik_web;
  end if;
end $$;
`;
