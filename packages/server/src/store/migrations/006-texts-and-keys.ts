/** Texts of one's own for messages, and the second secret of a channel: what SNMP is encrypted with. */
export const up = `
create table public.notify_text (
  id integer generated always as identity constraint notify_text_pkey primary key,
  body jsonb not null,
  author text not null,
  changed_us bigint not null
);
alter table public.notify_channel add column privacy_secret text default '' not null;
`;
