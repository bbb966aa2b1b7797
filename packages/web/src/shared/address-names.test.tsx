import { screen } from "@testing-library/react";
import { senderJson } from "../testing/answers";
import { draw } from "../testing/draw";
import { freshPage } from "../testing/fresh-page";
import { AddressNames, NamedText, namesIn, namesOf } from "./address-names";

freshPage();

test("an address has the names of all who send from it; one known by its address alone has none", () => {
  expect(
    namesOf([
      senderJson({ name: "files-1", addresses: ["10.20.1.19", "2001:db8::19"] }),
      senderJson({ name: "relay-1", addresses: ["10.20.1.19"] }),
      senderJson({ name: "10.20.1.99", addresses: ["10.20.1.99"] }),
    ]),
  ).toEqual([
    ["10.20.1.19", "files-1, relay-1"],
    ["2001:db8::19", "files-1"],
  ]);
});

const nameOf = (address: string) => ({ "10.20.1.19": "files-1", "2001:db8::19": "files-1" })[address];
test.each([
  ["from 10.20.1.19 to 10.20.1.20", "from 10.20.1.19| to 10.20.1.20"],
  ["10.20.1.19:445 sent", "10.20.1.19:445| sent"],
  ["[2001:db8::19]:443 sent", "[2001:db8::19]:443| sent"],
  ["see 10.20.1.19: denied", "see 10.20.1.19|: denied"],
  ["files-1 (10.20.1.19) is back", "files-1 (10.20.1.19) is back"],
  ["110.20.1.19 and 10.20.1.190", "110.20.1.19 and 10.20.1.190"],
])("%s", (text, wanted) => {
  let marked = text;
  for (const { at } of [...namesIn(text, nameOf)].reverse()) marked = `${marked.slice(0, at)}|${marked.slice(at)}`;
  expect(marked).toBe(wanted);
});

test("a hostile name is shown, not run", () => {
  const senders = [senderJson({ name: "<b>x</b>\u202e", addresses: ["10.20.1.19"] })];
  draw(
    <AddressNames>
      <NamedText>10.20.1.19 refused</NamedText>
    </AddressNames>,
    { answers: [[["senders"], { senders }]] },
  );
  expect(screen.getByText(/<b>x<\/b>/)).toBeTruthy();
  expect(document.querySelector("b")).toBeNull();
});
