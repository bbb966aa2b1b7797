import { NotificationNames, STANDARD_NOTIFICATIONS } from "./index.js";

test("the generic ones (RFC 3418, RFC 2863)", () => {
  expect(STANDARD_NOTIFICATIONS.oids("linkDown")).toEqual(["1.3.6.1.6.3.1.1.5.3"]);
  expect(STANDARD_NOTIFICATIONS.name("1.3.6.1.6.3.1.1.5.4")).toBe("linkUp");
  expect(STANDARD_NOTIFICATIONS.oids("linkdown")).toEqual([]);
});

test("a name that two modules use stands for both, and names neither", () => {
  const names = new NotificationNames([
    { name: "fanFailed", oids: ["1.3.6.1.4.1.32473.1.2", "1.3.6.1.4.1.32473.1.0.2"] },
    { name: "fanFailed", oids: ["1.3.6.1.4.1.32473.2.0.7"] },
    { name: "tide", oids: ["1.3.6.1.4.1.32473.3.4", "1.3.6.1.4.1.32473.3.0.4"] },
  ]);
  expect(names.oids("fanFailed")).toHaveLength(3);
  expect(names.name("1.3.6.1.4.1.32473.2.0.7")).toBeUndefined();
  expect(names.name("1.3.6.1.4.1.32473.3.0.4")).toBe("tide");
});
