/**
 * An incident is one happening: what explains it stands above it, what of it was not told yet is kept until it is, and its history says of
 * which finding a line is. The domains that are ours make one thing of the spellings of a name.
 */
export const up = `
alter table public.incident add column parent integer references public.incident (id);
alter table public.incident add column parent_why text default '' not null;
alter table public.incident add column folded boolean default false not null;
alter table public.incident add column untold text[] default '{}' not null;
alter table public.incident add column told_us bigint default 0 not null;
create index incident_parent_idx on public.incident (parent) where parent is not null;
alter table public.finding add column links jsonb default '[]' not null;
alter table public.finding add column by_hand boolean default false not null;
alter table public.finding add column suspects text[] default '{}' not null;
alter table public.incident_event add column finding integer;

-- senders of which it was said that they are new: those that are there already are not
create table public.sender_told (
    sender integer not null primary key references public.sender (id) on delete cascade,
    told_us bigint not null
);
insert into public.sender_told (sender, told_us) select id, 0 from public.sender;

create table public.own_domain (
    domain text not null primary key,
    author text not null,
    at_us bigint not null
);
create trigger bump after insert or delete or update on public.own_domain for each statement execute function public.bump_kinds();
`;
