/** Whether an import still runs is said by the lock it holds: a flag stayed behind when one was cancelled or killed. */
export const up = `
alter table collector drop column finished;
`;
