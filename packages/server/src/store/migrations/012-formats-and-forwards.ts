/**
 * Senders have tags, and what they were called before is remembered.
 */
export const up = `
alter table public.sender add column tags text[] not null default '{}';
create table public.sender_former (
  sender integer not null constraint sender_former_sender_fkey references public.sender on delete cascade,
  what text not null constraint sender_former_what_check check (what in ('name', 'address')),
  value text not null,
  until_us bigint not null,
  constraint sender_former_pkey primary key (sender, what, value)
);
create trigger bump after insert or delete or update on public.sender_former for each statement execute function public.bump_directory();
`;
