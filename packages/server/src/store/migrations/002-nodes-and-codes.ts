/**
 * Each process says on which node it runs, so that several may run the same role. The history of an incident is kept by code, and the reason
 * of a closing by itself, so that nothing has to be read out of words.
 */
export const up = `
alter table public.role_status add column node text default 'main' not null;
alter table public.role_status drop constraint role_status_pkey;
alter table public.role_status add constraint role_status_pkey primary key (role, node);
alter table public.endpoint add column node text default 'main' not null;
alter table public.endpoint drop constraint endpoint_pkey;
alter table public.endpoint add constraint endpoint_pkey primary key (node, name);

alter table public.incident_event rename column what to code;
alter table public.incident_event add column reason text;
update public.incident_event set code = 'closed', reason = substr(code, length('closed as ') + 1) where code like 'closed as %';
update public.incident_event set code = case code
  when 'took in' then 'took-in'
  when 'still lasts' then 'still-lasts'
  when 'new since seen' then 'new-since-seen'
  when 'taken from the shelf' then 'unshelved'
  when 'task added' then 'task-added'
  when 'task done' then 'task-done'
  when 'task open again' then 'task-reopened'
  when 'link taken away' then 'unlinked'
  when 'took back' then 'undone'
  else code end;
`;
