import { RECORD_COLUMNS } from "../record-columns.js";

/**
 * Segments, batches and rollups. A segment is a table of its own, made like `segments.template` and named in the
 * catalogue `segment`; queries address it by name (docs/storage.md says why).
 */
export const up = `
create schema segments;

create table segments.template (
  ${RECORD_COLUMNS.map((c) => `${c.name} ${c.sql}`).join(",\n  ")}
);
create unique index on segments.template (id);
create index on segments.template (time, id);
create index on segments.template (sender, time, id);
create index on segments.template (time, id) where severity <= 3;
create index on segments.template (src, time, id) where src is not null;

create table segment (
  name text primary key,
  collector integer not null,
  kind text not null check (kind in ('live', 'late', 'import')),
  state text not null default 'open' check (state in ('open', 'sealed')),
  rows bigint not null default 0,
  min_time bigint, max_time bigint,
  min_id bigint, max_id bigint,
  created_us bigint not null
);

create table raw_bytes (id bigint primary key, raw bytea not null);

create table collector (
  number integer primary key,
  name text not null unique,
  kind text not null check (kind in ('live', 'import', 'engine')),
  finished boolean not null default false
);

create table batch (
  collector integer not null references collector (number),
  number bigint not null,
  rows integer not null,
  low_id bigint, high_id bigint,
  through_us bigint not null,
  run_rules boolean not null default true,
  committed_us bigint not null,
  primary key (collector, number)
);

create table rollup_minute (
  bucket integer not null, kind smallint not null, severity smallint not null, count bigint not null,
  primary key (bucket, kind, severity)
) with (fillfactor = 60);
create table rollup_five_minutes (
  bucket integer not null, sender integer not null, kind smallint not null, severity smallint not null, count bigint not null,
  primary key (bucket, sender, kind, severity)
) with (fillfactor = 60);
create table rollup_hour (like rollup_five_minutes including all) with (fillfactor = 60);
`;
