/** Reports, when they are made, and what was made of them. */
export const up = `
create table public.report (
  id integer generated always as identity constraint report_pkey primary key,
  body jsonb not null,
  author text not null,
  changed_us bigint not null
);
create unique index report_name_idx on public.report (lower(body->>'name'));
create table public.report_schedule (
  id integer generated always as identity constraint report_schedule_pkey primary key,
  report integer not null constraint report_schedule_report_fkey references public.report on delete cascade,
  body jsonb not null,
  author text not null,
  looked_us bigint not null
);
create index report_schedule_report_idx on public.report_schedule (report);
create table public.report_run (
  id integer generated always as identity constraint report_run_pkey primary key,
  report integer not null constraint report_run_report_fkey references public.report on delete cascade,
  schedule integer constraint report_run_schedule_fkey references public.report_schedule on delete set null,
  due_us bigint,
  state text not null constraint report_run_state_check check (state in ('waiting', 'made', 'failed')),
  why text not null default '',
  by text not null,
  made_us bigint,
  body jsonb,
  told boolean not null default false
);
create index report_run_waiting_idx on public.report_run (due_us) where state = 'waiting';
create index report_run_untold_idx on public.report_run (id) where not told and schedule is not null;
create unique index report_run_due_idx on public.report_run (schedule, due_us);
create index report_run_report_idx on public.report_run (report, id);
alter table public.delivery add column report_run integer constraint delivery_report_run_fkey references public.report_run on delete cascade;
create index delivery_report_run_idx on public.delivery (report_run) where report_run is not null;
`;
