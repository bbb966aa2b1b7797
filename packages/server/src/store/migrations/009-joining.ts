/** Incidents of several findings: why each joined, what people merged, split, assigned and shelved; findings of rules that only listen. */
export const up = `
alter table finding alter column incident drop not null;
alter table finding add column joined text not null default '';
alter table incident add column merged_into integer references incident (id);
alter table incident add column shelved_until_us bigint;
alter table incident add column shelved_by text;
alter table incident add column shelved_why text;
alter table incident add column reminded_us bigint;
alter table incident drop constraint incident_close_reason_check;
alter table incident add constraint incident_close_reason_check check (close_reason in ('fixed', 'expected', 'false', 'duplicate'));
do $$ begin
  if exists (select from pg_roles where rolname = 'halvik_web') then
    grant update on finding to halvik_web;
    grant insert, update on incident to halvik_web;
  end if;
end $$;
`;
