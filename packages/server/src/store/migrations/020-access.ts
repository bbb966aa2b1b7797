/** Sessions that end with the right to them, one-time passwords and tokens that run out, requests that are known again. */
export const up = `
alter table person add column session_epoch integer not null default 1;
alter table person add column one_time_until_us bigint;
alter table token add column expires_us bigint;
-- what may be sent again by whoever did not hear the answer: informs, and records of requests with a key
create table request_seen (key bytea primary key, at_us bigint not null);
create index on request_seen (at_us);
`;
