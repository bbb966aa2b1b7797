export { type CapturedFrame, CaptureFile, isCapture } from "./capture-file.js";
export { type CapturedMessage, CaptureMessages } from "./messages.js";
export { ipIn, readIpHeader } from "./packet.js";
export { pcapDatagram, pcapHeader } from "./write-pcap.js";
