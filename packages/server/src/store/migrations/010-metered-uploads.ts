/** Of an uploaded capture its packets may be read, instead of the messages in it. */
export const up = `
alter table public.job add column metered boolean not null default false;
`;
