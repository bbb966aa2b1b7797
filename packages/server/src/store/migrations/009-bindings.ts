/** What belongs together, as records say: addresses, machines, users; how far records have been looked through for it. */
export const up = `
create table public.binding (
  lane integer not null,
  left_thing smallint not null,
  left_value text not null constraint binding_left_check check (length(left_value) <= 255),
  right_thing smallint not null,
  right_value text not null constraint binding_right_check check (length(right_value) <= 255),
  reason smallint not null,
  first_us bigint not null,
  last_us bigint not null,
  count bigint not null,
  first_record bigint not null,
  last_record bigint not null
);
create index binding_left_idx on public.binding (left_thing, left_value);
create index binding_right_idx on public.binding (right_thing, right_value);
create index binding_last_idx on public.binding (last_us);
create table public.binding_position (
  segment text constraint binding_position_pkey primary key,
  last_id bigint not null
);
`;
