import { recordJson } from "../../testing/answers";
import { freshPage } from "../../testing/fresh-page";
import { columnsOf } from "./list-columns";
import { inOrder, nextOrder, readOrder, sumOf, writeOrder } from "./list-order";

freshPage();

const columns = columnsOf(["src", "bytes", "dst port", "interface"].map((name) => ({ name, width: null })));
const records = [
  recordJson({ id: "1", src: "10.20.1.9", bytes: 500, dstPort: 443, interface: "ge0/10" }),
  recordJson({ id: "2", src: "10.20.1.10", dstPort: 53, interface: "ge0/9" }),
  recordJson({ id: "3", src: "10.20.1.100", bytes: "9223372036854775807", dstPort: 8080 }),
];
const ids = (sort: string) => inOrder(records, columns, readOrder(sort)).map((r) => r.id);

test.each([
  ["bytes", ["3", "1", "2"]],
  ["bytes:up", ["1", "3", "2"]],
  ["src:up", ["1", "2", "3"]],
  ["dst port", ["3", "1", "2"]],
  ["interface:up", ["2", "1", "3"]],
  ["nothing of the kind", ["1", "2", "3"]],
])("by %s: %j", (sort, wanted) => expect(ids(sort)).toEqual(wanted));

test("a heading asks for down, up, and by time again; addresses carry it", () => {
  const down = nextOrder(null, "bytes");
  expect(writeOrder(down)).toBe("bytes");
  const up = nextOrder(down, "bytes");
  expect(readOrder(writeOrder(up))).toEqual(up);
  expect(nextOrder(up, "bytes")).toBeNull();
  expect(nextOrder(up, "src")).toEqual({ column: "src", down: true });
});

test("sums stay within 64 bits and leave out what has no figure", () => {
  const { of, text } = columns.find((c) => c.name === "bytes")!.amount!;
  expect(text(sumOf(records.slice(0, 2), of))).toBe("500 B");
  expect(sumOf(records, of)).toBe(2n ** 63n - 1n);
});
