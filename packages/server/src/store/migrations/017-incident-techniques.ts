/** Techniques that people say an incident was, besides those its rules name. */
export const up = `
alter table public.incident add column techniques text[] not null default '{}';
`;
