import { TEST_DIRECTORY } from "../../testing/filters.js";
import { parseFilter, readFilter } from "./index.js";

const context = {
  zone: "Europe/Oslo",
  directory: TEST_DIRECTORY,
  saved: [{ name: "Night jobs", text: "app is cron" }],
};
const read = (text: string) => parseFilter(text, context);
const said = (text: string): string => {
  const parsed = read(text);
  return parsed.ok ? readFilter(parsed.filter) : `${parsed.error.code}: ${parsed.error.message}`;
};

/** What people write who know other languages: it means what they mean. */
describe("the same, written otherwise", () => {
  test.each([
    ["app is sshd or cron", "app in sshd, cron"],
    ["app is sshd or cron and severity is error", "app in (sshd, cron) and severity is error"],
    ["app is not sshd or cron", "app not in sshd, cron"],
    ["app is (sshd or cron)", "app is sshd, cron"],
    ["severity is error or warning", "severity in error, warning"],
    ["dst port is 22 or 23 or src is 10.0.0.1", "dst port in 22, 23 or src is 10.0.0.1"],
    ["app is sshd or host is web", '(app is sshd) or (host is "web")'],
    ["app is sshd or not cron", "app is sshd or (not cron)"],
    ['app is sshd or data "x" is 1', '(app is sshd) or (data "x" is 1)'],
    ["app is sshd or src port is 5", "(app is sshd) or (src port is 5)"],
    // names of two words, with a sign, and named values without quotes begin comparisons too
    ["app is sshd or dst port=22", "(app is sshd) or (dst port is 22)"],
    ["app is sshd or dst port>=22", "(app is sshd) or (dst port at least 22)"],
    ["app is sshd or data x is b", '(app is sshd) or (data "x" is b)'],
    ["app is sshd or data x over 5", '(app is sshd) or (data "x" over 5)'],
    ["app is sshd or data x>3", '(app is sshd) or (data "x" over 3)'],
    ["app is sshd or data x present and failed", '(app is sshd) or ((data "x" present) and failed)'],
    ["data speed>5 and data x<=3", 'data "speed" over 5 and data "x" at most 3'],
    ['data "a=b" is 3', 'data "a=b" is 3'],
    // and where nothing is compared they are values
    ["app is sshd or data", 'app in "sshd", "data"'],
    ["app is sshd or data and failed", 'app in ("sshd", "data") and failed'],
    ["app is sshd or same", 'app in "sshd", "same"'],
    ["app is sshd or filter", 'app in "sshd", "filter"'],
    ["app is sshd or dst", 'app in "sshd", "dst"'],
    ['app is sshd or "session opened"', '(app is sshd) or text has "session opened"'],
    ['user is "k. lind" or "o. berg"', 'user in "k. lind", "o. berg"'],
    ["app is sshd or (cron)", "(app is sshd) or (cron)"],
    ["SEVERITY IS ERROR AND NOT app IN cron", "severity is error and not app in cron"],
    ["a AND b OR c", "a and b or c"],
    ["Severity At Least error", "severity at least error"],
    ["user is missing", "user missing"],
    ["user is not missing", "user present"],
    ["user is present", "user present"],
    ["user is not present", "user missing"],
    ["bytes > 10 MB", "bytes over 10 MB"],
    ["bytes>=10MB", "bytes at least 10 MB"],
    ["bytes < 5", "bytes under 5"],
    ["bytes<=5", "bytes at most 5"],
    ["bytes ≤ 5", "bytes at most 5"],
    ["dst port=22", "dst port is 22"],
    ["dst port != 22", "dst port is not 22"],
    ["dst port <> 22", "dst port is not 22"],
    ["port is https", "port is 443"],
    ["dst port in ssh, 1..9", "dst port in 22, 1..9"],
    ["protocol is tcp", "protocol is 6"],
    ["protocol is UDP or icmp", "protocol in 17, 1"],
    ["dscp is ef", "dscp is 46"],
    ["dscp is AF41", "dscp is 34"],
    ["ip is 10.0.0.1", "address is 10.0.0.1"],
    ["hostname is web", "host is web"],
    ["source address is 10.0.0.1", "src is 10.0.0.1"],
    ["Source IP is 10.0.0.1 or dst ip is 10.0.0.1", "src is 10.0.0.1 or dst is 10.0.0.1"],
    ["destination port=22 or source port > 1024", "dst port is 22 or src port over 1024"],
    ["event id is 4625 or eventid is 4624", "event is 4625 or event is 4624"],
    ["username is k.lind and program is sshd", "user is k.lind and app is sshd"],
    // where they are not compared they are words like any other
    ["eventid logged", "eventid and logged"],
    ["app is sshd or event id is 4625", "(app is sshd) or (event is 4625)"],
    ["app is sshd or program", 'app in "sshd", "program"'],
    ['message has "x y"', 'text has "x y"'],
    ["“link down”", '"link down"'],
    ["text has „link down“", 'text has "link down"'],
    ["user is «k. lind»", 'user is "k. lind"'],
    ["time at least 2026-11-24T10:30Z", "time at least 2026-11-24T10:30:00Z"],
    ["time >= 2026-11-24 10:30", "time at least 2026-11-24T10:30"],
    ["time = 2026-11-24", "time between 2026-11-24 and 2026-11-25"],
    ["time is 2026-11-24T10:30", "time between 2026-11-24T10:30 and 2026-11-24T10:31"],
    ["time last 24 H", "time last 24 h"],
  ])("%s: %s", (written, plain) => expect(said(written)).toBe(said(plain)));

  test("whole numbers are exact up to 2^63 − 1", () => {
    const of = (text: string) => {
      const parsed = read(text);
      return (
        parsed.ok && parsed.filter.type === "compare" && parsed.filter.test.op === "ranges" && parsed.filter.test.ranges
      );
    };
    expect(of("bytes is 9007199254740993")).toEqual([[9_007_199_254_740_993n, 9_007_199_254_740_993n]]);
    expect(of("bytes over 9007199254740992")).toEqual([[9_007_199_254_740_993n, Number.POSITIVE_INFINITY]]);
    expect(of("bytes at most 9223372036854775807")).toEqual([[Number.NEGATIVE_INFINITY, 9_223_372_036_854_775_807n]]);
    expect(of("bytes over 9223372036854775807")).toEqual([[1, 0]]);
    expect(of("packets over 1.5")).toEqual([[2, Number.POSITIVE_INFINITY]]);
    expect(of("bytes is 1.5 kB")).toEqual([[1500, 1500]]);
    expect(of("packets is 1.5")).toEqual([[2, 1]]);
    expect(of("packets under 1.5")).toEqual([[Number.NEGATIVE_INFINITY, 1]]);
  });
});

