/** Boards, the screens on the wall that show them, and measures that are kept by name. */
export const up = `
create table public.board (
  id integer generated always as identity constraint board_pkey primary key,
  body jsonb not null,
  owner text not null,
  shared boolean not null default false,
  is_now boolean not null default false,
  version integer not null default 1,
  changed_by text not null,
  changed_us bigint not null
);
create unique index board_name_idx on public.board (owner, lower(body->>'name')) where not is_now;
create unique index board_now_idx on public.board (owner) where is_now;
create table public.wall (
  id integer generated always as identity constraint wall_pkey primary key,
  body jsonb not null,
  hash text not null constraint wall_hash_key unique,
  author text not null,
  created_us bigint not null,
  expires_us bigint,
  last_used_us bigint,
  revoked boolean not null default false
);
create table public.measure (
  id integer generated always as identity constraint measure_pkey primary key,
  body jsonb not null,
  author text not null,
  changed_us bigint not null
);
create unique index measure_name_idx on public.measure (lower(body->>'name'));
`;
