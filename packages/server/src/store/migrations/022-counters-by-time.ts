/** Counters of interfaces go when they are as old as sums by five minutes may become: they are found by their time, in which they come. */
export const up = `
create index interface_measure_time_idx on public.interface_measure using brin ("time");
`;