/** What is refused, with what stands in its place: each is put there, must be understood, and says what is given beside it. */
const MISTAKES: readonly (readonly [written: string, mended: string])[] = [
  // words of other languages, and of plain speech
  ["user contains lind and failed", "user has lind and failed"],
  ['data "x" contains lind', 'data "x" has lind'],
  ["user exists", "user present"],
  ["user equals k.lind", "user is k.lind"],
  ["bytes above 5 MB", "bytes over 5 MB"],
  ["time after 2026-11-24", "time over 2026-11-24"],
  ["time before 2026-11-24", "time under 2026-11-24"],
  ["host starts with web", "host like web*"],
  ["host begins with web", "host like web*"],
  ['user ends with "a b"', 'user like "*a b"'],
  ["src not within 10.0.0.0/8 and failed", "not src within 10.0.0.0/8 and failed"],
  ['data "x" not over 5', 'not data "x" over 5'],
  ["app is a or src not within 10.0.0.0/8", "app is a or not src within 10.0.0.0/8"],
  ["dst port in 20-25", "dst port in 20..25"],
  ["dst port 22..25", "dst port in 22..25"],
  ["a & b", "a and b"],
  ["a | b", "a or b"],
  ["failed && cron", "failed and cron"],
  ["user is a & failed", "user is a and failed"],
  ["severity<=3", "severity at least error"],
  ["severity >= error", "severity at least error"],
  ["severity > error", "severity at least critical"],
  ["severity >= 4", "severity at most warning"],
  ["severity = error", "severity is error"],
  ["severity != debug and x", "severity is not debug and x"],
  ["severity over error", "severity at least error"],
  ["severity under 3", "severity at most 3"],
  ["severity is eror", "severity is error"],
  ["user:root", "user is root"],
  ["x and user:svc-*", 'x and user like "svc-*"'],
  ["user: root", "user is root"],
  ["hostname:web", "host is web"],
  ["src:10.0.0.1", "src is 10.0.0.1"],
  ["user=root", "user is root"],
  ["user = root", "user is root"],
  ["user != root", "user is not root"],
  ["src=10.0.0.1", "src is 10.0.0.1"],
  ["kind=flow", "kind is flow"],
  ['data "x" = 5', 'data "x" is 5'],
  ["!failed", "not failed"],
  ["a and !(b)", "a and not (b)"],
  ["/fail/", "text matches /fail/"],
  ["/link down/", "text matches /link down/"],
  ["/fail(ed|ure)/ and x", "text matches /fail(ed|ure)/ and x"],
  ["user is svc-*", 'user like "svc-*"'],
  ["user is not svc-*", 'not user like "svc-*"'],
  ["event is 46??", 'event like "46??"'],
  ["data terminal is a*", 'data terminal like "a*"'],
  ["app in a..c", 'app in "a..c"'],
  ['data "x" in 1..3', 'data "x" in 1, 2, 3'],
  ["dst port in 9..1", "dst port in 1..9"],
  ["bytes between 10 and 5", "bytes between 5 and 10"],
  ["bytes between 10 MB and 5 MB and x", "bytes between 5 MB and 10 MB and x"],
  ["time between 2026-11-25 and 2026-11-24", "time between 2026-11-24 and 2026-11-25"],
  ["src within 10.0.0.7", "src within 10.0.0.7/32"],
  ["src is 10.20.*", "src is 10.20.0.0/16"],
  ["src within 10.20.0.0/255.255.0.0", "src within 10.20.0.0/16"],
  ["protocol is tpc", "protocol is tcp"],
  ["dst port is htps", "dst port is https"],
  ["kind is sylog", "kind is syslog"],
  ["category is logn", "category is logon"],
  ["sender is vpn1", "sender is vpn-1"],
  ['sender in group "Securty"', "sender in group security"],
  ["sevrity is error", "severity is error"],
  ["src prot is 22", "src port is 22"],
  ["terminal is 5", 'data "terminal" is 5'],
  ["severity at leest error", "severity at least error"],
  ["a && b", "a and b"],
  ["a || b", "a or b"],
  ["user", '"user"'],
  ["and x", '"and" and x'],
  ["(a or b", "(a or b)"],
  ["a)", "a"],
  ["text has “open", 'text has "open"'],
  ['text has "open', 'text has "open"'],
  ["text matches /open", "text matches /open/"],
  ["text matches fail", "text matches /fail/"],
  ["text matches /(?-i)Fail/", "text matches /Fail/"],
  ["a*b", 'text like "*a*b*"'],
  ['""', ""],
  ["time last 5 weeks", "time last 35 d"],
  ["time last 5 huors", "time last 5 hours"],
  ["time last 5", "time last 5 h"],
  ["host has web or db", "host has web or host has db"],
  ['host is ""', "host missing"],
  ['host is not ""', "host present"],
  ['filter "Nigt jobs"', 'filter "Night jobs"'],
  ["bytes between 5 10", "bytes between 5 and 10"],
];

