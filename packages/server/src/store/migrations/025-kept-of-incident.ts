/** How many records are kept of an incident, each once: counted anew from its evidence, it cost an engine under a flood more than looking at the records. */
export const up = `
alter table public.incident add column kept integer default 0 not null;
update public.incident i set kept = k.records
from (
  select f.incident, count(distinct e.record)::int as records from public.finding f join public.evidence e on e.finding = f.id
  where f.merged_into is null group by 1
) k where k.incident = i.id;
`;
