export { CaptureFile, isCapture } from "./capture-file.js";
export { Fragments } from "./fragments.js";
export { type CapturedMessage, CaptureMessages } from "./messages.js";
export { type IpHeader, ipBehind, ipIn, linkLayer, readIpHeader } from "./packet.js";
export { type OrderedPiece, SegmentOrder } from "./segment-order.js";
export { readSegment, TCP_FLAG } from "./tcp-segment.js";
export { ipv4Packet, pcapDatagram, pcapHeader, pcapPacket } from "./write-pcap.js";
