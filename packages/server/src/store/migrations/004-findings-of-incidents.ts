/** The latest findings of an incident are read for every finding that is placed: in a storm an incident has thousands. */
export const up = `
create index finding_incident_id_idx on public.finding (incident, id);
create index finding_lasting_idx on public.finding (incident, id) where cleared_us is null;
drop index public.finding_incident_idx;
`;
