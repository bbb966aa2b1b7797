/** Before which step sums over all exporters (five minutes, hours) and sums by the day have been made, by level; null: there are none yet. A row is locked by whoever changes sums of its level. */
export const up = `
create table public.traffic_derived (
  level smallint constraint traffic_derived_pkey primary key,
  before integer
);
insert into public.traffic_derived (level) values (0), (1), (2), (3);
`;
