/**
 * The index of terms: parts of consecutive rows of a segment, each with blocks of sorted terms and a directory of its rows
 * (core/terms; docs/storage.md). A closed segment is complete but not yet indexed throughout; a sealed one is.
 */
export const up = `
alter table segment drop constraint segment_state_check;
update segment set state = 'closed' where state = 'sealed';
alter table segment add constraint segment_state_check check (state in ('open', 'closed', 'sealed'));
-- rows up to this id are in parts
alter table segment add column indexed_id bigint;
alter table segment add column indexed_rows bigint not null default 0;

create table index_part (
  id bigint generated always as identity primary key,
  segment text not null references segment (name) on delete cascade,
  collector integer not null,
  rows integer not null,
  first_id bigint not null, last_id bigint not null,
  min_time bigint not null, max_time bigint not null,
  -- of each block of terms, the first; of each block of rows, the least and greatest time
  first_terms text[] not null,
  block_min bigint[] not null, block_max bigint[] not null
);
create index on index_part (segment);
create table index_terms (
  part bigint not null references index_part (id) on delete cascade,
  number integer not null,
  terms bytea not null, rows bytea not null,
  primary key (part, number)
);
create table index_directory (
  part bigint not null references index_part (id) on delete cascade,
  number integer not null,
  data bytea not null,
  primary key (part, number)
);
alter table index_terms alter column terms set compression lz4, alter column rows set compression lz4;
alter table index_directory alter column data set compression lz4;
do $$ begin
  if exists (select from pg_roles where rolname = 'halvik_web') then
    grant select on index_part, index_terms, index_directory to halvik_web;
  end if;
end $$;
`;
