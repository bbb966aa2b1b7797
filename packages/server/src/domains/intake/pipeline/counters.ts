/** What became of all that arrived since the collector started; every way not to be stored has one. */
export const newCounters = () => ({
  stored: 0,
  spooled: 0,
  capped: 0,
  refused: 0,
  held: 0,
  "held: refused, too many": 0,
  "unlisted senders": 0,
  lost: 0,
  undecodable: 0,
  "stored as unreadable": 0,
  quarantined: 0,
  "answers not sent": 0,
  "sent again": 0,
  "dropped by rules": 0,
  "damaged in spool": 0,
  "housekeeping failures": 0,
});
export type Counters = ReturnType<typeof newCounters>;
