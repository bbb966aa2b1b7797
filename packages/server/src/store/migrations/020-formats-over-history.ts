/**
 * Formats that read history anew: what is asked for and how far it came (`format_reading`), what each amended record was before (`amended_record`), and the one
 * way in which a stored record may change: what a format reads, never its text, bytes, time or sender.
 */
export const up = `
create table public.format_reading (
  id integer generated always as identity constraint format_reading_pkey primary key,
  format integer not null,
  version integer not null,
  body jsonb not null,
  author text not null,
  from_us bigint not null,
  to_us bigint not null,
  state text not null constraint format_reading_state_check check (state in ('waiting', 'reading', 'done', 'stopped', 'failed', 'taking back', 'taken back')),
  asked_us bigint not null,
  changed_us bigint not null,
  segment text,
  after_id bigint,
  parts integer not null default 0,
  parts_done integer not null default 0,
  looked bigint not null default 0,
  amended bigint not null default 0,
  read_before bigint not null default 0,
  refused bigint not null default 0,
  why text
);
create unique index format_reading_one_idx on public.format_reading ((true)) where state in ('waiting', 'reading', 'taking back');
create table public.amended_record (
  id bigint constraint amended_record_pkey primary key,
  segment text not null constraint amended_record_segment_fkey references public.segment on delete cascade,
  reading integer not null constraint amended_record_reading_fkey references public.format_reading,
  before jsonb not null
);
create index amended_record_reading_idx on public.amended_record (reading, segment, id);
create index amended_record_segment_idx on public.amended_record (segment);
alter table public.index_part add column replaced_us bigint;
create index index_part_replaced_idx on public.index_part (replaced_us) where replaced_us is not null;

create function segments.amend(name text, amended jsonb) returns void
    language plpgsql security definer
    set search_path to 'pg_catalog', 'pg_temp'
    as $$
begin
  perform segments.require_name(name);
  execute format('update segments.%I r set kind = a.kind, severity = a.severity, category = a.category, outcome = a.outcome, action = a.action, protocol = a.protocol,
      host = a.host, app = a.app, process = a.process, event = a.event, interface = a.interface, original_severity = a.original_severity, bytes = a.bytes,
      packets = a.packets, src = a.src, dst = a.dst, src_port = a.src_port, dst_port = a.dst_port, other_addresses = a.other_addresses, users = a.users,
      data = a.data, marks = a.marks, problem = a.problem
    from jsonb_to_recordset($1) as a (id bigint, kind smallint, severity smallint, category smallint, outcome smallint, action smallint, protocol smallint,
      host text, app text, process text, event text, interface text, original_severity text, bytes bigint, packets bigint, src inet, dst inet, src_port integer,
      dst_port integer, other_addresses inet[], users text[], data jsonb, marks integer, problem jsonb) where r.id = a.id', name) using amended;
end $$;
`;
