/** Sums of traffic: by step, exporter, interface, way and everything it is told apart by; how far flows have been summed; what interfaces are. */
const sums = (table: string): string => `
create table public.${table} (
  sender integer not null,
  interface bigint not null,
  way smallint not null,
  dimension smallint not null,
  step integer not null,
  value text collate "C" not null constraint ${table}_value_check check (length(value) <= 200),
  bytes bigint not null,
  packets bigint not null,
  flows bigint not null,
  estimated bigint not null,
  rate integer not null,
  constraint ${table}_pkey primary key (sender, interface, way, dimension, step, value)
);
create index ${table}_step_idx on public.${table} (step);
`;

export const up = `${["traffic_minute", "traffic_five", "traffic_hour"].map(sums).join("")}
create table public.traffic_source (
  sender integer not null,
  interface bigint not null,
  way smallint not null,
  first_us bigint not null,
  last_us bigint not null,
  constraint traffic_source_pkey primary key (sender, interface, way)
);
create table public.traffic_step (
  level smallint not null,
  step integer not null,
  constraint traffic_step_pkey primary key (level, step)
);
create table public.traffic_position (
  segment text constraint traffic_position_pkey primary key,
  last_id bigint not null
);
create table public.interface_fact (
  sender integer not null constraint interface_fact_sender_fkey references public.sender on delete cascade,
  interface bigint not null,
  name text default '' not null constraint interface_fact_name_check check (length(name) <= 120),
  speed bigint constraint interface_fact_speed_check check (speed > 0),
  author text not null,
  changed_us bigint not null,
  constraint interface_fact_pkey primary key (sender, interface)
);
`;
