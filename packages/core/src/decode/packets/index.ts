export { OBSERVED, type Observation, type Observed, readObservation, writeObservation } from "./observation.js";
export { PacketReader, type PacketReaderOptions } from "./packet-reader.js";
