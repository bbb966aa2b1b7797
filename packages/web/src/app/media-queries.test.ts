import { shareMediaQueries } from "./media-queries";

test("a query asked again has the list it had; another one its own", () => {
  const asked: string[] = [];
  const of = {
    matchMedia(query: string) {
      asked.push(query);
      return { media: query } as MediaQueryList;
    },
  };
  shareMediaQueries(of);
  const [first, again, other] = [of.matchMedia("(print)"), of.matchMedia("(print)"), of.matchMedia("(hover)")];
  expect([first === again, other === first]).toEqual([true, false]);
  expect(asked).toEqual(["(print)", "(hover)"]);
});
