/**
 * Nothing that is sent can stop what others send: keys of any length are indexed by their hash, flows say why they could not be read,
 * what the store refuses is kept aside, and a rule that fails is said to.
 */
export const up = `
-- immutable, since the encoding of the database is: an index needs to be told
create function key_hash(key text) returns bytea language plpgsql immutable strict parallel safe as $$
begin return sha256(convert_to(key, 'UTF8')); end $$;

alter table engine_state drop constraint engine_state_pkey;
create unique index engine_state_key on engine_state (rule_id, lane, key_hash(key), logic);
drop index finding_rule_id_key_idx;
create index on finding (rule_id, key_hash(key), id);
drop index incident_rule_id_key_id_idx;
create index on incident (rule_id, key_hash(key), id);

alter table segments.flow_template add column if not exists problem jsonb;
do $$ declare t text; begin
  for t in select name from segment where shape = 'flow' loop
    execute format('alter table segments.%I add column if not exists problem jsonb', t);
  end loop;
end $$;

-- what lies in the quarantine of a collector; the bytes are in a file there, which its name says
create table quarantined (
  file text primary key, collector text not null, at_us bigint not null, what text not null check (what in ('records', 'spool')),
  peer text not null, endpoint text not null, records integer not null, bytes bigint not null, reason text not null,
  state text not null default 'kept' check (state in ('kept', 'again', 'given up', 'stored'))
);

create table rule_failure (
  rule_id text primary key, version integer not null, since_us bigint not null, last_us bigint not null,
  times integer not null default 1, reason text not null,
  -- it does not run any more; else only some of its findings are left out
  stopped boolean not null
);
create trigger bump after delete on rule_failure for each statement execute function bump_rules();

do $$ begin
  if exists (select from pg_roles where rolname = 'halvik_web') then
    grant select on quarantined, rule_failure to halvik_web;
    grant update (state) on quarantined to halvik_web;
    grant delete on rule_failure to halvik_web;
  end if;
end $$;
`;
