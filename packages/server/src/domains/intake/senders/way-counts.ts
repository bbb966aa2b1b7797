/** What came of a sender by one endpoint. */
export interface WayCounts {
  records: number;
  bytes: number;
  problems: number;
  late: number;
  copies: number;
  capped: number;
  /** When the last of it came. */
  lastUs: number;
}
