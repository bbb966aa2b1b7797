export { ByteReader } from "./byte-reader.js";
export { type DecodeCode, DecodeError, type DecodeProblem } from "./decode-error.js";
export { joined } from "./joined.js";
export { JsonBytes } from "./json-bytes.js";
export { decodeUtf8, firstBadUtf8 } from "./utf8.js";
