/** What came of a sender counted in messages, what of it was refused, and what never came by the numbers it gives; since when an address was its. */
export const up = `
alter table sender_activity add column messages bigint not null default 0, add column refused bigint not null default 0;
-- counters that people read so far stand beside this sum
update sender_activity set messages = records + problems + copies;
alter table sender_hour add column messages bigint not null default 0, add column refused bigint not null default 0,
  add column numbered bigint not null default 0, add column missed bigint not null default 0;
alter table sender_address add column since_us bigint;
alter table sender_former add column since_us bigint;
`;
