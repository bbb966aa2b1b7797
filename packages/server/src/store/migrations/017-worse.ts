/** Which of its rule's worse filters a finding's evidence meets, as bits. */
export const up = `
alter table finding add column worse smallint not null default 0;
`;
