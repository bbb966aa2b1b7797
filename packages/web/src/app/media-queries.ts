/**
 * Each query of media has one list of its own from now on: charts ask anew whenever they are drawn, browsers keep every list they have made, and a wall
 * draws charts for days.
 */
export function shareMediaQueries(of: Pick<Window, "matchMedia">): void {
  const made = of.matchMedia.bind(of);
  const lists = new Map<string, MediaQueryList>();
  of.matchMedia = (query) => {
    const list = lists.get(query) ?? made(query);
    lists.set(query, list);
    return list;
  };
}
