/** Rules of several kinds: findings carry their arithmetic; states are an open episode and what the kind itself remembers. */
export const up = `
alter table finding add column rule_version integer not null default 1;
update finding f set rule_version = i.rule_version from incident i where i.id = f.incident;
alter table finding add column facts jsonb not null default '[]';
update engine_state set state = case
  when state->'open' = 'null'::jsonb then jsonb_build_object('open', null)
  else jsonb_build_object('open', (state->'open') || '{"facts": []}') end;
delete from engine_state where state->'open' = 'null'::jsonb;
`;
