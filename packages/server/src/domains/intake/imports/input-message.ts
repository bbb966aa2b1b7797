import type { DecodeProblem } from "@halvik/core/base/bytes";
import type { CapturedMessage } from "@halvik/core/decode/capture";
import type { Protocol } from "../arrivals/arrival.js";

/** What a file holds, one after another: messages with what they are, or what could not be read and why. */
export type InputMessage =
  | { readonly type: "item"; readonly protocol: Protocol; readonly line: number; readonly bytes: Uint8Array }
  | { readonly type: "bad item"; readonly line: number; readonly problem: DecodeProblem }
  | CapturedMessage;
