/** The two text codecs exist in every JavaScript host; nothing else of the host is visible to core. */
declare class TextDecoder {
  constructor(label?: string, options?: { fatal?: boolean; ignoreBOM?: boolean });
  decode(input?: Uint8Array, options?: { stream?: boolean }): string;
}
declare class TextEncoder {
  encode(input?: string): Uint8Array;
}
/** ECMAScript 2024, 22.1.3.10 and 22.1.3.31: in every host this runs on, not yet in the library the compiler is told of. */
interface String {
  isWellFormed(): boolean;
  toWellFormed(): string;
}
