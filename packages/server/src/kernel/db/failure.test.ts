import { failureOf, noAnswer } from "./failure.js";

const withCode = (code: string) => Object.assign(new Error("x"), { code });

// PostgreSQL documentation, appendix A; the runtime's codes are those of errno(3)
test.each([
  ["connection_failure", withCode("08006"), "outage"],
  ["disk_full", withCode("53100"), "outage"],
  ["too_many_connections", withCode("53300"), "outage"],
  ["admin_shutdown", withCode("57P01"), "outage"],
  ["cannot_connect_now", withCode("57P03"), "outage"],
  ["query_canceled", withCode("57014"), "outage"],
  ["io_error", withCode("58030"), "outage"],
  ["connection refused", withCode("ECONNREFUSED"), "outage"],
  ["broken pipe", withCode("EPIPE"), "outage"],
  ["the driver's own", new Error("Connection terminated unexpectedly"), "outage"],
  ["the driver's own, later", new Error("Client has encountered a connection error and is not queryable"), "outage"],
  ["a bound of ours", noAnswer("the batch", 15_000), "outage"],
  ["serialization_failure", withCode("40001"), "again"],
  ["deadlock_detected", withCode("40P01"), "again"],
  ["numeric_value_out_of_range", withCode("22003"), "refused"],
  ["character_not_in_repertoire", withCode("22021"), "refused"],
  ["not_null_violation", withCode("23502"), "refused"],
  ["program_limit_exceeded", withCode("54000"), "unknown"],
  ["undefined_table", withCode("42P01"), "unknown"],
  ["internal_error", withCode("XX000"), "unknown"],
  ["a stack that ran over", new RangeError("Maximum call stack size exceeded"), "unknown"],
  ["a fault of ours", new TypeError("Connection terminated is not a function"), "unknown"],
  ["no error at all", "thrown text", "unknown"],
] as const)("%s", (_what, e, want) => expect(failureOf(e)).toBe(want));
