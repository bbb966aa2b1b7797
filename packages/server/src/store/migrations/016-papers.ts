/** Working papers of investigations. What is pinned is kept with them: retention takes nothing of it away. */
export const up = `
create table public.paper (
  id integer generated always as identity constraint paper_pkey primary key,
  name text not null,
  facts jsonb not null,
  owner text not null,
  state text not null,
  shared boolean not null,
  version integer not null default 1,
  pins_made integer not null default 0,
  created_us bigint not null,
  changed_us bigint not null,
  changed_by text not null,
  closed_us bigint
);
create table public.paper_person (
  paper integer not null references public.paper (id) on delete cascade,
  person text not null,
  may text not null,
  constraint paper_person_pkey primary key (paper, person)
);
create index paper_person_person_idx on public.paper_person (person);
create table public.paper_pin (
  paper integer not null references public.paper (id) on delete cascade,
  number integer not null,
  body jsonb not null,
  reason text not null,
  techniques text[] not null,
  things text[] not null,
  same_hash bytea not null,
  pinned_by text not null,
  pinned_us bigint not null,
  version integer not null default 1,
  constraint paper_pin_pkey primary key (paper, number),
  constraint paper_pin_same_key unique (paper, same_hash)
);
create index paper_pin_things_idx on public.paper_pin using gin (things);
create table public.paper_record (
  paper integer not null,
  number integer not null,
  record text not null,
  raw bytea not null,
  sender text not null,
  constraint paper_record_pkey primary key (paper, number),
  constraint paper_record_pin_fkey foreign key (paper, number) references public.paper_pin (paper, number) on delete cascade
);
create table public.paper_file (
  paper integer not null,
  number integer not null,
  bytes bytea not null,
  constraint paper_file_pkey primary key (paper, number),
  constraint paper_file_pin_fkey foreign key (paper, number) references public.paper_pin (paper, number) on delete cascade
);
create table public.paper_entry (
  id integer generated always as identity constraint paper_entry_pkey primary key,
  paper integer not null references public.paper (id) on delete cascade,
  body jsonb not null,
  author text not null,
  created_us bigint not null,
  changed_us bigint not null,
  changed_by text not null,
  version integer not null default 1
);
create index paper_entry_paper_idx on public.paper_entry (paper);
create table public.paper_link (
  id integer generated always as identity constraint paper_link_pkey primary key,
  paper integer not null,
  from_pin integer not null,
  to_pin integer not null,
  why text not null,
  drawn_by text not null,
  drawn_us bigint not null,
  constraint paper_link_pins_key unique (paper, from_pin, to_pin),
  constraint paper_link_from_fkey foreign key (paper, from_pin) references public.paper_pin (paper, number) on delete cascade,
  constraint paper_link_to_fkey foreign key (paper, to_pin) references public.paper_pin (paper, number) on delete cascade
);
create table public.question_set (
  id integer generated always as identity constraint question_set_pkey primary key,
  body jsonb not null,
  owner text not null,
  shared boolean not null,
  version integer not null default 1,
  changed_us bigint not null,
  changed_by text not null
);
`;
