/** Sums of traffic: by step, exporter, interface, way and what it is told apart by; how far flows have been summed; what interfaces are. */
export const up = `
create table public.traffic_sum (
  level smallint not null,
  sender integer not null,
  interface bigint not null,
  way smallint not null,
  dimension smallint not null,
  step integer not null,
  vals text[] not null,
  bytes bigint[] not null,
  packets bigint[] not null,
  flows bigint[] not null,
  estimated bigint not null,
  rate integer not null,
  open boolean not null,
  constraint traffic_sum_pkey primary key (level, sender, interface, way, dimension, step)
);
create index traffic_sum_step_idx on public.traffic_sum (level, step);
create index traffic_sum_open_idx on public.traffic_sum (level, step) where open;
create table public.traffic_source (
  sender integer not null,
  interface bigint not null,
  way smallint not null,
  first_us bigint not null,
  last_us bigint not null,
  constraint traffic_source_pkey primary key (sender, interface, way)
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
