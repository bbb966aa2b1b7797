/**
 * An incident that ended because nothing came any more is over for the rules and not judged by anyone (`semantics.md` 21): it still needs
 * somebody. Of those from before, the ones of the last week.
 */
export const up = `
alter table incident add column stopped boolean not null default false;
update incident i set stopped = true where i.state = 'cleared' and i.ended_us > (extract(epoch from now()) * 1000000)::bigint - 604800000000
  and exists (select from finding f where f.incident = i.id and f.cleared_by = 'quiet');
`;
