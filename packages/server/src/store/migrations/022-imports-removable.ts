/** Which import a segment and a file belong to: what one brought in is kept from when it came, and can be taken out again. */
export const up = `
alter table segment add column job bigint;
alter table imported_file add column job bigint;
alter table job drop constraint job_state_check;
alter table job add constraint job_state_check check (state in ('waiting', 'running', 'cancelling', 'done', 'failed', 'cancelled', 'removed'));
`;
