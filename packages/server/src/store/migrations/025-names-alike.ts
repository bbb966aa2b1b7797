/**
 * Names of people are alike in any case and in either way of composing their letters, for the index as for whoever looks one up. Where there
 * are such already, both stay and can still sign in under their own spelling's first match: the index is left as it was.
 */
export const up = `
do $$ begin
  create unique index person_alike on person (lower(normalize(name)));
  drop index person_name;
exception when unique_violation then
  raise notice 'there are people whose names are alike';
end $$;
`;
