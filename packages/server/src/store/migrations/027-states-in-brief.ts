/**
 * What an engine asks of a state before anything touches it stands beside its text: whether something is open, when it last saw something and when time
 * alone would change it, how near it is to being raised (in thousandths; null: nothing), whether it still learns. States of before say nothing of it.
 */
export const up = `
alter table public.engine_state add column last_us bigint, add column next_us bigint, add column near integer, add column open boolean, add column learning boolean;
`;
