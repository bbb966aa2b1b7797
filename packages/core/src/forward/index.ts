export { Forward, ForwardWay, sayWay } from "./forward.js";
export { withOrigin } from "./with-origin.js";
