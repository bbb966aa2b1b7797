/** Values of the LogonType field (published by the system's documentation; from memory). */
export const LOGON_TYPES: Readonly<Record<string, string>> = {
  "0": "by the system itself",
  "2": "at the console",
  "3": "over the network",
  "4": "for a batch job",
  "5": "as a service",
  "7": "by unlocking",
  "8": "over the network with the password in the clear",
  "9": "with other credentials",
  "10": "by remote desktop",
  "11": "at the console with cached credentials",
  "12": "by remote desktop with cached credentials",
  "13": "by unlocking with cached credentials",
};

/** NT status codes of refused logons, lower case (from memory). */
export const FAILURE_CODES: Readonly<Record<string, string>> = {
  "0xc000005e": "no logon server could be reached",
  "0xc0000064": "there is no such account",
  "0xc000006a": "the password is wrong",
  "0xc000006d": "name or password is wrong",
  "0xc000006e": "the account is restricted",
  "0xc000006f": "outside the hours allowed",
  "0xc0000070": "not allowed from this workstation",
  "0xc0000071": "the password has expired",
  "0xc0000072": "the account is disabled",
  "0xc00000dc": "the server is in the wrong state",
  "0xc0000133": "the clocks differ too much",
  "0xc000015b": "this kind of logon is not granted",
  "0xc000018c": "the trust between the domains failed",
  "0xc0000192": "the logon service is not running",
  "0xc0000193": "the account has expired",
  "0xc0000224": "the password must be changed first",
  "0xc0000234": "the account is locked out",
  "0xc00002ee": "a failure inside the system",
  "0xc0000413": "the machine is protected by an authentication firewall",
};

/** Kerberos error codes as events 4768, 4769 and 4771 give them (RFC 4120 section 7.5.9). */
export const KERBEROS_CODES: Readonly<Record<string, string>> = {
  "0x0": "granted",
  "0x6": "there is no such client",
  "0x7": "there is no such service",
  "0x9": "the client or server has no key",
  "0xc": "policy forbids it",
  "0xe": "the encryption type is not supported",
  "0x12": "the account is disabled, expired or locked out",
  "0x17": "the password has expired",
  "0x18": "the password is wrong",
  "0x19": "more authentication is needed first",
  "0x1b": "a ticket of this kind is refused",
  "0x20": "the ticket has expired",
  "0x22": "the request was seen before",
  "0x25": "the clocks differ too much",
};