describe("mistakes are refused where they stand, and what is suggested is understood and meant", () => {
  test.each(MISTAKES)("%s → %s", (written, mended) => {
    let text = written;
    // one suggestion after the other, as a person takes them
    for (let i = 0; i < 3; i++) {
      const parsed = read(text);
      if (parsed.ok) {
        expect(i).toBeGreaterThan(0);
        break;
      }
      const { span, suggestion } = parsed.error;
      expect({ text, suggestion }).toEqual({ text, suggestion: expect.any(String) });
      text = text.slice(0, span.start) + suggestion + text.slice(span.end);
    }
    expect(said(text)).toBe(said(mended));
  });

  test.each([
    ["protocol is 300", 12, 15],
    ["dscp is 64", 8, 10],
    ["dst port is 70000", 12, 17],
    ["bytes is 9223372036854775808", 9, 28],
    ["src is host", 7, 11],
    [`text like "${"*x".repeat(60)}"`, 10, 132],
    ["kind is nonsense", 8, 16],
    ["user is svc-*, root", 0, 13],
    ["time over yesterday", 10, 19],
  ])("%s: refused at its place, where nobody can tell what was meant", (text, start, end) => {
    const parsed = read(text);
    expect(parsed.ok ? null : parsed.error).toMatchObject({ span: { start, end }, suggestion: null });
  });

  test.each([
    "10:30:00",
    "key=value",
    "type=failed",
    "/var/log/messages",
    "/etc/passwd",
    "x!y",
    "a..b",
    "https://x.example/y",
    "Text",
    "User and Event",
    "port",
    "message or ip",
    "00:11:22:aa:bb:cc",
    "cron:",
  ])("%s is text like any other", (text) => expect(read(text)).toMatchObject({ ok: true }));

  test("any suggestion for any damaged filter is understood as far as it goes", () => {
    const whole = MISTAKES.map(([, mended]) => mended).filter((m) => m !== "");
    for (const text of whole)
      for (let cut = 0; cut <= text.length; cut++)
        for (const damaged of [
          text.slice(0, cut),
          text.slice(0, cut) + text.slice(cut + 1),
          `${text.slice(0, cut)}"${text.slice(cut)}`,
        ]) {
          const parsed = read(damaged);
          if (parsed.ok || parsed.error.suggestion === null) continue;
          const { span, suggestion } = parsed.error;
          const again = read(damaged.slice(0, span.start) + suggestion + damaged.slice(span.end));
          if (!again.ok) expect(again.error.span.start).toBeGreaterThanOrEqual(span.start + suggestion.length);
        }
  });
});
