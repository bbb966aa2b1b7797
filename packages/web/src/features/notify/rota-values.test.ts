import { Rota } from "@halvik/core/respond/notify";
import { rotaOf, valuesOf } from "./rota-values";

const TIME = "2026-11-28T02:14:07.000000Z";
const PERSON = { name: "k.lind", to: "k.lind@orvane.example" };
const rota = Rota.parse({
  name: "night",
  zone: "Europe/Oslo",
  from: "2026-11-02",
  people: [PERSON],
  instead: [{ from: "2026-12-24T07:00:00.000000Z", to: "2026-12-26T07:00:00.000000Z", person: PERSON }],
});

test("opened and saved, a rota is the same; moments are shown by its clock", () => {
  const kept = { ...rota, id: 1, author: "owner", changed: TIME, onDuty: { ...PERSON, until: TIME } };
  const values = valuesOf(kept, "UTC", "2026-11-28");
  expect(values.instead[0]!.from).toBe("2026-12-24 08:00");
  expect(Rota.parse(rotaOf(values))).toEqual(rota);
});

test("what is no moment is refused, not guessed", () => {
  const values = { ...valuesOf(null, "Europe/Oslo", "2026-11-28"), name: "n", people: [PERSON] };
  expect(Rota.safeParse(rotaOf(values)).success).toBe(true);
  const instead = [{ from: "", to: "2026-12-26 07:00", name: "x", mail: "x@orvane.example" }];
  expect(Rota.safeParse(rotaOf({ ...values, instead })).success).toBe(false);
  expect(Rota.safeParse(rotaOf({ ...values, zone: "Mars/Olympus" })).success).toBe(false);
});
