export { Forward, ForwardWay, sayWay } from "./forward.js";
export { type Origin, withOrigin } from "./with-origin.js";
