/**
 * What parts words has changed: the terms of messages are made anew, by the keeper. Until then those records are gone through. Flows have no
 * text, and keep theirs.
 */
export const up = `
delete from index_part p using segment s where s.name = p.segment and s.shape = 'record';
update segment set indexed_id = null, indexed_rows = 0, state = case state when 'sealed' then 'closed' else state end where shape = 'record';
`;
