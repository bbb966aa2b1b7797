/** An address of 4 or 16 octets as a key of few characters: made faster than its text, and it says nothing to people. */
export const addressKey = (a: Uint8Array): string =>
  a.length === 4
    ? String.fromCharCode((a[0]! << 8) | a[1]!, (a[2]! << 8) | a[3]!)
    : String.fromCharCode(
        (a[0]! << 8) | a[1]!,
        (a[2]! << 8) | a[3]!,
        (a[4]! << 8) | a[5]!,
        (a[6]! << 8) | a[7]!,
        (a[8]! << 8) | a[9]!,
        (a[10]! << 8) | a[11]!,
        (a[12]! << 8) | a[13]!,
        (a[14]! << 8) | a[15]!,
      );
