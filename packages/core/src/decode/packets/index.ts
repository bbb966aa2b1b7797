export { type Observation, readObservation, writeObservation } from "./observation.js";
export { PacketReader, type PacketReaderOptions } from "./packet-reader.js";
