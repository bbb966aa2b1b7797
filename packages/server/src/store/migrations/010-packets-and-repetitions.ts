/** Of an uploaded capture its packets may be read, instead of the messages in it; what is sent again is known for as long as its kind may be. */
export const up = `
alter table public.job add column metered boolean not null default false;
alter table public.request_seen rename column at_us to until_us;
alter index public.request_seen_at_us_idx rename to request_seen_until_us_idx;
update public.request_seen set until_us = until_us + 600000000;
`;
