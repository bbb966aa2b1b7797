import { createHmac } from "node:crypto";
import { Channel, signatureBase, webhookBody } from "./index.js";

// RFC 9421, B.2.5 "Signing a Request Using hmac-sha256", with its test-shared-secret (B.1.5)
test("an HTTP message signature is that of the RFC's example", () => {
  const key = "uzvJfB4u3N0Jy4T7NZ75MDVcr8zSTInedJtkgcu46YW4XByzNJjxBdtjUkdJPBtbmHhIDi6pcl8jsasjlTMtDQ==";
  const { params, base } = signatureBase(
    [
      ["date", "Tue, 20 Apr 2021 02:07:55 GMT"],
      ["@authority", "example.com"],
      ["content-type", "application/json"],
    ],
    1_618_884_473,
    "test-shared-secret",
    null,
  );
  expect(params).toBe('("date" "@authority" "content-type");created=1618884473;keyid="test-shared-secret"');
  expect(createHmac("sha256", Buffer.from(key, "base64")).update(base).digest("base64")).toBe(
    "pxcQw6G3AjtMBQjwo8XzkZf/bws5LelbaMk5rGIGtE8=",
  );
});

test("a chat gets the subject and where to look; a program everything", () => {
  const detail = {
    incident: { id: 7, title: "A", severity: "error", state: "open", first: "f", last: "l", count: 3, entities: [] },
    rules: [{ name: "R", sentence: "", notes: "" }],
  } as never;
  const about = [{ detail, link: "https://halvik.example/incidents/7" }];
  const message = { id: "m", tells: "raise" as const, notification: "duty" };
  const mail = { subject: "raised: A", text: "long\n" };
  expect(JSON.parse(webhookBody("chat", message, mail, about))).toEqual({
    text: "raised: A\nhttps://halvik.example/incidents/7",
  });
  expect(JSON.parse(webhookBody("json", message, mail, about))).toEqual({
    ...message,
    ...mail,
    incidents: [
      {
        id: 7,
        link: "https://halvik.example/incidents/7",
        title: "A",
        severity: "error",
        state: "open",
        first: "f",
        last: "l",
        count: 3,
        entities: [],
        rules: ["R"],
      },
    ],
  });
});

test.each([
  ["no address", { url: "chat" }],
  ["another scheme", { url: "file:///etc/passwd" }],
  ["a password in it", { url: "https://a:b@hooks.example/" }],
  ["a name over two lines", { name: "a\nb" }],
])("a channel with %s is refused", (_what, over) =>
  expect(Channel.safeParse({ kind: "webhook", name: "chat", url: "https://hooks.example/x", ...over }).success).toBe(
    false,
  ),
);
