export { Cadence, type SavedCadence } from "./cadence.js";
export { ClockOffset } from "./clock-offset.js";
export { CopyFinder } from "./copies.js";
export { correctedTime, isOrderUncertain } from "./corrected-time.js";
export {
  KEEP_DAYS,
  newSender,
  OWN_NETWORKS,
  OWN_SENDER,
  SENDER_STATES,
  SENDER_TRAITS,
  type Sender,
  SenderDirectory,
  type SenderState,
  type SenderTrait,
} from "./directory.js";
export { type SharedOffset, sharedOffsets } from "./shared-offsets.js";
