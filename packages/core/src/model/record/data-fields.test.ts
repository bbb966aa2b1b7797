import { dataFieldsOf } from "./index.js";

const record = (...data: [string, string][]) => ({ data });

test("names by how many records have them, each with what all of its values are", () => {
  expect(
    dataFieldsOf([
      record(["bytes", "12"], ["client", "192.0.2.1"], ["note", "7"], ["at", "2026-11-26T02:18:31Z"], ["empty", ""]),
      record(["bytes", "-3.5"], ["bytes", "4"], ["client", "2001:db8::1"], ["note", "seven"]),
      record(["bytes", ""], ["sha256", "a".repeat(64)]),
    ]),
  ).toEqual([
    { name: "bytes", type: "number", records: 3, example: "12" },
    { name: "client", type: "address", records: 2, example: "192.0.2.1" },
    { name: "note", type: "text", records: 2, example: "7" },
    { name: "at", type: "time", records: 1, example: "2026-11-26T02:18:31Z" },
    { name: "empty", type: "text", records: 1, example: "" },
    { name: "sha256", type: "hash", records: 1, example: "a".repeat(64) },
  ]);
});

test("a sender that makes new names all the time, and long ones, is bounded", () => {
  const many = Array.from({ length: 3_000 }, (_, i) =>
    record([`n${i}`, "x"], ["y".repeat(300), "z"], ["v", "9".repeat(100_000)]),
  );
  const found = dataFieldsOf(many);
  expect(found).toHaveLength(1_000);
  expect(found[0]).toMatchObject({ name: "v", type: "text", records: 3_000 });
  expect(found[0]!.example).toHaveLength(200);
});
