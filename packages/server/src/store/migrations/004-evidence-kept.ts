/**
 * Records that are evidence are kept with it: what is older than records are kept is still proof. The latest findings of an incident are read
 * for every finding that is placed: in a storm an incident has thousands.
 */
export const up = `
create table public.evidence (
  finding integer not null references public.finding (id) on delete cascade,
  record bigint not null,
  time_us bigint not null,
  step smallint,
  constraint evidence_pkey primary key (finding, record)
);
create index evidence_time_idx on public.evidence (finding, time_us, record);
create index evidence_record_idx on public.evidence (record);
create table public.kept_record (
  id bigint constraint kept_record_pkey primary key,
  record text not null,
  raw bytea
);
alter table public.finding add column kept integer default 0 not null;
alter table public.finding add column cleared_with bigint;

create index finding_incident_id_idx on public.finding (incident, id);
create index finding_lasting_idx on public.finding (incident, id) where cleared_us is null;
drop index public.finding_incident_idx;
`;
